#pragma once

#include <span>

#include "plan.hpp"
#include "standing.hpp"

namespace zithercraft {

/// What a cast meets besides what its query says.
enum class CastScope {
  everything,
  solids,        ///< looks through zones, items and shots
  fixed_solids,  ///< looks through free bodies too
};

/// Rays over the plane; in arenas with height they meet what lies in a band of it, seen from above.
void cast_rays(const ArenaPlan& plan, const StateArrays& state, const RayFanQuery& rays, std::span<float> distance,
               std::span<std::int32_t> entity, CastScope scope = CastScope::everything, Band band = {});

/// Rays in space, for arenas with height.
void cast_in_space(const ArenaPlan& plan, const StateArrays& state, const RayFanQuery& rays, std::span<float> distance,
                   std::span<std::int32_t> entity, CastScope scope = CastScope::everything);

/// How far a disc gets on its way to one entity: metres, `reach` if it does not meet it.
float cast_at(const ArenaPlan& plan, const StateArrays& state, std::size_t entity, Vec from, Vec direction, float reach,
              float radius);
/// The same for a shape that stands anywhere.
float cast_at(const Core& core, Vec from, Vec direction, float reach, float radius);

}  // namespace zithercraft
