#pragma once

// The vertical side of bodies: which stretch of height they take up, and what they stand on.

#include <algorithm>

#include "arena/plan.hpp"

namespace zithercraft::arena_internal {

/// A stretch of height, metres.
struct Band {
  float low = -boundless, high = boundless;
};
inline bool overlap(Band a, Band b) { return a.low < b.high && b.low < a.high; }

/// From foot to top. Things without end, and everything in flat arenas, take up all heights.
inline Band band_of(const ArenaPlan& plan, const StateArrays& s, std::size_t entity) {
  if (!plan.heights.used || plan.tall[entity] == boundless) return {};
  return {s.z[entity], s.z[entity] + plan.tall[entity]};
}

/// Edges up to this high above its foot do not stop a body.
inline float step_of(const ArenaPlan& plan, std::size_t body) {
  return std::min(plan.body[body].step, 0.5f * plan.tall[body]);
}

/// The stretch in which things stop a body that moves over the plane.
inline Band stopped_band(const ArenaPlan& plan, const StateArrays& s, std::size_t body) {
  Band band = band_of(plan, s, body);
  if (plan.heights.used) band.low += step_of(plan, body);
  return band;
}

/// The part of a triangle that stops a body, seen from above; 0 corners if it does not. Ground that
/// is not too steep rises under the body's foot before it stops it.
std::size_t stopping_slice(const Triangle& triangle, Band band, float bound, float steep,
                           std::array<Vec, 8>& corners);

/// The highest level at or below `most` of floor, ground and meshes at a point of the plane;
/// `-boundless` if there is none.
struct Footing {
  float level = -boundless;
  std::int32_t entity = -1;
  Vec gradient{};
  float slope = 0.0f;  // tangent
};
Footing footing_at(const ArenaPlan& plan, Vec p, float most);

}  // namespace zithercraft::arena_internal
