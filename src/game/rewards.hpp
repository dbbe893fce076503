#pragma once

#include <span>

#include "plan.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {

/// The books of progress terms: distance at the episode's start and at the last decision, and to what.
struct Distance {
  float start = 0.0f, last = 0.0f;
  std::int32_t thing = -1;
};

void begin_progress(const RolePlan& role, const SeatView& seat, std::span<Distance> distances);

/// What each term pays for the decision just played; returns the verdict it brought (failure outweighs success).
/// Throws Error (numbers) naming the term if a payment is not finite.
Verdict pay_seat(const RolePlan& role, const SeatView& seat, std::span<Distance> distances, std::span<float> payments);

}  // namespace zithercraft
