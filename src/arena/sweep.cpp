#include <algorithm>
#include <array>

#include "cast.hpp"
#include "physics.hpp"

// Bodies that move farther in a tick than they are wide are stopped where they first meet something; the contact is
// solved in the next tick. What is swept is a disc of half the largest one inside the body, so that sliding along a wall
// is no meeting.

namespace zithercraft {
namespace {

constexpr float into = 0.002f;  // metres by which a stopped body overlaps, so that the contact is found

float free_way(const Tick& t, std::size_t i, float speed) {
  const ArenaPlan& plan = t.plan;
  const StateArrays& s = t.s;
  const float radius = 0.5f * plan.shapes[i].inner;
  const Vec from{s.x[i], s.y[i]}, direction = (1.0f / speed) * Vec{s.vx[i], s.vy[i]};
  float reach = speed * plan.dt;
  std::int32_t entity = -1;
  const RayFanQuery ray{.x = from.x,
                        .y = from.y,
                        .direction_x = {&direction.x, 1},
                        .direction_y = {&direction.y, 1},
                        .reach = reach,
                        .thickness = 2.0f * radius,
                        .exclude = static_cast<std::int32_t>(i)};
  float distance = reach;
  cast_rays(plan, s, ray, {&distance, 1}, {&entity, 1}, CastScope::fixed_solids);
  float way = entity < 0 ? 1.0f : std::min(1.0f, (distance + into) / reach);
  // Other free bodies move too: what counts is the motion relative to each.
  for (const std::size_t other : plan.free_bodies) {
    if (other == i || s.present[other] == 0) continue;
    const Vec relative = plan.dt * Vec{s.vx[i] - s.vx[other], s.vy[i] - s.vy[other]};
    const Vec apart = Vec{s.x[other], s.y[other]} - from;
    const float size = length(relative), near = size + plan.bounds[other] + radius;
    if (size < 1e-6f || dot(apart, apart) > near * near) continue;
    const float met = cast_at(plan, s, other, from, (1.0f / size) * relative, size, radius);
    if (met < size) way = std::min(way, std::min(1.0f, (met + into) / size));
  }
  return way;
}

}  // namespace

void sweep_bodies(const Tick& t) {
  for (const std::size_t i : t.plan.free_bodies) {
    const float from = t.plan.body[i].swept_from;
    const float square = t.s.vx[i] * t.s.vx[i] + t.s.vy[i] * t.s.vy[i];
    if (t.s.present[i] == 0 || square <= from * from) continue;
    t.memory.way[i] = free_way(t, i, std::sqrt(square));
  }
}

}  // namespace zithercraft
