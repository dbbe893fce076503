#pragma once

// What terms and rules wait for.

#include <span>
#include <string>

#include "game/compile/compile_role.hpp"

namespace zithercraft::game_internal {

constexpr std::size_t words_for_bits(std::size_t bits) { return (bits + 63) / 64; }

/// `own`: the bodies that are meant if the trigger names no tag.
EventTriggerPlan compile_event(const GamePlan& game, const EventTrigger& on,
                               std::span<const EntityId> own, const std::string& where);
/// Words that it remembers.
std::size_t words_of(const GamePlan& game, const EventTrigger& on);
/// All of it that does not depend on seats: nothing is paired with them yet.
ConditionPlan compile_condition(const GamePlan& game, const Condition& when,
                                std::span<const EntityId> own, const std::string& where);
/// Of each body the number of its meter of that name. Throws Error (spec) if none of `meant` has
/// one.
std::vector<std::optional<std::size_t>> meters_named(const GamePlan& game, const std::string& name,
                                                     std::span<const EntityId> meant,
                                                     const std::string& where);

/// The names of the events that rules tell; before anything waits for them.
void find_told_events(GamePlan& game);
void compile_rules(GamePlan& game);

}  // namespace zithercraft::game_internal
