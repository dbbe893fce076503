#include "game/controls.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/base/error.hpp"

namespace zithercraft {
using namespace game_internal;

bool game_internal::allowed(const AllowedPlan& need, const SeatView& seat) {
  const Arena& arena = seat.game().arena();
  const std::byte* state = seat.arena_state();
  if (!need.launchers.empty() && !arena.reloaded(state, need.launchers[seat.number()]))
    return false;
  if (!need.meters.empty()) {
    const float value = arena.meter(state, need.meters[seat.number()]);
    if (need.above && !(value > *need.above)) return false;
    if (need.below && !(value < *need.below)) return false;
  }
  return !need.stands || arena.stands_on(state, seat.body()) >= 0;
}

void game_internal::read_controls(const Role& role, const RolePlan& plan,
                                  std::span<const float> controls, std::span<const float> row,
                                  std::span<float> given, std::span<float> wishes) {
  for (std::size_t c = 0; c < controls.size(); ++c) {
    const ControlPlan& control = plan.controls[c];
    const float value = controls[c];
    if (!std::isfinite(value))
      throw Error(ErrorKind::numbers,
                  "the control '" + role.controls[c].name + "' is not a finite number",
                  "role '" + role.name + "'", "look at the player that gives it");
    const auto& driven = control.inputs;
    if (control.options == 0) {
      given[c] = std::clamp(value, control.low, control.high);
      if (driven.empty()) continue;
      float wish = given[c];
      if (control.dead_zone > 0.0f) {
        const float beyond = std::fabs(wish) - control.dead_zone,
                    end = wish > 0.0f ? control.high : -control.low;
        wish =
            beyond <= 0.0f ? 0.0f : std::copysign(beyond * end / (end - control.dead_zone), wish);
      }
      wishes[driven.front()] = wish;
      continue;
    }
    auto option =
        static_cast<std::size_t>(std::clamp(value, 0.0f, static_cast<float>(control.options - 1)));
    if (control.need_columns[option] && row[*control.need_columns[option]] < 0.5f) option = 0;
    given[c] = static_cast<float>(option);
    for (std::size_t i = 0; i < driven.size(); ++i)
      wishes[driven[i]] = control.option_values[option * driven.size() + i];
  }
}

void game_internal::set_inputs(const RolePlan& plan, std::span<const float> wishes,
                               std::int64_t tick, const Pose& pose, std::span<float> inputs) {
  float east = 0.0f, north = 0.0f, ahead = 0.0f, left = 0.0f;
  for (const ControlPlan& control : plan.controls)
    for (const std::size_t input : control.inputs) {
      const float wish = tick > 0 && !control.holds ? 0.0f : wishes[input];
      if (input == plan.moves.east) {
        east = wish;
      } else if (input == plan.moves.north) {
        north = wish;
      } else {
        inputs[input] =
            control.step > 0.0f
                ? inputs[input] + std::clamp(wish - inputs[input], -control.step, control.step)
                : wish;
        if (input == plan.moves.ahead) ahead = inputs[input];
        if (input == plan.moves.left) left = inputs[input];
      }
    }
  if (!plan.moves.used()) return;
  inputs[plan.moves.ahead] = std::clamp(ahead + pose.cos * east + pose.sin * north, -1.0f, 1.0f);
  inputs[plan.moves.left] = std::clamp(left + pose.cos * north - pose.sin * east, -1.0f, 1.0f);
}

}  // namespace zithercraft
