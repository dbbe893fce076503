#include "learn/play/played_rows.hpp"

#include <algorithm>

#include "zithercraft/base/random.hpp"

namespace zithercraft::learn_internal {

std::vector<GroupSamples> groups_for(const TrainingContext& context,
                                     const std::vector<std::size_t>& roles) {
  std::vector<GroupSamples> groups;
  for (const LaneGroup& group : context.groups) {
    GroupSamples& samples = groups.emplace_back(GroupSamples{group.first_lane, group.lanes});
    std::size_t before = 0;  // rows of earlier roles, over all lanes
    for (const std::size_t role : roles) {
      const std::size_t seats = context.environment->seats(role);
      const int side = context.side_of(role);
      const std::size_t end = group.first_lane + group.lanes;
      std::size_t next = group.first_lane;
      for (std::size_t lane = next; lane < end; lane = ++next) {
        while (next < end && context.shares.may_learn(side, next)) ++next;
        if (next == lane) continue;
        const std::size_t rows = (next - lane) * seats;
        samples.by_role.push_back(
            {role, lane * seats, rows, before + lane * seats, samples.rows, lane, next - lane});
        samples.rows += rows;
      }
      before += context.environment->rows(role);
    }
  }
  return groups;
}

std::size_t rows_of(std::span<const GroupSamples> groups) {
  std::size_t rows = 0;
  for (const GroupSamples& samples : groups) rows += samples.rows;
  return rows;
}

std::size_t playable_rows(const TrainingContext& context, const std::vector<std::size_t>& roles) {
  std::size_t rows = 0;
  for (const std::size_t role : roles) rows += context.environment->rows(role);
  return rows;
}

std::size_t most_rows_of(const TrainingContext& context, const std::vector<std::size_t>& roles) {
  std::size_t seats = 0, lanes = 0;
  for (const std::size_t role : roles) seats += context.environment->seats(role);
  for (const LaneGroup& group : context.groups) lanes = std::max(lanes, group.lanes);
  return seats * lanes;
}

RoleRows block_of(const TrainingContext& context, const std::vector<std::size_t>& roles,
                  std::size_t role, const LaneGroup& group) {
  std::size_t before = 0;
  for (const std::size_t r : roles) {
    if (r == role) break;
    before += context.environment->rows(r);
  }
  const std::size_t seats = context.environment->seats(role);
  return {role, group.first_lane * seats, group.lanes * seats, before + group.first_lane * seats,
          0,    group.first_lane,         group.lanes};
}

std::uint64_t seed_of(const TrainingContext& context, std::size_t first_role) {
  return first_role == context.first_learning_role
             ? context.seed
             : derived_seed(context.seed, context.game.roles()[first_role].name);
}

}  // namespace zithercraft::learn_internal
