#include "arena/terrain.hpp"

#include <algorithm>
#include <limits>

namespace zithercraft::arena_internal {
namespace {

constexpr std::int32_t most_squares_along = 1024;

Vec flat(Vec3 v) { return {v.x, v.y}; }

// Where a ray meets a triangle from either side; T. Moeller, B. Trumbore, "Fast, minimum storage
// ray/triangle intersection" (1997).
float meet(const Triangle& t, Vec3 from, Vec3 d) {
  constexpr float never = std::numeric_limits<float>::infinity();
  const Vec3 a = t.corner[1] - t.corner[0], b = t.corner[2] - t.corner[0], p = cross(d, b);
  const float det = dot(a, p);
  if (std::fabs(det) < 1e-12f) return never;
  const float scale = 1.0f / det;
  const Vec3 s = from - t.corner[0];
  const float u = dot(s, p) * scale;
  if (u < 0.0f || u > 1.0f) return never;
  const Vec3 q = cross(s, a);
  const float v = dot(d, q) * scale;
  if (v < 0.0f || u + v > 1.0f) return never;
  const float at = dot(b, q) * scale;
  return at >= 0.0f ? at : never;
}

// The first root at or above 0 of a + 2 b t + c t^2 <= 0, which starts positive.
float first_root(float a, float b, float c) {
  constexpr float never = std::numeric_limits<float>::infinity();
  const float square = b * b - a * c;
  if (c < 1e-12f || square < 0.0f || b > 0.0f) return never;
  return std::max(0.0f, (-b - std::sqrt(square)) / c);
}

float meet_ball_at(Vec3 centre, float radius, Vec3 from, Vec3 d) {
  const Vec3 m = from - centre;
  const float a = dot(m, m) - radius * radius;
  return a <= 0.0f ? 0.0f : first_root(a, dot(m, d), 1.0f);
}

float meet_edge(Vec3 a, Vec3 b, float radius, Vec3 from, Vec3 d) {
  constexpr float never = std::numeric_limits<float>::infinity();
  const Vec3 e = b - a;
  const float size = length(e);
  if (size < 1e-9f) return never;
  const Vec3 axis = (1.0f / size) * e, m = from - a;
  const float along = dot(m, axis), per = dot(d, axis);
  const Vec3 off = m - along * axis, side = d - per * axis;
  const float start = dot(off, off) - radius * radius;
  const float t = start <= 0.0f ? 0.0f : first_root(start, dot(off, side), dot(side, side));
  if (t == never) return never;
  const float at = along + t * per;
  return at >= 0.0f && at <= size ? t : never;
}

float meet_thick(const Triangle& t, float radius, Vec3 from, Vec3 d) {
  const auto& c = t.corner;
  float best = std::numeric_limits<float>::infinity();
  const Vec3 across = cross(c[1] - c[0], c[2] - c[0]);
  const Vec3 n = (1.0f / length(across)) * across;
  const float height = dot(from - c[0], n);
  const float side = height >= 0.0f ? 1.0f : -1.0f;
  Triangle shifted = t;
  for (Vec3& corner : shifted.corner) corner = corner + (side * radius) * n;
  if (std::fabs(height) >= radius) {
    best = meet(shifted, from, d);
  } else if (meet(t, from, (-side) * n) <= radius) {
    return 0.0f;  // already touching the face
  }
  for (std::size_t i = 0; i < 3; ++i) {
    best = std::min(best, meet_ball_at(c[i], radius, from, d));
    best = std::min(best, meet_edge(c[i], c[(i + 1) % 3], radius, from, d));
  }
  return best;
}

}  // namespace

bool Triangle::covers(Vec p) const {
  const Vec a = flat(corner[0]), b = flat(corner[1]), c = flat(corner[2]);
  const float ab = cross(b - a, p - a), bc = cross(c - b, p - b), ca = cross(a - c, p - c);
  return (ab >= 0.0f && bc >= 0.0f && ca >= 0.0f) || (ab <= 0.0f && bc <= 0.0f && ca <= 0.0f);
}

bool make_triangle(const std::array<Vec3, 3>& corner, std::uint32_t entity, Triangle& out) {
  const Vec3 n = cross(corner[1] - corner[0], corner[2] - corner[0]);
  const float size = length(n);
  if (!(size > 1e-9f)) return false;
  out = {.corner = corner, .entity = entity};
  out.low = std::min({corner[0].z, corner[1].z, corner[2].z});
  out.high = std::max({corner[0].z, corner[1].z, corner[2].z});
  const float across = std::sqrt(n.x * n.x + n.y * n.y), up = std::fabs(n.z);
  if (across >= Triangle::upright * up) {
    out.slope = Triangle::upright;
  } else {
    out.slope = across / up;
    out.gradient = {-n.x / n.z, -n.y / n.z};
  }
  return true;
}

std::size_t slice(const Triangle& triangle, float low, float high, std::array<Vec, 8>& corners) {
  std::array<Vec3, 8> part{triangle.corner[0], triangle.corner[1], triangle.corner[2]}, next;
  std::size_t count = 3;
  for (const float sign :
       {1.0f, -1.0f}) {  // first what lies above `low`, then what lies below `high`
    const float limit = sign > 0.0f ? low : -high;
    std::size_t kept = 0;
    for (std::size_t i = 0; i < count; ++i) {
      const Vec3 a = part[i], b = part[(i + 1) % count];
      const float da = sign * a.z - limit, db = sign * b.z - limit;
      if (da >= 0.0f) next[kept++] = a;
      if ((da > 0.0f && db < 0.0f) || (da < 0.0f && db > 0.0f))
        next[kept++] = a + (da / (da - db)) * (b - a);
    }
    part = next;
    count = kept;
    if (count == 0) return 0;
  }
  // Seen from above: neighbours that fall together are one, and what has no area is a segment.
  std::array<Vec, 8> seen;
  std::size_t points = 0;
  float area = 0.0f;
  const auto apart = [](Vec a, Vec b) { return dot(b - a, b - a) > 1e-8f; };
  for (std::size_t i = 0; i < count; ++i)
    if (points == 0 || apart(seen[points - 1], flat(part[i]))) seen[points++] = flat(part[i]);
  while (points > 1 && !apart(seen[points - 1], seen[0])) --points;
  for (std::size_t i = 0; i < points; ++i)
    area += cross(seen[i] - seen[0], seen[(i + 1) % points] - seen[0]);
  if (std::fabs(area) < 1e-4f) {
    std::size_t far_a = 0, far_b = 0;
    float most = 1e-6f;
    for (std::size_t i = 0; i < points; ++i)
      for (std::size_t j = i + 1; j < points; ++j)
        if (const float square = dot(seen[j] - seen[i], seen[j] - seen[i]); square > most) {
          most = square;
          far_a = i;
          far_b = j;
        }
    if (far_a == far_b) return 0;
    corners[0] = seen[far_a];
    corners[1] = seen[far_b];
    return 2;
  }
  for (std::size_t i = 0; i < points; ++i) corners[i] = seen[area > 0.0f ? i : points - 1 - i];
  return points;
}

Terrain::Terrain(std::vector<Triangle> triangles) : triangles_(std::move(triangles)) {
  Vec low{1e9f, 1e9f}, high{-1e9f, -1e9f};
  for (const Triangle& t : triangles_)
    for (const Vec3& c : t.corner) {
      low = {std::min(low.x, c.x), std::min(low.y, c.y)};
      high = {std::max(high.x, c.x), std::max(high.y, c.y)};
    }
  origin_ = low;
  const Vec extent = high - low;
  // About as many squares as triangles.
  const float area = std::max(1e-3f, extent.x) * std::max(1e-3f, extent.y);
  size_ = std::max({1e-3f, std::sqrt(area / static_cast<float>(triangles_.size())),
                    std::max(extent.x, extent.y) / static_cast<float>(most_squares_along)});
  columns_ = std::min(most_squares_along, static_cast<std::int32_t>(extent.x / size_) + 1);
  rows_ = std::min(most_squares_along, static_cast<std::int32_t>(extent.y / size_) + 1);
  const auto each_square = [&](const Triangle& t, const auto& use) {
    const auto [x0, x1] = std::minmax({t.corner[0].x, t.corner[1].x, t.corner[2].x});
    const auto [y0, y1] = std::minmax({t.corner[0].y, t.corner[1].y, t.corner[2].y});
    for (std::int32_t row = row_of(y0); row <= row_of(y1); ++row)
      for (std::int32_t column = column_of(x0); column <= column_of(x1); ++column)
        use(squares_[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns_) +
                     static_cast<std::size_t>(column)]);
  };
  squares_.assign(static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows_), {0, 0});
  for (const Triangle& t : triangles_) each_square(t, [](Square& s) { ++s.stop; });
  std::uint32_t total = 0;
  for (Square& s : squares_) {
    s.first = total;
    total += s.stop;
    s.stop = s.first;
  }
  listed_.resize(total);
  for (std::size_t i = 0; i < triangles_.size(); ++i)
    each_square(triangles_[i],
                [&](Square& s) { listed_[s.stop++] = static_cast<std::uint32_t>(i); });
}

