#pragma once

// Carries out declared rules.

#include <cstddef>
#include <vector>

#include "game/plan.hpp"

namespace zithercraft::game_internal {

/// The lane that rules are carried out in.
struct RuleLane {
  const GamePlan& game;
  std::byte* block;
  std::vector<Event>& events;   // of the step
  std::size_t first_event = 0;  // of this tick
  ArenaScratch& scratch;
};

/// Brings those back who had to wait for room.
void bring_waiting(const RuleLane& lane);
/// After a tick; at an episode's beginning (tick 0) those that wait for no time.
void carry_out(const RulePlan& rule, const RuleLane& lane);

/// Tells an event that a rule made.
void tell(const RuleLane& lane, std::int32_t event, EntityId who, EntityId whom, float strength);
/// Ends the episode at the end of the step; failure outweighs success, and both a cutoff.
void finish_as(const RuleLane& lane, Verdict verdict);

}  // namespace zithercraft::game_internal
