#pragma once

#include <cstddef>
#include <span>

#include "game/plan.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft::game_internal {

/// Whether an option's need holds now.
bool allowed(const AllowedPlan& need, const SeatView& seat);

/// The effect of a role's controls: `given` takes the controls as they count (in range, allowed),
/// `wishes` the value of each input. `row` is what the seat has sensed. Throws Error (numbers) if a
/// control is not a finite number.
void read_controls(const Role& role, const RolePlan& plan, std::span<const float> controls,
                   std::span<const float> row, std::span<float> given, std::span<float> wishes);

/// Sets a body's inputs for a tick of a step, from 0.
void set_inputs(const RolePlan& plan, std::span<const float> wishes, std::int64_t tick,
                const Pose& pose, std::span<float> inputs);

}  // namespace zithercraft::game_internal
