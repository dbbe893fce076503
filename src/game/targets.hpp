#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "game/sense.hpp"

namespace zithercraft::game_internal {

/// Whom a seat's controls choose among those whom its crowds list now: 1 + the entity, or 0, in
/// `targets`. Tells it as events, and turns the wishes of inputs towards them.
void choose_targets(const RolePlan& role, const SeatView& seat, std::span<const float> given,
                    std::span<std::uint32_t> targets, SenseRoom& room, std::span<float> wishes,
                    std::vector<Event>& events);

}  // namespace zithercraft::game_internal