std::int32_t Terrain::column_of(float x) const {
  return static_cast<std::int32_t>(
      std::clamp((x - origin_.x) / size_, 0.0f, static_cast<float>(columns_ - 1)));
}
std::int32_t Terrain::row_of(float y) const {
  return static_cast<std::int32_t>(
      std::clamp((y - origin_.y) / size_, 0.0f, static_cast<float>(rows_ - 1)));
}

const Triangle* Terrain::ground_at(Vec p, float most) const {
  const Square& square =
      squares_[static_cast<std::size_t>(row_of(p.y)) * static_cast<std::size_t>(columns_) +
               static_cast<std::size_t>(column_of(p.x))];
  const Triangle* best = nullptr;
  float highest = -boundless;
  for (std::uint32_t i = square.first; i < square.stop; ++i) {
    const Triangle& t = triangles_[listed_[i]];
    if (t.low > most || t.high <= highest || t.slope >= Triangle::upright || !t.covers(p)) continue;
    const float level = t.level_at(p);
    if (level > most || level <= highest) continue;
    best = &t;
    highest = level;
  }
  return best;
}

const Triangle* Terrain::overhead_at(Vec p, float least) const {
  const Square& square =
      squares_[static_cast<std::size_t>(row_of(p.y)) * static_cast<std::size_t>(columns_) +
               static_cast<std::size_t>(column_of(p.x))];
  const Triangle* best = nullptr;
  float lowest = boundless;
  for (std::uint32_t i = square.first; i < square.stop; ++i) {
    const Triangle& t = triangles_[listed_[i]];
    if (t.high < least || t.low >= lowest || t.slope >= Triangle::upright || !t.covers(p)) continue;
    const float level = t.level_at(p);
    if (level < least || level >= lowest) continue;
    best = &t;
    lowest = level;
  }
  return best;
}

