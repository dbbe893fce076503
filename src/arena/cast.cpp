#include "cast.hpp"

#include <algorithm>

// For each thing near enough, all rays of the fan are tried at once: the loops below have no branches, so the compiler
// turns them into vector code, and each ray's arithmetic is the same whatever the vector width.

namespace zithercraft {
namespace {

constexpr float tiny = 1e-12f;

float away_from_zero(float v) { return v >= 0.0f ? std::max(v, tiny) : std::min(v, -tiny); }

struct Fan {
  const float* dx;
  const float* dy;
  std::size_t count;
  float* __restrict best;
  std::int32_t* __restrict who;
};

void hit_everywhere(const Fan& fan, std::int32_t entity) {
  std::fill_n(fan.best, fan.count, 0.0f);
  std::fill_n(fan.who, fan.count, entity);
}

/// A box whose frame is (c, s) around an origin at (ox, oy) in that frame. `from_within`: the far side counts.
void hit_box(const Fan& fan, float c, float s, float ox, float oy, float hx, float hy, bool from_within,
             std::int32_t entity) {
  const float within = from_within ? 1.0f : 0.0f;
  const float *dx = fan.dx, *dy = fan.dy;
  float* __restrict best = fan.best;
  std::int32_t* __restrict who = fan.who;
  for (std::size_t i = 0; i < fan.count; ++i) {
    const float lx = away_from_zero(c * dx[i] + s * dy[i]), ly = away_from_zero(c * dy[i] - s * dx[i]);
    const float ix = 1.0f / lx, iy = 1.0f / ly;
    const float x0 = (-hx - ox) * ix, x1 = (hx - ox) * ix, y0 = (-hy - oy) * iy, y1 = (hy - oy) * iy;
    const float near = std::max(std::min(x0, x1), std::min(y0, y1));
    const float far = std::min(std::max(x0, x1), std::max(y0, y1));
    const float t = near >= 0.0f ? near : far * within;
    const bool hit = (near <= far) & (far >= 0.0f) & (t < best[i]);
    best[i] = hit ? t : best[i];
    who[i] = hit ? entity : who[i];
  }
}

/// A circle at (cx, cy) relative to the origin.
void hit_circle(const Fan& fan, float cx, float cy, float radius, bool from_within, std::int32_t entity) {
  const float c = cx * cx + cy * cy - radius * radius;
  const float within = from_within ? 1.0f : 0.0f;
  const float *dx = fan.dx, *dy = fan.dy;
  float* __restrict best = fan.best;
  std::int32_t* __restrict who = fan.who;
  for (std::size_t i = 0; i < fan.count; ++i) {
    const float b = cx * dx[i] + cy * dy[i];
    const float square = b * b - c;
    const float root = std::sqrt(std::max(square, 0.0f));
    const float near = b - root, far = b + root;
    const float t = near >= 0.0f ? near : far * within;
    const bool hit = (square >= 0.0f) & (far >= 0.0f) & (t < best[i]);
    best[i] = hit ? t : best[i];
    who[i] = hit ? entity : who[i];
  }
}

/// A segment from (ax, ay) along (ex, ey), relative to the origin.
void hit_segment(const Fan& fan, float ax, float ay, float ex, float ey, std::int32_t entity) {
  const float side = ax * ey - ay * ex;
  const float *dx = fan.dx, *dy = fan.dy;
  float* __restrict best = fan.best;
  std::int32_t* __restrict who = fan.who;
  for (std::size_t i = 0; i < fan.count; ++i) {
    const float scale = 1.0f / away_from_zero(dx[i] * ey - dy[i] * ex);
    const float t = side * scale, u = (ax * dy[i] - ay * dx[i]) * scale;
    const bool hit = (t >= 0.0f) & (u >= 0.0f) & (u <= 1.0f) & (t < best[i]);
    best[i] = hit ? t : best[i];
    who[i] = hit ? entity : who[i];
  }
}

/// The outline of a convex core swollen by `radius`, met from outside: corner circles and shifted sides.
void hit_swollen(const Fan& fan, Vec origin, const Core& core, float radius, std::int32_t entity) {
  for (std::size_t i = 0; i < core.corners; ++i) {
    const Vec a = core.corner[i] - origin, e = core.corner[(i + 1) % core.corners] - core.corner[i];
    if (radius > 0.0f) hit_circle(fan, a.x, a.y, radius, false, entity);
    const float size = length(e);
    if (size < 1e-6f) continue;
    const Vec out = (radius / size) * Vec{e.y, -e.x};  // corners run counter-clockwise
    hit_segment(fan, a.x + out.x, a.y + out.y, e.x, e.y, entity);
  }
}

/// The same outline met from inside. The shape is convex, so a ray leaves it where it last crosses any of its parts.
void leave_swollen(const Fan& fan, Vec origin, const Core& core, float radius, std::int32_t entity) {
  for (std::size_t ray = 0; ray < fan.count; ++ray) {
    const Vec d{fan.dx[ray], fan.dy[ray]};
    float last = 0.0f;
    for (std::size_t i = 0; i < core.corners; ++i) {
      const Vec a = core.corner[i] - origin, e = core.corner[(i + 1) % core.corners] - core.corner[i];
      const float b = dot(a, d), square = b * b - dot(a, a) + radius * radius;
      if (square >= 0.0f) last = std::max(last, b + std::sqrt(square));
      const float size = length(e);
      if (size < 1e-6f) continue;
      const Vec shifted = a + (radius / size) * Vec{e.y, -e.x};
      const float scale = 1.0f / away_from_zero(cross(d, e));
      const float u = cross(shifted, d) * scale;
      if (u >= 0.0f && u <= 1.0f) last = std::max(last, cross(shifted, e) * scale);
    }
    if (last < fan.best[ray]) {
      fan.best[ray] = last;
      fan.who[ray] = entity;
    }
  }
}

class Caster {
 public:
  Caster(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays, const Fan& fan)
      : plan_(plan), s_(s), rays_(rays), fan_(fan), origin_{rays.x, rays.y}, swell_(0.5f * rays.thickness) {}

