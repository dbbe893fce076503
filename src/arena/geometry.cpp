#include "arena/geometry.hpp"

#include <algorithm>
#include <limits>
#include <variant>

#include "zithercraft/base/exact.hpp"

namespace zithercraft::arena_internal {
namespace {

constexpr float infinite = std::numeric_limits<float>::infinity();
// Metres by which a side may be tilted and still count as lying flat.
constexpr float flatness = 0.01f;

struct Measure {
  ShapeData operator()(const Disc& s) const {
    const auto r = static_cast<float>(s.radius);
    return {.form = Form::disc,
            .corners = 1,
            .radius = r,
            .bound = r,
            .inner = r,
            .inertia_per_mass = 0.5f * r * r};
  }
  ShapeData operator()(const Ball& s) const {
    ShapeData shape = (*this)(Disc{s.radius});
    shape.form = Form::ball;
    return shape;
  }
  ShapeData operator()(const Capsule& s) const {
    // A rectangle between two half discs, whose centres of mass lie 4 r / (3 pi) beyond its ends.
    const double r = s.radius, h = 0.5 * s.length - r;
    const double flat = 4.0 * h * r, round = exact::pi * r * r,
                 beyond = 4.0 * r / (3.0 * exact::pi);
    const double about_own_centre = 0.5 * r * r - beyond * beyond;
    const double inertia =
        flat * (h * h + r * r) / 3.0 + round * (about_own_centre + (h + beyond) * (h + beyond));
    return {.form = Form::capsule,
            .corners = 2,
            .half_length = static_cast<float>(h),
            .radius = static_cast<float>(r),
            .bound = static_cast<float>(h + r),
            .inner = static_cast<float>(r),
            .inertia_per_mass = static_cast<float>(inertia / (flat + round))};
  }
  ShapeData operator()(const Box& s) const {
    const float h = static_cast<float>(s.length) * 0.5f, w = static_cast<float>(s.width) * 0.5f;
    return {.form = Form::box,
            .corners = 4,
            .half_length = h,
            .half_width = w,
            .bound = std::sqrt(h * h + w * w),
            .inner = std::min(h, w),
            .inertia_per_mass = (h * h + w * w) / 3.0f};
  }
  ShapeData operator()(const Outline& s) const {
    double area = 0.0, mx = 0.0, my = 0.0;  // twice the area, six times the moments
    const std::size_t n = s.corners.size();
    for (std::size_t i = 0; i < n; ++i) {
      const auto& [ax, ay] = s.corners[i];
      const auto& [bx, by] = s.corners[(i + 1) % n];
      const double part = ax * by - ay * bx;
      area += part;
      mx += part * (ax + bx);
      my += part * (ay + by);
    }
    const double cx = mx / (3.0 * area), cy = my / (3.0 * area);
    ShapeData shape{.form = Form::outline, .corners = n};
    double inertia = 0.0;
    for (std::size_t i = 0; i < n; ++i) {
      const double ax = s.corners[i][0] - cx, ay = s.corners[i][1] - cy;
      const double bx = s.corners[(i + 1) % n][0] - cx, by = s.corners[(i + 1) % n][1] - cy;
      inertia += (ax * by - ay * bx) * (ax * ax + ax * bx + bx * bx + ay * ay + ay * by + by * by);
      const float x = static_cast<float>(ax), y = static_cast<float>(ay);
      shape.local[i] = {x, y};
      shape.half_length = std::max(shape.half_length, std::fabs(x));
      shape.half_width = std::max(shape.half_width, std::fabs(y));
      shape.bound = std::max(shape.bound, std::sqrt(x * x + y * y));
      const double side =
          (ax * by - ay * bx) / std::sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay));
      shape.inner =
          i == 0 ? static_cast<float>(side) : std::min(shape.inner, static_cast<float>(side));
    }
    shape.inertia_per_mass = static_cast<float>(inertia / (6.0 * area));
    return shape;
  }
};

// Closest point to p on the segment from a to b.
Vec closest_on(Vec a, Vec b, Vec p) {
  const Vec along = b - a;
  const float square = dot(along, along);
  const float t = square > 0.0f ? std::clamp(dot(p - a, along) / square, 0.0f, 1.0f) : 0.0f;
  return a + t * along;
}

struct Nearest {
  float square = infinite;
  Vec on_corner, on_side;
};

// The nearest pair of (corner of a, point on a side of b).
Nearest nearest_pair(const Core& a, const Core& b) {
  Nearest best;
  for (std::size_t i = 0; i < a.corners; ++i)
    for (std::size_t j = 0; j < b.corners; ++j) {
      const Vec q = closest_on(b.corner[j], b.corner[(j + 1) % b.corners], a.corner[i]);
      const Vec d = q - a.corner[i];
      if (const float square = dot(d, d); square < best.square) best = {square, a.corner[i], q};
    }
  return best;
}