void Terrain::near(Vec low, Vec high, std::vector<std::uint32_t>& found) const {
  found.clear();
  const float wide = static_cast<float>(columns_) * size_, deep = static_cast<float>(rows_) * size_;
  if (high.x < origin_.x || high.y < origin_.y || low.x > origin_.x + wide ||
      low.y > origin_.y + deep)
    return;
  for (std::int32_t row = row_of(low.y); row <= row_of(high.y); ++row)
    for (std::int32_t column = column_of(low.x); column <= column_of(high.x); ++column) {
      const Square& square =
          squares_[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns_) +
                   static_cast<std::size_t>(column)];
      found.insert(found.end(), listed_.begin() + square.first, listed_.begin() + square.stop);
    }
  std::sort(found.begin(), found.end());
  found.erase(std::unique(found.begin(), found.end()), found.end());
}

void Terrain::cast(Vec3 from, Vec3 d, float radius, TagSet wanted, const std::uint8_t* tag_of,
                   float& distance, std::int32_t& entity) const {
  const auto visit = [&](const Square& square) {
    for (std::uint32_t i = square.first; i < square.stop; ++i) {
      const Triangle& t = triangles_[listed_[i]];
      if (!wanted.holds(tag_of[t.entity])) continue;
      const float at = radius > 0.0f ? meet_thick(t, radius, from, d) : meet(t, from, d);
      if (at >= distance) continue;
      distance = at;
      entity = static_cast<std::int32_t>(t.entity);
    }
  };
  const float x1 = from.x + distance * d.x, y1 = from.y + distance * d.y;
  const float wide = static_cast<float>(columns_) * size_, deep = static_cast<float>(rows_) * size_;
  const auto [left, right] = std::minmax(from.x, x1);
  const auto [bottom, top] = std::minmax(from.y, y1);
  if (right + radius < origin_.x || top + radius < origin_.y || left - radius > origin_.x + wide ||
      bottom - radius > origin_.y + deep)
    return;
  // Row by row, the squares that the ray's way through the row can touch; a margin covers rounding.
  const float margin = radius + 1e-3f * size_;
  const std::int32_t row0 = row_of(bottom - margin), row1 = row_of(top + margin);
  const float slope = std::fabs(d.y) > 1e-6f ? d.x / d.y : 0.0f;
  const bool level = std::fabs(d.y) <= 1e-6f;
  const bool up = d.y >= 0.0f;
  for (std::int32_t k = 0; k <= row1 - row0; ++k) {
    const std::int32_t row = up ? row0 + k : row1 - k;
    const float low = origin_.y + static_cast<float>(row) * size_ - margin,
                high = low + size_ + 2.0f * margin;
    const float near_y = up ? low : high;
    // Nothing in this row or beyond can lie nearer than the row itself.
    if (!level && (near_y - from.y) / d.y > distance) return;
    float a = left, b = right;
    if (!level) {
      const float xa = from.x + (low - from.y) * slope, xb = from.x + (high - from.y) * slope;
      a = std::max(left, std::min(xa, xb));
      b = std::min(right, std::max(xa, xb));
    }
    if (b < a) continue;
    const std::int32_t column0 = column_of(a - margin), column1 = column_of(b + margin);
    for (std::int32_t c = 0; c <= column1 - column0; ++c) {
      const std::int32_t column = d.x >= 0.0f ? column0 + c : column1 - c;
      visit(squares_[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns_) +
                     static_cast<std::size_t>(column)]);
    }
  }
}

}  // namespace zithercraft::arena_internal
