#include <algorithm>
#include <array>
#include <cstring>
#include <limits>

#include "arena/blocks.hpp"
#include "arena/casts/cast.hpp"
#include "arena/casts/cast_cells.hpp"
#include "arena/eight.hpp"

// As over the plane (cast.cpp), rays are taken in blocks of eight, and only what a block's cone can
// meet is tried. Every upright shape is met where the stretch of the ray within its outline and the
// stretch between its foot and its top overlap.

namespace zithercraft::arena_internal {
namespace {

constexpr std::size_t most_rays = 64, block_rays = 8, most_blocks = most_rays / block_rays;
constexpr std::size_t most_near = 256, padding = 8;
constexpr float infinite = std::numeric_limits<float>::infinity();

/// Eight rays, the closest hits so far, and the cone that holds them all.
struct Block {
  F8 dx, dy, dz, best;
  I8 who;
  F8 per_level, per_z;  // 1 / (dx2 + dy2), 1 / dz
  Vec3 middle;
  float cos_half, sin_half;
  float always;  // 0, or so much that the cone holds everything
};

/// Things near the origin: the middles of balls around them, the length of the tangent to that
/// ball, and its radius, as seen from the origin.
struct Nearby {
  std::array<float, most_near + padding> x, y, z, tangent, radius;
  std::array<std::uint32_t, most_near + padding> thing;
  std::size_t count = 0;

  void add(Vec3 middle, float bound, std::size_t number) {
    x[count] = middle.x;
    y[count] = middle.y;
    z[count] = middle.z;
    radius[count] = bound;
    thing[count] = static_cast<std::uint32_t>(number);
    ++count;
  }

  void measure() {
    for (std::size_t i = count; i < count + padding; ++i) {
      x[i] = std::numeric_limits<float>::quiet_NaN();  // compares as false: is not picked
      y[i] = z[i] = radius[i] = 0.0f;
    }
    const F8 zero = all(0.0f);
    for (std::size_t i = 0; i < count; i += 8) {
      const F8 cx = load(&x[i]), cy = load(&y[i]), cz = load(&z[i]), bound = load(&radius[i]);
      const F8 square = cx * cx + cy * cy + cz * cz, inner = bound * bound;
      // From near by, a thing spans so wide an angle that every block has to try it.
      const I8 close = square < all(1.5f) * inner;
      store(&tangent[i], close ? all(-1e12f) : root(higher(square - inner, zero)));
    }
  }

