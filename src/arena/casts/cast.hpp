#pragma once

#include <cstring>
#include <span>
#include <type_traits>

#include "arena/physics/standing.hpp"
#include "arena/plan.hpp"

namespace zithercraft::arena_internal {

/// Entities as kernels write them.
inline std::span<std::int32_t> numbers_of(std::span<EntityId> entities) {
  static_assert(sizeof(EntityId) == sizeof(std::int32_t) && std::is_standard_layout_v<EntityId>);
  return {reinterpret_cast<std::int32_t*>(entities.data()), entities.size()};
}

/// What a cast meets besides what its query says.
enum class CastScope {
  everything,
  solids,        ///< looks through zones, items and shots
  fixed_solids,  ///< looks through free bodies too
};

/// Whether a query meets things of a run at all.
inline bool is_met(const ArenaPlan& plan, const TagRun& run, const RayFanQuery& rays,
                   CastScope scope) {
  return rays.tags.meets(run.tags) && (rays.exclude_side < 0 || run.side != rays.exclude_side) &&
         (scope == CastScope::everything ||
          (run.first < plan.bodies && !(scope == CastScope::fixed_solids && run.free)));
}

/// Writes out what blocks of eight rays have met; the last block may be short.
template <class Block>
void write_hits(const Block* block, std::span<float> distance, std::span<std::int32_t> entity) {
  constexpr std::size_t block_rays = 8;
  std::size_t i = 0;
  for (; i + block_rays <= distance.size(); i += block_rays, ++block) {
    std::memcpy(&distance[i], &block->best, sizeof block->best);
    std::memcpy(&entity[i], &block->who, sizeof block->who);
  }
  for (std::size_t k = 0; i < distance.size(); ++i, ++k) {
    distance[i] = block->best[k];
    entity[i] = block->who[k];
  }
}

/// Rays over the plane; in arenas with height they meet what lies in a band of it, seen from above.
void cast_rays(const ArenaPlan& plan, const StateArrays& state, const RayFanQuery& rays,
               std::span<float> distance, std::span<std::int32_t> entity,
               CastScope scope = CastScope::everything, Band band = {});

/// Rays in space, for arenas with height.
void cast_in_space(const ArenaPlan& plan, const StateArrays& state, const RayFanQuery& rays,
                   std::span<float> distance, std::span<std::int32_t> entity,
                   CastScope scope = CastScope::everything);

/// How far a disc gets on its way to one entity: metres, `reach` if it does not meet it.
float cast_at(const ArenaPlan& plan, const StateArrays& state, std::size_t entity, Vec from,
              Vec direction, float reach, float radius);
/// The same for a shape that stands anywhere.
float cast_at(const Core& core, Vec from, Vec direction, float reach, float radius);

}  // namespace zithercraft::arena_internal
