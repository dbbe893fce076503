#pragma once

// The rows of lanes that one policy plays, and how they are numbered.

#include <cstddef>
#include <vector>

namespace zithercraft::learn_internal {

/// Lanes that one thread plays through a rollout. They never meet others, so that threads need no
/// barrier.
struct LaneGroup {
  std::size_t first_lane = 0, lanes = 0;
};

/// Rows of one role that belong to a group.
struct RoleRows {
  std::size_t role = 0, first_row = 0, rows = 0;  // in the lanes
  std::size_t own_row = 0;  // of the first, among all rows that its policy may play
  std::size_t place = 0;    // of the first, within the group
  std::size_t first_lane = 0, lanes = 0;
  bool holds(std::size_t lane) const { return lane >= first_lane && lane < first_lane + lanes; }
};

/// The rows that a policy plays together in some lanes, and where their samples begin.
struct GroupSamples {
  std::size_t first_lane = 0, lanes = 0, rows = 0, first_sample = 0;
  std::vector<RoleRows> by_role{};
  std::size_t sample(std::size_t time, std::size_t row_in_group) const {
    return first_sample + time * rows + row_in_group;
  }
};

}  // namespace zithercraft::learn_internal