  std::size_t pick(const Block& block, std::array<std::uint32_t, most_near + padding>& list) const {
    const F8 c = all(block.cos_half), s = all(block.sin_half);
    const F8 mx = all(block.middle.x), my = all(block.middle.y), mz = all(block.middle.z);
    const F8 least = all(1e-4f + block.always), share = all(1e-4f);
    std::size_t n = 0;
    for (std::size_t i = 0; i < count; i += 8) {
      const F8 cx = load(&x[i]), cy = load(&y[i]), cz = load(&z[i]);
      const F8 slack = share * (size_of(cx) + size_of(cy) + size_of(cz)) + least;
      const I8 keep =
          cx * mx + cy * my + cz * mz >= load(&tangent[i]) * c - load(&radius[i]) * s - slack;
      if (any(keep)) n = gather_set(keep, i, list.data(), n);
    }
    return n;
  }
};

ZITHERCRAFT_INLINE void take(Block& block, I8 hit, F8 t, std::int32_t entity) {
  hit &= t < block.best;
  block.best = hit ? t : block.best;
  block.who = hit ? all(entity) : block.who;
}

/// What upright things share: the levels of foot and top as seen from the origin.
struct Upright {
  float low, high;
  float within;  // 1 if the far side counts for rays that start inside
  std::int32_t entity;
};

// `near` to `far` is the stretch of each ray within the outline.
ZITHERCRAFT_INLINE void meet_upright(Block& block, const Upright& o, F8 near, F8 far) {
  const F8 a = all(o.low) * block.per_z, b = all(o.high) * block.per_z, zero = all(0.0f);
  near = higher(near, lower(a, b));
  far = lower(far, higher(a, b));
  take(block, (near <= far) & (far >= zero), near >= zero ? near : far * all(o.within), o.entity);
}

struct Sphere {
  Vec3 c;
  float radius, within;
  std::int32_t entity;
};

ZITHERCRAFT_INLINE void meet(Block& block, const Sphere& o) {
  const F8 cx = all(o.c.x), cy = all(o.c.y), cz = all(o.c.z), zero = all(0.0f);
  const F8 b = cx * block.dx + cy * block.dy + cz * block.dz;
  const F8 px = cx - b * block.dx, py = cy - b * block.dy, pz = cz - b * block.dz;
  const F8 square = all(o.radius * o.radius) - (px * px + py * py + pz * pz);
  const F8 half = root(higher(square, zero)), near = b - half, far = b + half;
  take(block, (square >= zero) & (far >= zero), near >= zero ? near : far * all(o.within),
       o.entity);
}

struct Pillar {
  Upright upright;
  float cx, cy, radius;
};

ZITHERCRAFT_INLINE void meet(Block& block, const Pillar& o) {
  const F8 zero = all(0.0f), level = block.dx * block.dx + block.dy * block.dy;
  const F8 b = all(o.cx) * block.dx + all(o.cy) * block.dy,
           off = all(o.cx) * block.dy - all(o.cy) * block.dx;
  const F8 square = all(o.radius * o.radius) * level - off * off;
  const F8 half = root(higher(square, zero));
  const I8 crossed = square >= zero;
  meet_upright(block, o.upright, crossed ? (b - half) * block.per_level : all(infinite),
               crossed ? (b + half) * block.per_level : all(-infinite));
}

struct Crate {  // an upright box
  Upright upright;
  float c, s, ox, oy, hx, hy;  // its frame, the origin in that frame, its half sides
};

ZITHERCRAFT_INLINE void meet(Block& block, const Crate& o) {
  const F8 c = all(o.c), s = all(o.s);
  const F8 ix = all(1.0f) / off_zero(c * block.dx + s * block.dy),
           iy = all(1.0f) / off_zero(c * block.dy - s * block.dx);
  const F8 x0 = all(-o.hx - o.ox) * ix, x1 = all(o.hx - o.ox) * ix;
  const F8 y0 = all(-o.hy - o.oy) * iy, y1 = all(o.hy - o.oy) * iy;
  meet_upright(block, o.upright, higher(lower(x0, x1), lower(y0, y1)),
               lower(higher(x0, x1), higher(y0, y1)));
}

/// A core with rounding, as seen from the origin.
struct Prism {
  Upright upright;
  Core core;
};

ZITHERCRAFT_INLINE void meet(Block& block, const Prism& o) {
  const F8 zero = all(0.0f), level = block.dx * block.dx + block.dy * block.dy;
  F8 near = all(infinite), far = all(-infinite);
  const float radius = o.core.radius;
  for (std::size_t i = 0; i < o.core.corners; ++i) {
    const Vec p = o.core.corner[i];
    if (radius > 0.0f) {
      const F8 b = all(p.x) * block.dx + all(p.y) * block.dy,
               off = all(p.x) * block.dy - all(p.y) * block.dx;
      const F8 square = all(radius * radius) * level - off * off, half = root(higher(square, zero));
      const I8 crossed = square >= zero;
      near = crossed ? lower(near, (b - half) * block.per_level) : near;
      far = crossed ? higher(far, (b + half) * block.per_level) : far;
    }
    if (o.core.corners == 1) break;
    const Vec e = o.core.corner[(i + 1) % o.core.corners] - p;
    const float size = length(e);
    const Vec a = p + (size > 1e-6f ? radius / size : 0.0f) * Vec{e.y, -e.x};  // counter-clockwise
    const F8 scale = all(1.0f) / off_zero(block.dx * all(e.y) - block.dy * all(e.x));
    const F8 t = all(cross(a, e)) * scale, u = (all(a.x) * block.dy - all(a.y) * block.dx) * scale;
    const I8 crossed = (u >= zero) & (u <= all(1.0f));
    near = crossed ? lower(near, t) : near;
    far = crossed ? higher(far, t) : far;
  }
  meet_upright(block, o.upright, near, far);
}

class SpaceCaster {
 public:
  SpaceCaster(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays,
              std::size_t first, std::size_t count, CastScope scope)
      : plan_(plan),
        s_(s),
        rays_(rays),
        blocks_((count + block_rays - 1) / block_rays),
        scope_(scope),
        origin_{rays.x, rays.y},
        z_(rays.z),
        swell_(0.5f * rays.thickness) {
    for (std::size_t b = 0; b < blocks_; ++b)
      open(block_[b], first + b * block_rays, first + count);
  }

