#pragma once

#include <vector>

#include "plan.hpp"

namespace zithercraft {

class RandomStream;

/// Gives every zone and body a random pose that keeps its placement rule. Throws Error (spec) naming the thing and the
/// rule if many layouts in a row leave it no place.
void place_everything(const ArenaPlan& plan, StateArrays& state, RandomStream& random, std::vector<Core>& placed);

}  // namespace zithercraft
