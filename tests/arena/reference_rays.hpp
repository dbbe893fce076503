#pragma once

// Plain casts in double precision: every side of every thing is tried.

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "worlds.hpp"

namespace zithercraft::test {

constexpr double infinite = std::numeric_limits<double>::infinity();

/// A closed or open chain of sides, swollen by a radius; one point is a disc.
struct Thing {
  std::vector<Point> corners{};
  double radius = 0;
  bool closed = false, solid = true;
  EntityId entity{};
};

struct Ray {
  double x, y, dx, dy;
};

// Where a ray enters and leaves the circle, if it does at all.
inline void cross_circle(const Ray& r, const Point& c, double radius, double& in, double& out) {
  const double x = c[0] - r.x, y = c[1] - r.y, b = x * r.dx + y * r.dy;
  const double off = x * r.dy - y * r.dx, square = radius * radius - off * off;
  if (radius <= 0 || square < 0) return;
  in = std::min(in, b - std::sqrt(square));
  out = std::max(out, b + std::sqrt(square));
}

inline void cross_segment(const Ray& r, double ax, double ay, double bx, double by, double& in,
                          double& out) {
  const double ex = bx - ax, ey = by - ay, below = r.dx * ey - r.dy * ex;
  if (std::fabs(below) < 1e-12) return;
  const double x = ax - r.x, y = ay - r.y, t = (x * ey - y * ex) / below,
               u = (x * r.dy - y * r.dx) / below;
  if (u < 0 || u > 1) return;
  in = std::min(in, t);
  out = std::max(out, t);
}

// Where a ray first and last crosses the outline of a thing swollen by `swell`.
inline void cross(const Thing& thing, const Ray& r, double swell, double& in, double& out) {
  const double radius = thing.radius + swell;
  const std::size_t n = thing.corners.size();
  for (const Point& c : thing.corners) cross_circle(r, c, radius, in, out);
  for (std::size_t i = 0; i + (thing.closed ? 0 : 1) < n; ++i) {
    const Point &a = thing.corners[i], &b = thing.corners[(i + 1) % n];
    const double ex = b[0] - a[0], ey = b[1] - a[1], size = std::hypot(ex, ey);
    const double nx = ey / size * radius, ny = -ex / size * radius;
    cross_segment(r, a[0] + nx, a[1] + ny, b[0] + nx, b[1] + ny, in, out);
    if (radius != 0 && !thing.closed)
      cross_segment(r, a[0] - nx, a[1] - ny, b[0] - nx, b[1] - ny, in, out);
  }
}

// Distance to the thing's outline, or 0 for a solid thing around the origin; `swell` is added to
// its radius.
inline double distance_to(const Thing& thing, const Ray& r, double swell) {
  double in = infinite, out = -infinite;
  cross(thing, r, swell, in, out);
  // A wall made thinner than nothing: both its shifted lines have to be crossed.
  if (thing.radius + swell < 0 && !thing.closed) return in < out && in >= 0 ? out : infinite;
  if (out < 0) return infinite;
  if (in >= 0) return in;
  return thing.solid ? 0 : out;
}

/// The shape an entity with a pose was made with.
inline const Shape& shape_of(const Arena& arena, EntityId e) {
  const Entity& entity = arena.entity(e);
  return entity.kind == EntityKind::zone   ? arena.spec().zones[entity.spec_index].shape
         : entity.kind == EntityKind::item ? arena.spec().items[entity.spec_index].shape
                                           : arena.spec().bodies[entity.spec_index].shape;
}

/// The outline of an entity with a pose, seen from above.
inline void set_outline(World& world, EntityId e, Thing& thing) {
  const Pose pose = world.pose(e);
  const Point centre{static_cast<double>(pose.x), static_cast<double>(pose.y)};
  const auto at = [&](double along, double across) -> Point {
    const double c = static_cast<double>(pose.cos), s = static_cast<double>(pose.sin);
    return {centre[0] + c * along - s * across, centre[1] + s * along + c * across};
  };
  const Shape& shape = shape_of(world.arena, e);
  if (const auto* disc = std::get_if<Disc>(&shape)) {
    thing.corners = {centre};
    thing.radius = disc->radius;
  } else if (const auto* ball = std::get_if<Ball>(&shape)) {
    thing.corners = {centre};
    thing.radius = ball->radius;
  } else if (const auto* capsule = std::get_if<Capsule>(&shape)) {
    const double half = capsule->length / 2 - capsule->radius;
    thing.corners = {at(-half, 0), at(half, 0)};
    thing.radius = capsule->radius;
  } else {
    thing.corners = world.arena.outline(world.state(), e);
    thing.closed = true;
  }
}

}  // namespace zithercraft::test
