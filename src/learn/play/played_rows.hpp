#pragma once

// Which rows of a training's lanes a policy plays.

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "learn/play/training_context.hpp"

namespace zithercraft::learn_internal {

/// Of each group of lanes, the rows in which a policy that plays some roles learns at least at
/// times.
std::vector<GroupSamples> groups_for(const TrainingContext& context,
                                     const std::vector<std::size_t>& roles);
/// In how many rows it learns.
std::size_t rows_of(std::span<const GroupSamples> groups);
/// Of all rows that it may play: as it is now, or as it was.
std::size_t playable_rows(const TrainingContext& context, const std::vector<std::size_t>& roles);
/// In the largest group, if it plays all rows of its roles.
std::size_t most_rows_of(const TrainingContext& context, const std::vector<std::size_t>& roles);
/// All rows of a role, in some lanes.
RoleRows block_of(const TrainingContext& context, const std::vector<std::size_t>& roles,
                  std::size_t role, const LaneGroup& group);
/// Of a policy's random numbers; the first policy's are the training's own.
std::uint64_t seed_of(const TrainingContext& context, std::size_t first_role);

}  // namespace zithercraft::learn_internal
