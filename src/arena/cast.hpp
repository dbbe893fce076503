#pragma once

#include <span>

#include "plan.hpp"

namespace zithercraft {

void cast_rays(const ArenaPlan& plan, const StateArrays& state, const RayFanQuery& rays, std::span<float> distance,
               std::span<std::int32_t> entity);

}  // namespace zithercraft
