#pragma once

#include "arena/plan.hpp"

namespace zithercraft::arena_internal {

class EventSink;

/// Metres of the highest step that the follower's jump masters with room to spare, and of the
/// longest gap before a step.
double highest_step(const CausewayData& causeway);
double longest_gap(const CausewayData& causeway, double rise);

/// Sets up all stones of all causeways.
void begin_causeways(const ArenaPlan& plan, StateArrays& state);

/// Takes stones that have fallen behind and sets them up ahead; reports platforms that were
/// reached.
void extend_causeways(const ArenaPlan& plan, StateArrays& state, EventSink& events);

}  // namespace zithercraft::arena_internal