  void cast() {
    const std::size_t posed = plan_.bodies + plan_.zones;
    for (std::size_t e = 0; e < posed; ++e)
      if (wanted(e) && near(e)) meet_shape(e);
    for (const WallPiece& piece : plan_.pieces)
      if (wanted(piece.entity)) meet_wall(piece);
  }

 private:
  bool wanted(std::size_t entity) const {
    return ((rays_.tags >> plan_.entities[entity].tag) & 1u) != 0 && static_cast<std::int32_t>(entity) != rays_.exclude;
  }

  bool near(std::size_t e) const {
    const Vec d{s_.x[e] - origin_.x, s_.y[e] - origin_.y};
    const float most = rays_.reach + plan_.shapes[e].bound + swell_;
    return dot(d, d) <= most * most;
  }

  void meet_shape(std::size_t e) const {
    const ShapeData& shape = plan_.shapes[e];
    const Pose pose = s_.pose(e);
    const auto id = static_cast<std::int32_t>(e);
    const bool zone = e >= plan_.bodies;
    ShapeData swollen = shape;
    swollen.radius += swell_;
    if (!zone && contains(swollen, pose, origin_)) return hit_everywhere(fan_, id);
    const Vec d = Vec{pose.x, pose.y} - origin_;
    if (shape.corners == 1) return hit_circle(fan_, d.x, d.y, swollen.radius, zone, id);
    if (shape.corners == 4 && swollen.radius == 0.0f)
      return hit_box(fan_, pose.cos, pose.sin, -(pose.cos * d.x + pose.sin * d.y), pose.sin * d.x - pose.cos * d.y,
                     shape.half_length, shape.half_width, zone, id);
    const auto meet = contains(swollen, pose, origin_) ? leave_swollen : hit_swollen;
    meet(fan_, origin_, core_of(shape, pose), swollen.radius, id);
  }

  void meet_wall(const WallPiece& piece) const {
    const auto id = static_cast<std::int32_t>(piece.entity);
    const Vec a = piece.from - origin_, e = piece.to - piece.from;
    if (swell_ == 0.0f) return hit_segment(fan_, a.x, a.y, e.x, e.y, id);
    const float half = 0.5f * length(e);
    const ShapeData shape{.corners = 2, .half_length = half, .radius = swell_};
    const Vec mid = piece.from + 0.5f * e;
    const Vec ahead = (0.5f / half) * e;
    if (contains(shape, {.x = mid.x, .y = mid.y, .cos = ahead.x, .sin = ahead.y}, origin_))
      return hit_everywhere(fan_, id);
    hit_swollen(fan_, origin_, piece.core, swell_, id);
  }

  const ArenaPlan& plan_;
  const StateArrays& s_;
  const RayFanQuery& rays_;
  const Fan& fan_;
  Vec origin_;
  float swell_;
};

}  // namespace

void cast_rays(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays, std::span<float> distance,
               std::span<std::int32_t> entity) {
  const Fan fan{rays.direction_x.data(), rays.direction_y.data(), rays.direction_x.size(), distance.data(),
                entity.data()};
  std::fill_n(fan.best, fan.count, rays.reach);
  std::fill_n(fan.who, fan.count, -1);
  Caster(plan, s, rays, fan).cast();
}

}  // namespace zithercraft