  void cast(std::span<float> distance, std::span<std::int32_t> entity) {
    for (const TagRun& run : plan_.runs)
      if (is_met(plan_, run, rays_, scope_)) gather(run);
    for (std::size_t i = 0; i < plan_.pieces.size(); ++i)
      if (stands(plan_, s_, plan_.pieces[i])) gather_wall(i);
    meet_gathered();
    if (plan_.has_cells() && swell_ > 0.0f) meet_thick_cells();
    if (plan_.has_blocks()) {
      const BlockStops stops(plan_, rays_.tags, scope_ == CastScope::everything);
      swell_ > 0.0f ? meet_thick_blocks(stops) : meet_blocks(stops);
    }
    meet_floor();
    write_hits(block_.data(), distance, entity);
    if (plan_.has_cells() && swell_ == 0.0f)
      each_ray(distance, entity,
               [&](Vec3 d, float& best, std::int32_t& who) { meet_cells(d, best, who); });
    if (plan_.heights.terrain)
      each_ray(distance, entity, [&](Vec3 d, float& best, std::int32_t& who) {
        plan_.heights.terrain->cast({origin_.x, origin_.y, z_}, d, swell_, rays_.tags,
                                    plan_.tag_of.data(), best, who);
      });
  }

 private:
  std::array<Nearby*, 5> groups() { return {&balls_, &pillars_, &crates_, &walls_, &others_}; }

  // The last block may be short; its last ray is then repeated.
  void open(Block& block, std::size_t first, std::size_t stop) const {
    std::array<float, block_rays> x, y, z;
    Vec3 sum{};
    for (std::size_t i = 0; i < block_rays; ++i) {
      const std::size_t ray = std::min(first + i, stop - 1);
      x[i] = rays_.direction_x[ray];
      y[i] = rays_.direction_y[ray];
      z[i] = rays_.direction_z.empty() ? 0.0f : rays_.direction_z[ray];
      // A ray straight up or down is tilted imperceptibly, so that it covers some ground.
      if (x[i] * x[i] + y[i] * y[i] < 1e-9f) x[i] = 3.2e-5f;
      sum = sum + Vec3{x[i], y[i], z[i]};
    }
    block.dx = load(x.data());
    block.dy = load(y.data());
    block.dz = load(z.data());
    block.best = all(rays_.reach);
    block.who = all(std::int32_t{-1});
    block.per_level = all(1.0f) / (block.dx * block.dx + block.dy * block.dy);
    block.per_z = all(1.0f) / off_zero(block.dz);
    const float size = length(sum);
    block.middle = size > 0.1f ? (1.0f / size) * sum : Vec3{};
    float least = 1.0f;
    for (std::size_t i = 0; i < block_rays; ++i)
      least = std::min(least, dot(Vec3{x[i], y[i], z[i]}, block.middle));
    const bool wide = size <= 0.1f || least < 0.05f;  // the rays point all ways
    block.cos_half = wide ? 0.0f : least;
    block.sin_half = wide ? 0.0f : std::sqrt(std::max(0.0f, 1.0f - least * least));
    block.always = wide ? 1e30f : 0.0f;
  }

