#pragma once

#include "arena/plan.hpp"

namespace zithercraft {
class RandomStream;
}

namespace zithercraft::arena_internal {

/// Lays out an episode: cells, rivers, and a random pose for every zone, body and item that keeps
/// its placement rule, with everything reachable that has to be. Throws Error (spec) naming the
/// thing and the rule if many layouts in a row fail.
void place_everything(const ArenaPlan& plan, StateArrays& state, ArenaScratch::Memory& memory);

/// Gives a thing that comes back a pose that keeps its rule among what is in the arena now; false
/// if none was met.
bool place_again(const ArenaPlan& plan, StateArrays& state, std::size_t entity,
                 RandomStream& random, ArenaScratch::Memory& memory);

/// Whether nothing that moves stands where a body began.
bool home_is_free(const ArenaPlan& plan, const StateArrays& state, std::size_t entity);
/// Whether no body stands where a body would be at a pose.
bool is_free_for(const ArenaPlan& plan, const StateArrays& state, std::size_t body,
                 const Pose& pose);

void set_pose(StateArrays& state, std::size_t entity, float x, float y, double heading);

}  // namespace zithercraft::arena_internal
