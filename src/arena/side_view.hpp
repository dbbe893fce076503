#pragma once

#include <span>

#include "arena/plan.hpp"

namespace zithercraft::arena_internal {

/// Draws an arena with height as it is seen from the side; see `MapView::side`.
void draw_from_the_side(const ArenaPlan& plan, const StateArrays& state, const MapView& view,
                        std::span<float> pixels);

}  // namespace zithercraft::arena_internal