struct Axis {
  float separation = -infinite;
  Vec normal{1.0f, 0.0f};
};

// The side of a from which b is farthest.
Axis best_axis(const Core& a, const Core& b) {
  Axis best;
  for (std::size_t i = 0; i < a.axes; ++i) {
    float low = infinite;
    for (std::size_t j = 0; j < b.corners; ++j) low = std::min(low, dot(a.axis[i], b.corner[j]));
    if (const float separation = low - a.offset[i]; separation > best.separation)
      best = {separation, a.axis[i]};
  }
  return best;
}

// Separating-axis test of the cores: separation is below the true distance where they are apart.
Axis separating_axis(const Core& a, const Core& b) {
  const Axis of_a = best_axis(a, b);
  const Axis of_b = best_axis(b, a);
  // Prefer the first unless the second is clearly better, so that rounding does not flip the choice
  // from tick to tick.
  if (of_b.separation > of_a.separation + 1e-4f)
    return {of_b.separation, {-of_b.normal.x, -of_b.normal.y}};
  return of_a;
}

Gap gap_of_cores(const Core& a, const Core& b, const Axis& axis) {
  const bool points = a.axes == 0 && b.axes == 0;
  if (axis.separation <= 0.0f && !points) return {axis.separation, axis.normal};
  const Nearest ab = nearest_pair(a, b), ba = nearest_pair(b, a);
  const bool first = ab.square <= ba.square;
  const Vec d = first ? ab.on_side - ab.on_corner : ba.on_corner - ba.on_side;
  const float distance = length(d);
  if (distance < 1e-6f) return {0.0f, points ? Vec{1.0f, 0.0f} : axis.normal};
  return {distance, (1.0f / distance) * d};
}

// The stretch of a shape's side that faces `direction`: its end points, equal if a corner faces it.
struct Support {
  Vec low, high;  // ordered along the tangent
  bool flat = false;
};

Support support(const Core& core, Vec direction) {
  const Vec tangent{-direction.y, direction.x};
  float top = -infinite;
  for (std::size_t i = 0; i < core.corners; ++i)
    top = std::max(top, dot(direction, core.corner[i]));
  Support found;
  float low = infinite, high = -infinite;
  for (std::size_t i = 0; i < core.corners; ++i) {
    if (dot(direction, core.corner[i]) < top - flatness) continue;
    const float t = dot(tangent, core.corner[i]);
    if (t < low) {
      low = t;
      found.low = core.corner[i];
    }
    if (t > high) {
      high = t;
      found.high = core.corner[i];
    }
  }
  found.flat = high - low > 2.0f * flatness;
  return found;
}

void find_axes(Core& core) {
  core.axes = core.corners;
  for (std::size_t i = 0; i < core.corners; ++i) {
    const Vec side = core.corner[(i + 1) % core.corners] - core.corner[i];
    core.axis[i] = (1.0f / length(side)) * Vec{side.y, -side.x};
    core.offset[i] = dot(core.axis[i], core.corner[i]);
  }
}

// Height above the origin along `normal` of the chord low-high at tangent coordinate t.
float height_at(const Support& s, Vec normal, Vec tangent, float t) {
  const float t0 = dot(tangent, s.low), t1 = dot(tangent, s.high);
  const float h0 = dot(normal, s.low), h1 = dot(normal, s.high);
  return t1 - t0 > 1e-6f ? h0 + (h1 - h0) * ((t - t0) / (t1 - t0)) : h0;
}

}  // namespace

ShapeData shape_data(const Shape& shape) { return std::visit(Measure{}, shape); }

Core core_of(const ShapeData& shape, const Pose& pose) {
  Core core;
  core.corners = shape.corners;
  core.radius = shape.radius;
  const Vec centre{pose.x, pose.y}, ahead{pose.cos, pose.sin}, left{-pose.sin, pose.cos};
  if (shape.form == Form::outline) {
    for (std::size_t i = 0; i < shape.corners; ++i) {
      const Vec v = shape.local[i];
      core.corner[i] = centre + v.x * ahead + v.y * left;
    }
    find_axes(core);
    return core;
  }
  const Vec l = shape.half_length * ahead, w = shape.half_width * left;
  switch (shape.form) {
    case Form::disc:
    case Form::ball: core.corner[0] = centre; return core;
    case Form::capsule: core.corner = {centre - l, centre + l}; break;
    default: core.corner = {centre - l - w, centre + l - w, centre + l + w, centre - l + w}; break;
  }
  core.axes = 4;
  core.axis = {ahead, left, Vec{-ahead.x, -ahead.y}, Vec{-left.x, -left.y}};
  const float along = dot(centre, ahead), across = dot(centre, left);
  core.offset = {along + shape.half_length, across + shape.half_width, shape.half_length - along,
                 shape.half_width - across};
  return core;
}

