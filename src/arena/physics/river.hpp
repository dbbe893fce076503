#pragma once

#include <vector>

#include "arena/plan.hpp"

namespace zithercraft::arena_internal {

class EventSink;

/// The bodies a river is made of: rocks (two for each gate), banks (two for each gate) and a weir
/// that closes its tail.
constexpr std::size_t river_parts = 3;
std::vector<BodySpec> river_bodies(const River& river, bool high);
std::size_t river_body_count(const RiverData& river);

/// Sets up all gates of all rivers.
void begin_rivers(const ArenaPlan& plan, StateArrays& state);

/// Takes gates that have fallen behind and sets them up ahead; reports gates that were passed.
void flow_rivers(const ArenaPlan& plan, StateArrays& state, EventSink& events);

}  // namespace zithercraft::arena_internal