  Nearby& group_of(const TagRun& run) {
    switch (run.form) {
      case Form::ball: return balls_;
      case Form::disc: return pillars_;
      case Form::box: return swell_ == 0.0f ? crates_ : others_;
      default: return others_;
    }
  }

  void gather(const TagRun& run) {
    Nearby& group = group_of(run);
    for (std::size_t i = run.first; i < run.stop; ++i) {
      if (s_.present[i] == 0 || EntityId(i) == rays_.exclude) continue;
      if (run.change && !rays_.tags.holds(tag_now(plan_, s_, i))) continue;
      const Band band = band_of(plan_, s_, i);
      const float half = 0.5f * (band.high - band.low), flat = plan_.bounds[i];
      const float bound =
          (run.form == Form::ball ? flat : std::sqrt(flat * flat + half * half)) + 1.5f * swell_;
      const Vec3 middle{s_.x[i] - origin_.x, s_.y[i] - origin_.y,
                        0.5f * (band.low + band.high) - z_};
      add(group, middle, bound, i);
    }
  }

  void gather_wall(std::size_t i) {
    const WallPiece& piece = plan_.pieces[i];
    if (!rays_.tags.holds(plan_.tag_of[piece.entity]) || EntityId(piece.entity) == rays_.exclude)
      return;
    const float half = 0.5f * (piece.high - piece.low);
    const Vec3 middle{piece.mid.x - origin_.x, piece.mid.y - origin_.y,
                      0.5f * (piece.low + piece.high) - z_};
    add(walls_, middle, std::sqrt(piece.bound * piece.bound + half * half) + 1.5f * swell_, i);
  }

  void add(Nearby& group, Vec3 middle, float bound, std::size_t number) {
    const float most = rays_.reach + bound;
    if (dot(middle, middle) > most * most) return;
    if (group.count == most_near) meet_gathered();
    group.add(middle, bound, number);
  }

  void meet_gathered() {
    for (Nearby* group : groups())
      if (group->count > 0) group->measure();
    for (std::size_t b = 0; b < blocks_; ++b) meet_near(block_[b]);
    for (Nearby* group : groups()) group->count = 0;
  }

  void meet_near(Block& block) {
    std::array<std::uint32_t, most_near + padding> list;
    const auto each = [&](const Nearby& group, const auto& use) {
      if (group.count == 0) return;
      const std::size_t count = group.pick(block, list);
      for (std::size_t i = 0; i < count; ++i) use(group.thing[list[i]]);
    };
    each(balls_, [&](std::size_t e) { meet(block, sphere(e)); });
    each(pillars_, [&](std::size_t e) { meet(block, pillar(e)); });
    each(crates_, [&](std::size_t e) { meet(block, crate(e)); });
    each(walls_, [&](std::size_t p) { meet(block, wall(p)); });
    each(others_, [&](std::size_t e) { meet(block, prism(e)); });
  }

  float within(std::size_t e) const {
    return e >= plan_.first_zone && e < plan_.first_item ? 1.0f : 0.0f;
  }

