#pragma once

#include <cstdint>
#include <span>

#include "game/plan.hpp"

namespace zithercraft::game_internal {

/// Writes what the cutoffs remember of an episode's beginning.
void begin_cutoffs(const GamePlan& plan, const std::byte* state, std::span<std::uint64_t> memory);

/// Which cutoff ends the episode after `steps` steps; `nothing` if none does. To be asked once per
/// step.
EndedBy cut_off(const GamePlan& plan, const std::byte* state, std::uint32_t steps,
                std::span<const Event> events, std::span<std::uint64_t> memory);

}  // namespace zithercraft::game_internal
