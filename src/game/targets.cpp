#include "game/targets.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

#include "zithercraft/base/exact.hpp"

namespace zithercraft::game_internal {
namespace {

// From where the body looks, positive to the left; and above the level.
struct Aim {
  float bearing = 0.0f, elevation = 0.0f;  // radians
};

Aim aim_at(const Bearing& to) {
  const auto angle = [](float sine, float cosine) {
    return static_cast<float>(exact::atan2(static_cast<double>(sine), static_cast<double>(cosine)));
  };
  return {angle(to.left, to.ahead), angle(to.up, std::sqrt(std::max(0.0f, 1.0f - to.up * to.up)))};
}

float share(float value, float low, float high) {
  return std::clamp(2.0f * (value - low) / (high - low) - 1.0f, -1.0f, 1.0f);
}

void turn_to(const TargetPlan& plan, const SeatView& seat, EntityId chosen,
             std::span<float> wishes) {
  const Bearing to = seat.bearing_to(chosen);
  const Aim aim = aim_at(to);
  if (plan.fire) wishes[*plan.fire] = 1.0f;
  if (plan.bearing) wishes[*plan.bearing] = share(aim.bearing, -plan.swing, plan.swing);
  if (plan.elevation) wishes[*plan.elevation] = share(aim.elevation, plan.lowest, plan.highest);
  if (plan.ahead) wishes[*plan.ahead] = to.ahead;
  if (plan.left) wishes[*plan.left] = to.left;
  if (!plan.east) return;
  // From cell to cell: along the longer way.
  const Pose own = seat.pose(), there = seat.view().pose(chosen);
  const float east = there.x - own.x, north = there.y - own.y;
  const bool along = std::fabs(east) >= std::fabs(north);
  const auto sign = [](float v) { return v > 0.0f ? 1.0f : v < 0.0f ? -1.0f : 0.0f; };
  wishes[*plan.east] = along ? sign(east) : 0.0f;
  wishes[*plan.north] = along ? 0.0f : sign(north);
}

}  // namespace

void choose_targets(const RolePlan& role, const SeatView& seat, std::span<const float> given,
                    std::span<std::uint32_t> targets, SenseRoom& room, std::span<float> wishes,
                    std::vector<Event>& events) {
  std::size_t listed = 0;  // how many the room holds, of the crowd of this sense
  std::optional<std::size_t> sense;
  for (std::size_t i = 0; i < role.targets.size(); ++i) {
    const TargetPlan& plan = role.targets[i];
    targets[i] = 0;
    const auto option = static_cast<std::size_t>(given[plan.control]);
    if (option == 0 || !seat.present()) continue;
    if (sense != plan.sense) {
      sense = plan.sense;
      listed = list_crowd(std::get<CrowdPlan>(role.senses[plan.sense].what), seat, room);
    }
    if (option > listed) continue;
    const EntityId chosen = room.others[option - 1].second;
    targets[i] = static_cast<std::uint32_t>(chosen.index() + 1);
    turn_to(plan, seat, chosen, wishes);
    events.push_back(seat.game().arena().event_at(
        seat.arena_state(), seat.body(), EventKind::custom, seat.body(), chosen, 1.0f, plan.event));
  }
}

}  // namespace zithercraft::game_internal