  Upright upright(Band band, float inside, std::size_t entity) const {
    return {band.low - z_ - swell_, band.high - z_ + swell_, inside,
            static_cast<std::int32_t>(entity)};
  }
  Upright upright(std::size_t e) const { return upright(band_of(plan_, s_, e), within(e), e); }
  Sphere sphere(std::size_t e) const {
    const float radius = plan_.radius[e];
    return {{s_.x[e] - origin_.x, s_.y[e] - origin_.y, s_.z[e] + radius - z_},
            radius + swell_,
            within(e),
            static_cast<std::int32_t>(e)};
  }
  Pillar pillar(std::size_t e) const {
    return {upright(e), s_.x[e] - origin_.x, s_.y[e] - origin_.y, plan_.radius[e] + swell_};
  }
  Crate crate(std::size_t e) const {
    const float c = s_.cos[e], s = s_.sin[e], dx = s_.x[e] - origin_.x, dy = s_.y[e] - origin_.y;
    return {upright(e),         c, s, -(c * dx + s * dy), s * dx - c * dy, plan_.half_length[e],
            plan_.half_width[e]};
  }
  Prism prism(std::size_t e) const {
    return prism(upright(e), core_of(plan_.shapes[e], s_.pose(e)));
  }
  Prism wall(std::size_t p) const {
    const WallPiece& piece = plan_.pieces[p];
    return prism(upright({piece.low, piece.high}, 0.0f, piece.entity), piece.core);
  }
  Prism prism(const Upright& levels, const Core& core) const {
    Prism result{levels, core};
    result.core.radius += swell_;
    for (std::size_t i = 0; i < core.corners; ++i) result.core.corner[i] = core.corner[i] - origin_;
    return result;
  }

  template <class Use>
  void each_ray(std::span<float> distance, std::span<std::int32_t> entity, const Use& use) const {
    for (std::size_t i = 0; i < distance.size(); ++i) {
      const Block& block = block_[i / block_rays];
      const std::size_t k = i % block_rays;
      use(Vec3{block.dx[k], block.dy[k], block.dz[k]}, distance[i], entity[i]);
    }
  }

  // The floor has no underside.
  void meet_floor() {
    const std::size_t floor = plan_.heights.floor;
    const float above = z_ - plan_.heights.floor_level;
    if (floor == nowhere || above < 0.0f || !rays_.tags.holds(plan_.tag_of[floor])) return;
    for (std::size_t b = 0; b < blocks_; ++b) {
      Block& block = block_[b];
      const F8 t = all(std::min(0.0f, swell_ - above)) * block.per_z;
      take(block, (block.dz < all(0.0f)) | (all(above) < all(swell_)), higher(t, all(0.0f)),
           static_cast<std::int32_t>(floor));
    }
  }

  // From cell to cell under the ray, as over the plane; a cell stops it below its end.
  void meet_cells(Vec3 d, float& distance, std::int32_t& entity) const {
    const CellPlan& cells = plan_.cells;
    const CellStops stops(plan_, rays_, scope_ == CastScope::everything, {});
    const float level = std::sqrt(d.x * d.x + d.y * d.y);
    const Vec along = (1.0f / level) * Vec{d.x, d.y};
    walk_cells(
        cells, origin_, along, distance * level, [&](std::ptrdiff_t cell, float in, float out) {
          const std::int32_t met = stops.at(s_.cells + cell);
          if (met < 0) return false;
          const float top = cells.top[static_cast<std::size_t>(met) - cells.first_kind + 1] - z_;
          const float t = top >= d.z * (in / level) ? in / level
                          : d.z < 0.0f              ? top / d.z
                                                    : infinite;
          if (t > out / level || t >= distance) return false;
          distance = t;
          entity = met;
          return true;
        });
  }

  // A corner of space that holds everything the rays can touch.
  void reached(Vec3& low, Vec3& high) const {
    low = high = {origin_.x, origin_.y, z_};
    for (std::size_t b = 0; b < blocks_; ++b)
      for (std::size_t k = 0; k < block_rays; ++k) {
        const Block& block = block_[b];
        const Vec3 end = Vec3{origin_.x, origin_.y, z_} +
                         block.best[k] * Vec3{block.dx[k], block.dy[k], block.dz[k]};
        low = {std::min(low.x, end.x), std::min(low.y, end.y), std::min(low.z, end.z)};
        high = {std::max(high.x, end.x), std::max(high.y, end.y), std::max(high.z, end.z)};
      }
    const Vec3 swell{swell_, swell_, swell_};
    low = low - swell;
    high = high + swell;
  }

