#pragma once

#include <vector>

#include "plan.hpp"

namespace zithercraft {

/// One tick: movers, contacts (sequential impulses), motion, then touch and zone events.
void step_physics(const ArenaPlan& plan, StateArrays& state, ArenaScratch::Memory& memory, std::vector<Event>& events);

}  // namespace zithercraft
