#include <algorithm>

#include "arena/blocks.hpp"
#include "arena/casts/cast.hpp"
#include "arena/physics/physics.hpp"
#include "arena/physics/standing.hpp"

// Bodies that move farther in a tick than they are wide are stopped where they first meet
// something; the contact is solved in the next tick. What is swept is a disc of half the largest
// one inside the body, so that sliding along a wall is no meeting.

namespace zithercraft::arena_internal {
namespace {

constexpr float slightest_push = 0.002f;  // metres in a tick
// Metres by which a stopped body overlaps, so that the contact is found.
constexpr float into = 0.002f;

// How far a disc around the body's centre gets before it meets a block that stops it: metres, at
// most `reach`.
float way_past_blocks(const Tick& t, std::size_t i, Vec direction, float reach, float radius) {
  const BlocksPlan& blocks = t.plan.blocks;
  const Band band = stopped_band(t.plan, t.s, i);
  const Vec from{t.s.x[i], t.s.y[i]}, to = from + reach * direction;
  const BlockBox box = blocks_within(
      blocks, {std::min(from.x, to.x) - radius, std::min(from.y, to.y) - radius, band.low},
      {std::max(from.x, to.x) + radius, std::max(from.y, to.y) + radius, band.high});
  for (std::int32_t row = box.row0; row <= box.row1; ++row)
    for (std::int32_t column = box.column0; column <= box.column1; ++column)
      if (solid_layer(blocks, t.s, column, row, band) >= 0)
        reach = std::min(
            reach, cast_at(core_of_column(blocks, column, row), from, direction, reach, radius));
  return reach;
}

// Likewise for uneven ground and meshes.
float way_past_terrain(const Tick& t, std::size_t i, Vec direction, float reach, float radius) {
  const Terrain& terrain = *t.plan.heights.terrain;
  const Band band = stopped_band(t.plan, t.s, i);
  const Vec from{t.s.x[i], t.s.y[i]}, to = from + reach * direction, margin{radius, radius};
  terrain.near(Vec{std::min(from.x, to.x), std::min(from.y, to.y)} - margin,
               Vec{std::max(from.x, to.x), std::max(from.y, to.y)} + margin, t.memory.triangles);
  std::array<Vec, 8> corners;
  for (const std::uint32_t number : t.memory.triangles) {
    const std::size_t count = stopping_slice(terrain.triangles()[number], band, t.plan.bounds[i],
                                             t.plan.body[i].steep, corners);
    if (count >= 2)
      reach = std::min(
          reach, cast_at(core_of_polygon(corners.data(), count), from, direction, reach, radius));
  }
  return reach;
}

// How far a disc around the body's centre gets before it meets something that is not free: metres,
// at most `reach`.
float way_past_fixed(const Tick& t, std::size_t i, Vec direction, float reach, float radius) {
  float distance = reach;
  std::int32_t entity = -1;
  cast_rays(t.plan, t.s,
            {.x = t.s.x[i],
             .y = t.s.y[i],
             .direction_x = {&direction.x, 1},
             .direction_y = {&direction.y, 1},
             .reach = reach,
             .thickness = 2.0f * radius,
             .exclude = EntityId(i)},
            {&distance, 1}, {&entity, 1}, CastScope::fixed_solids, stopped_band(t.plan, t.s, i));
  if (t.plan.has_blocks()) distance = way_past_blocks(t, i, direction, distance, radius);
  if (t.plan.heights.terrain) distance = way_past_terrain(t, i, direction, distance, radius);
  return distance;
}

// How much of its motion a body makes before it meets another that moves too: what counts is their
// motion relative to each other.
float way_to(const Tick& t, std::size_t i, std::size_t other, float radius) {
  const ArenaPlan& plan = t.plan;
  const StateArrays& s = t.s;
  if (other == i || s.present[other] == 0 || goes_through(plan, s, i, other)) return 1.0f;
  if (!overlap(stopped_band(plan, s, i), band_of(plan, s, other))) return 1.0f;
  const Vec from{s.x[i], s.y[i]};
  const Vec relative = plan.dt * Vec{s.vx[i] - s.vx[other], s.vy[i] - s.vy[other]};
  const Vec apart = Vec{s.x[other], s.y[other]} - from;
  const float size = length(relative), near = size + plan.bounds[other] + radius;
  if (size < 1e-6f || dot(apart, apart) > near * near) return 1.0f;
  const float met = cast_at(plan, s, other, from, (1.0f / size) * relative, size, radius);
  return met < size ? std::min(1.0f, (met + into) / size) : 1.0f;
}

float free_way(const Tick& t, std::size_t i, float speed) {
  const ArenaPlan& plan = t.plan;
  const StateArrays& s = t.s;
  const float radius = 0.5f * plan.shapes[i].inner, reach = speed * plan.dt;
  const Vec direction = (1.0f / speed) * Vec{s.vx[i], s.vy[i]};
  const float fixed = way_past_fixed(t, i, direction, reach, radius);
  float way = fixed < reach ? std::min(1.0f, (fixed + into) / reach) : 1.0f;
  for (const std::size_t other : plan.free_bodies) way = std::min(way, way_to(t, i, other, radius));
  for (std::size_t k = 0; k < plan.tails.size(); ++k)
    for (std::size_t piece = 0; piece < s.tails[k].out; ++piece)
      way = std::min(way, way_to(t, i, plan.tails[k].first + piece, radius));
  return way;
}

// Bodies pressed hard against each other are not pushed through a wall either: the share of the
// whole motion that leads no farther than up to the nearest fixed thing.
float room(const Tick& t, std::size_t i) {
  const StateArrays& s = t.s;
  const float way = t.memory.way[i], dt = t.plan.dt;
  const Vec motion =
      dt * Vec{s.vx[i] * way + t.memory.push_x[i], s.vy[i] * way + t.memory.push_y[i]};
  const float size = length(motion);
  if (size < 1e-6f) return 1.0f;
  const Vec direction = (1.0f / size) * motion;
  if (const float far = way_past_fixed(t, i, direction, size, 0.25f * t.plan.shapes[i].inner);
      far > 0.0f)
    return far / size;
  // Close to something already: away from it or along it, but not through. Whose very centre is
  // inside is let out.
  const float far = way_past_fixed(t, i, direction, size, 0.0f);
  return far > 0.0f && far < size ? 0.0f : 1.0f;
}

}  // namespace

void sweep_bodies(const Tick& t) {
  const float least = slightest_push / t.plan.dt;
  for (const std::size_t i : t.plan.free_bodies) {
    const float from = t.plan.body[i].swept_from;
    const float square = t.s.vx[i] * t.s.vx[i] + t.s.vy[i] * t.s.vy[i];
    if (t.s.present[i] == 0) continue;
    if (square > from * from) t.memory.way[i] = free_way(t, i, std::sqrt(square));
    const Vec push{t.memory.push_x[i], t.memory.push_y[i]};
    if (square <= from * from && dot(push, push) <= least * least) continue;
    const float share = room(t, i);
    t.memory.way[i] *= share;
    t.memory.push_x[i] *= share;
    t.memory.push_y[i] *= share;
  }
}

}  // namespace zithercraft::arena_internal
