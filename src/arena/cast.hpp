#pragma once

#include <span>

#include "plan.hpp"

namespace zithercraft {

/// What a cast meets besides what its query says.
enum class CastScope {
  everything,
  solids,        ///< looks through zones, items and shots
  fixed_solids,  ///< looks through free bodies too
};

void cast_rays(const ArenaPlan& plan, const StateArrays& state, const RayFanQuery& rays, std::span<float> distance,
               std::span<std::int32_t> entity, CastScope scope = CastScope::everything);

/// How far a disc gets on its way to one entity: metres, `reach` if it does not meet it.
float cast_at(const ArenaPlan& plan, const StateArrays& state, std::size_t entity, Vec from, Vec direction, float reach,
              float radius);

}  // namespace zithercraft