  void meet_blocks(const BlockStops& stops) {
    struct Numbers {
      float dx[block_rays], dy[block_rays], dz[block_rays], best[block_rays];
      std::int32_t who[block_rays];
    };
    std::array<Numbers, most_blocks> numbers;
    std::array<RaysOfEight, most_blocks> eights;
    for (std::size_t b = 0; b < blocks_; ++b) {
      const Block& block = block_[b];
      Numbers& n = numbers[b];
      store(n.dx, block.dx);
      store(n.dy, block.dy);
      store(n.dz, block.dz);
      store(n.best, block.best);
      store(n.who, block.who);
      eights[b] = {{n.dx, n.dy, n.dz}, n.best, n.who};
    }
    cast_blocks(plan_, s_, {origin_.x, origin_.y, z_}, std::span(eights).first(blocks_), stops);
    for (std::size_t b = 0; b < blocks_; ++b) {
      block_[b].best = load(numbers[b].best);
      std::memcpy(&block_[b].who, numbers[b].who, sizeof numbers[b].who);
    }
  }

  void meet_thick_blocks(const BlockStops& stops) {
    const BlocksPlan& blocks = plan_.blocks;
    Vec3 low, high;
    reached(low, high);
    const BlockBox box = blocks_within(blocks, low, high);
    for (std::int32_t layer = box.layer0; layer <= box.layer1; ++layer)
      for (std::int32_t row = box.row0; row <= box.row1; ++row)
        for (std::int32_t column = box.column0; column <= box.column1; ++column) {
          const std::uint8_t kind = s_.blocks[block_number(blocks, column, row, layer)];
          if (kind == 0) continue;
          const std::int32_t met = stops.at(kind);
          if (met < 0) continue;
          const Prism block = prism(upright({level_of(blocks, layer), level_of(blocks, layer + 1)},
                                            0.0f, static_cast<std::size_t>(met)),
                                    core_of_column(blocks, column, row));
          for (std::size_t b = 0; b < blocks_; ++b) meet(block_[b], block);
        }
  }

  void meet_thick_cells() {
    const CellPlan& cells = plan_.cells;
    const CellStops stops(plan_, rays_, scope_ == CastScope::everything, {});
    Vec3 low, high;
    reached(low, high);
    const CellBox box = cells_within(cells, {low.x, low.y}, {high.x, high.y});
    for (std::int32_t row = box.row0; row <= box.row1; ++row)
      for (std::int32_t column = box.column0; column <= box.column1; ++column) {
        const std::int32_t met = stops.at(s_.cells + cell_number(cells, column, row));
        if (met < 0) continue;
        const Vec corner =
            cells.origin + cells.size * Vec{static_cast<float>(column), static_cast<float>(row)};
        const Band band{-boundless,
                        cells.top[static_cast<std::size_t>(met) - cells.first_kind + 1]};
        const Prism cell = prism(upright(band, 0.0f, static_cast<std::size_t>(met)),
                                 core_of_cells(corner, corner + Vec{cells.size, cells.size}));
        for (std::size_t b = 0; b < blocks_; ++b) meet(block_[b], cell);
      }
  }

  const ArenaPlan& plan_;
  const StateArrays& s_;
  const RayFanQuery& rays_;
  std::size_t blocks_;
  std::array<Block, most_blocks> block_;
  Nearby balls_, pillars_, crates_, walls_, others_;
  CastScope scope_;
  Vec origin_;
  float z_, swell_;
};

}  // namespace

void cast_in_space(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays,
                   std::span<float> distance, std::span<std::int32_t> entity, CastScope scope) {
  for (std::size_t first = 0; first < distance.size(); first += most_rays) {
    const std::size_t count = std::min(most_rays, distance.size() - first);
    SpaceCaster(plan, s, rays, first, count, scope)
        .cast(distance.subspan(first, count), entity.subspan(first, count));
  }
}

}  // namespace zithercraft::arena_internal
