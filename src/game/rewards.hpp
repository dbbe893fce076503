#pragma once

#include <cstdint>
#include <span>

#include "game/plan.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft::game_internal {

/// What a progress term remembers: the distance at the episode's start, what being so far away
/// counts, and the thing aimed at.
struct Distance {
  float start = 0.0f, potential = 0.0f;
  EntityId thing{};
  std::int32_t unused = 0;
};

/// Squares that an exploration term distinguishes along each side, a bit each.
constexpr std::size_t visited_side = 64;

/// Writes into the seat's memory what terms remember of an episode's beginning.
void begin_terms(const RolePlan& role, const SeatView& seat, std::span<std::uint64_t> memory);

/// How much of each term's trigger the step just played brought the seat, before weights (that of
/// progress is in it already), and the verdict
/// (failure outweighs success). Amounts that a custom game pays are there before.
Verdict measure_terms(const RolePlan& role, const SeatView& seat, std::span<std::uint64_t> memory,
                      std::span<float> amounts);

/// What a term pays for an amount, given what it has given in this episode.
float reward_of(const TermPlan& term, float amount, double so_far);

/// Throws Error (numbers) naming the term if a reward is not finite.
void check_term_rewards(const SeatView& seat, std::span<const float> rewards);

}  // namespace zithercraft::game_internal