Core core_of_segment(Vec a, Vec b) {
  const Vec d = b - a;
  const float long_ = length(d);
  const Vec ahead = (1.0f / long_) * d, mid = 0.5f * (a + b);
  return core_of({.form = Form::capsule, .corners = 2, .half_length = 0.5f * long_},
                 {.x = mid.x, .y = mid.y, .cos = ahead.x, .sin = ahead.y});
}

Core core_of_polygon(const Vec* corners, std::size_t count) {
  if (count == 2) return core_of_segment(corners[0], corners[1]);
  Core core;
  core.corners = count;
  std::copy_n(corners, count, core.corner.begin());
  find_axes(core);
  return core;
}

Core core_of_cells(Vec low, Vec high) {
  const Vec mid = 0.5f * (low + high), half = 0.5f * (high - low);
  return core_of({.form = Form::box, .corners = 4, .half_length = half.x, .half_width = half.y},
                 {.x = mid.x, .y = mid.y});
}

Gap gap_between(const Core& a, const Core& b) {
  Gap gap = gap_of_cores(a, b, separating_axis(a, b));
  gap.distance -= a.radius + b.radius;
  return gap;
}

bool collide(const Core& a, const Core& b, Manifold& out) {
  const float rounding = a.radius + b.radius;
  const Axis axis = separating_axis(a, b);
  if (axis.separation >= rounding) return false;
  const Gap gap = gap_of_cores(a, b, axis);
  if (gap.distance >= rounding) return false;

  const Vec n = gap.normal, tangent{-n.y, n.x};
  const Support on_a = support(a, n), on_b = support(b, {-n.x, -n.y});
  out.normal = n;
  out.points = 0;
  if (on_a.flat && on_b.flat) {
    // b's support was ordered along the opposite tangent.
    const Support facing{on_b.high, on_b.low, true};
    const float from = std::max(dot(tangent, on_a.low), dot(tangent, facing.low));
    const float to = std::min(dot(tangent, on_a.high), dot(tangent, facing.high));
    if (to - from > 2.0f * flatness) {
      for (const float t : {from, to}) {
        const float ha = height_at(on_a, n, tangent, t) + a.radius,
                    hb = height_at(facing, n, tangent, t) - b.radius;
        out.point[out.points] = t * tangent + (0.5f * (ha + hb)) * n;
        out.depth[out.points] = std::max(0.0f, ha - hb);
        ++out.points;
      }
      return true;
    }
  }
  // A corner touches: the contact lies under whichever shape shows a corner rather than a side.
  const Vec corner_a = on_a.low, corner_b = on_b.low;
  Vec point;
  if (!on_b.flat) {
    point = corner_b - (b.radius + 0.5f * (gap.distance - rounding)) * n;
  } else {
    point = corner_a + (a.radius + 0.5f * (gap.distance - rounding)) * n;
  }
  out.points = 1;
  out.point[0] = point;
  out.depth[0] = rounding - gap.distance;
  return true;
}

bool contains(const ShapeData& shape, const Pose& pose, Vec point) {
  const Vec d = point - Vec{pose.x, pose.y};
  if (dot(d, d) > shape.bound * shape.bound) return false;
  const float x = dot(d, {pose.cos, pose.sin}), y = cross({pose.cos, pose.sin}, d);
  if (shape.form == Form::outline) {
    float beyond = -infinite;  // largest distance outside a side's line
    float square = infinite;
    for (std::size_t i = 0; i < shape.corners; ++i) {
      const Vec a = shape.local[i], b = shape.local[(i + 1) % shape.corners], side = b - a;
      beyond = std::max(beyond, cross(Vec{x, y} - a, side) / length(side));
      const Vec off = closest_on(a, b, {x, y}) - Vec{x, y};
      square = std::min(square, dot(off, off));
    }
    return beyond <= 0.0f || square <= shape.radius * shape.radius;
  }
  const float past = std::max(0.0f, std::fabs(x) - shape.half_length);
  const float beside = std::max(0.0f, std::fabs(y) - shape.half_width);
  return past * past + beside * beside <= shape.radius * shape.radius;
}

}  // namespace zithercraft::arena_internal
