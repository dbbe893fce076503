#pragma once

// Whether what terms and rules wait for has come.

#include <cstdint>
#include <optional>
#include <span>

#include "game/plan.hpp"
#include "zithercraft/arena/view.hpp"

namespace zithercraft::game_internal {

/// A body that is meant in an event, and the other thing.
struct Fit {
  EntityId own, other;
};

/// `own`: the bodies that are meant. Nothing if the event does not fit.
std::optional<Fit> fit(const EventTriggerPlan& trigger, std::span<const EntityId> own,
                       const ArenaView& view, const Event& event);
/// Whether an event that fits is among those that count in an episode; takes note of it.
bool counts(const EventTriggerPlan& trigger, EntityId other, std::span<std::uint64_t> memory);

bool stands(const StandingPlan& standing, const ArenaView& view, EntityId body);

/// Whether a condition that pairs nothing with seats holds for a body.
bool holds(const ConditionPlan& condition, const ArenaView& view, EntityId body);
/// The part of a condition that does not ask where the body is.
bool moves_and_touches(const ConditionPlan& condition, const ArenaView& view, EntityId body);

}  // namespace zithercraft::game_internal
