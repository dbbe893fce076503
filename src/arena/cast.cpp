#include "cast.hpp"

#include <algorithm>
#include <array>

#include "cast_cells.hpp"
#include "eight.hpp"

// Rays are taken in blocks of eight. What lies near the origin is gathered once; for each block, what its rays can meet
// at all is picked by comparing directions, and only that is tried, eight rays at a time.

namespace zithercraft {
namespace {

constexpr std::size_t most_rays = 256, block_rays = 8, most_blocks = most_rays / block_rays;
constexpr std::size_t most_near = 128;  // things gathered before they are tried

/// Eight rays, the closest hits so far, and the wedge that holds them all.
struct Block {
  F8 dx, dy, best;
  I8 who;
  float middle_x, middle_y, cos_half, sin_half;
};

/// What decides whether a block can meet a thing: its centre, the length of the tangent to the circle around it, and
/// that circle's radius, all as seen from the origin.
struct Wedges {
  std::array<float, most_near> x, y, tangent, radius;
  std::size_t count = 0;

  void add(Vec centre, float bound) {
    const float square = dot(centre, centre), outside = square - bound * bound;
    // From near by, a thing spans so wide an angle that every block has to try it.
    const bool close = square < 2.25f * bound * bound;
    x[count] = centre.x;
    y[count] = centre.y;
    tangent[count] = close ? -1e30f : std::sqrt(std::max(outside, 0.0f));
    radius[count] = close ? 0.0f : bound;
    ++count;
  }

  /// The numbers of the things the block can meet.
  std::size_t pick(const Block& block, std::array<std::uint32_t, most_near>& list) const {
    std::array<std::int32_t, most_near> keep;
    const float c = block.cos_half, s = block.sin_half, mx = block.middle_x, my = block.middle_y;
    for (std::size_t i = 0; i < count; ++i) {
      const float towards = x[i] * mx + y[i] * my, slack = 1e-4f * (std::fabs(x[i]) + std::fabs(y[i])) + 1e-4f;
      const float least = tangent[i] > -1e29f ? tangent[i] * c - radius[i] * s - slack : -1e30f;
      keep[i] = towards >= least ? 1 : 0;
    }
    std::size_t n = 0;
    for (std::size_t i = 0; i < count; ++i) {
      list[n] = static_cast<std::uint32_t>(i);
      n += static_cast<std::size_t>(keep[i]);
    }
    return n;
  }
};

ZITHERCRAFT_INLINE void take(Block& block, I8 hit, F8 t, std::int32_t entity) {
  block.best = hit ? t : block.best;
  block.who = hit ? all(entity) : block.who;
}

struct Circle {
  float cx, cy, radius, within;  // within: 1 if the far side counts for rays that start inside
  std::int32_t entity;
};

ZITHERCRAFT_INLINE void meet(Block& block, const Circle& o) {
  const F8 b = all(o.cx) * block.dx + all(o.cy) * block.dy;
  const F8 square = b * b - all(o.cx * o.cx + o.cy * o.cy - o.radius * o.radius);
  const F8 half = root(higher(square, all(0.0f)));
  const F8 near = b - half, far = b + half, zero = all(0.0f);
  const F8 t = near >= zero ? near : far * all(o.within);
  take(block, (square >= zero) & (far >= zero) & (t < block.best), t, o.entity);
}

struct Square {  // a box
  float c, s, ox, oy, hx, hy, within;  // its frame, the origin in that frame, its half sides
  std::int32_t entity;
};

ZITHERCRAFT_INLINE void meet(Block& block, const Square& o) {
  const F8 c = all(o.c), s = all(o.s), zero = all(0.0f);
  const F8 ix = all(1.0f) / off_zero(c * block.dx + s * block.dy), iy = all(1.0f) / off_zero(c * block.dy - s * block.dx);
  const F8 x0 = all(-o.hx - o.ox) * ix, x1 = all(o.hx - o.ox) * ix;
  const F8 y0 = all(-o.hy - o.oy) * iy, y1 = all(o.hy - o.oy) * iy;
  const F8 near = higher(lower(x0, x1), lower(y0, y1)), far = lower(higher(x0, x1), higher(y0, y1));
  const F8 t = near >= zero ? near : far * all(o.within);
  take(block, (near <= far) & (far >= zero) & (t < block.best), t, o.entity);
}

struct Segment {
  float ax, ay, ex, ey;  // its beginning as seen from the origin, and the way to its end
  std::int32_t entity;
};

ZITHERCRAFT_INLINE void meet(Block& block, const Segment& o) {
  const F8 scale = all(1.0f) / off_zero(block.dx * all(o.ey) - block.dy * all(o.ex));
  const F8 t = all(o.ax * o.ey - o.ay * o.ex) * scale, u = (all(o.ax) * block.dy - all(o.ay) * block.dx) * scale;
  const F8 zero = all(0.0f);
  take(block, (t >= zero) & (u >= zero) & (u <= all(1.0f)) & (t < block.best), t, o.entity);
}

/// A core with rounding, as seen from the origin: corner circles and shifted sides.
struct Round {
  std::array<float, most_corners> corner_x, corner_y, side_x, side_y, shifted_x, shifted_y;
  std::size_t corners;
  float radius;
  bool inside;  // the origin lies in it: a ray meets it where it last crosses any part, since it is convex
  std::int32_t entity;
};

ZITHERCRAFT_INLINE void meet(Block& block, const Round& o) {
  const F8 zero = all(0.0f);
  F8 last = zero;
  for (std::size_t i = 0; i < o.corners; ++i) {
    const float cx = o.corner_x[i], cy = o.corner_y[i];
    if (o.radius > 0.0f) {
      const F8 b = all(cx) * block.dx + all(cy) * block.dy;
      const F8 square = b * b - all(cx * cx + cy * cy - o.radius * o.radius);
      const F8 half = root(higher(square, zero));
      if (o.inside) {
        last = (square >= zero) ? higher(last, b + half) : last;
      } else {
        const F8 t = b - half;
        take(block, (square >= zero) & (t >= zero) & (t < block.best), t, o.entity);
      }
    }
    if (o.corners == 1) break;
    const Vec a{o.shifted_x[i], o.shifted_y[i]}, e{o.side_x[i], o.side_y[i]};
    const F8 scale = all(1.0f) / off_zero(block.dx * all(e.y) - block.dy * all(e.x));
    const F8 t = all(cross(a, e)) * scale, u = (all(a.x) * block.dy - all(a.y) * block.dx) * scale;
    const I8 crossed = (u >= zero) & (u <= all(1.0f)) & (t >= zero);
    if (o.inside) {
      last = crossed ? higher(last, t) : last;
    } else {
      take(block, crossed & (t < block.best), t, o.entity);
    }
  }
  if (o.inside) take(block, last < block.best, last, o.entity);
}

/// Things of one form near the origin.
template <class Thing>
struct Group {
  Wedges wedges;
  std::array<Thing, most_near> things;

  Thing& add(Vec centre, float bound) {
    wedges.add(centre, bound);
    return things[wedges.count - 1];
  }
  void meet_block(Block& block) const {
    std::array<std::uint32_t, most_near> list;
    const std::size_t n = wedges.pick(block, list);
    for (std::size_t i = 0; i < n; ++i) meet(block, things[list[i]]);
  }
};

class Caster {
 public:
  Caster(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays, std::size_t first, std::size_t count,
         CastScope scope)
      : plan_(plan), s_(s), rays_(rays), scope_(scope), origin_{rays.x, rays.y}, swell_(0.5f * rays.thickness) {
    blocks_ = (count + block_rays - 1) / block_rays;
    for (std::size_t b = 0; b < blocks_; ++b) open(block_[b], first + b * block_rays, first + count);
  }

  void cast() {
    const std::size_t last = scope_ == CastScope::everything ? plan_.posed : plan_.bodies;
    std::size_t e = 0;
    while (e < last) {
      const std::size_t stop = std::min(last, e + most_near);
      gather_posed(e, stop);
      e = stop;
      meet_all();
    }
    for (const WallPiece& piece : plan_.pieces) {
      if (segments_.wedges.count == most_near || rounds_.wedges.count == most_near) meet_all();
      if (wanted(piece.entity)) gather_wall(piece);
    }
    if (plan_.has_cells() && swell_ > 0.0f) gather_cells();
    meet_all();
  }

  float cast_one(std::size_t entity) {
    gather_shape(entity);
    meet_all();
    return block_[0].best[0];
  }

  void close(std::span<float> distance, std::span<std::int32_t> entity) const {
    for (std::size_t i = 0; i < distance.size(); ++i) {
      distance[i] = block_[i / block_rays].best[i % block_rays];
      entity[i] = block_[i / block_rays].who[i % block_rays];
    }
  }

 private:
  // The last block may be short; its last ray is then repeated.
  void open(Block& block, std::size_t first, std::size_t stop) const {
    std::array<float, block_rays> x, y;
    Vec sum{};
    for (std::size_t i = 0; i < block_rays; ++i) {
      const std::size_t ray = std::min(first + i, stop - 1);
      x[i] = rays_.direction_x[ray];
      y[i] = rays_.direction_y[ray];
      sum = sum + Vec{x[i], y[i]};
    }
    block.dx = load(x.data());
    block.dy = load(y.data());
    block.best = all(rays_.reach);
    block.who = all(std::int32_t{-1});
    const float size = length(sum);
    const Vec middle = size > 0.1f ? (1.0f / size) * sum : Vec{};
    block.middle_x = middle.x;
    block.middle_y = middle.y;
    float least = 1.0f;
    for (std::size_t i = 0; i < block_rays; ++i) least = std::min(least, x[i] * middle.x + y[i] * middle.y);
    const bool wide = size <= 0.1f || least < -0.4f;  // the rays point all ways
    block.cos_half = wide ? -1e18f : least;
    block.sin_half = wide ? 1e18f : std::sqrt(std::max(0.0f, 1.0f - least * least));
  }

  bool wanted(std::size_t e) const {
    return ((rays_.tags >> plan_.tag_of[e]) & 1u) != 0 && static_cast<std::int32_t>(e) != rays_.exclude &&
           (rays_.exclude_side < 0 || plan_.side_of[e] != rays_.exclude_side) &&
           !(scope_ == CastScope::fixed_solids && e < plan_.bodies && plan_.body[e].inverse_mass != 0.0f);
  }

  void gather_posed(std::size_t first, std::size_t stop) {
    std::array<std::int32_t, most_near> close;
    const float reach = rays_.reach + swell_;
    for (std::size_t e = first; e < stop; ++e) {
      const float dx = s_.x[e] - origin_.x, dy = s_.y[e] - origin_.y, most = reach + plan_.bounds[e];
      close[e - first] = dx * dx + dy * dy <= most * most ? 1 : 0;
    }
    for (std::size_t e = first; e < stop; ++e)
      if (close[e - first] != 0 && s_.present[e] != 0 && wanted(e)) gather_shape(e);
  }

  void gather_shape(std::size_t e) {
    const ShapeData& shape = plan_.shapes[e];
    const Pose pose = s_.pose(e);
    const auto id = static_cast<std::int32_t>(e);
    const bool zone = e >= plan_.first_zone && e < plan_.first_item;
    const float bound = plan_.bounds[e] + swell_;
    const Vec d = Vec{pose.x, pose.y} - origin_;
    bool inside = false;
    if (dot(d, d) <= bound * bound) {
      ShapeData swollen = shape;
      swollen.radius += swell_;
      swollen.bound += swell_;
      inside = contains(swollen, pose, origin_);
      if (inside && !zone) return hit_everywhere(id);
    }
    if (shape.form == Form::disc) {
      circles_.add(d, bound) = {d.x, d.y, shape.radius + swell_, zone ? 1.0f : 0.0f, id};
    } else if (shape.form == Form::box && swell_ == 0.0f) {
      squares_.add(d, bound) = {pose.cos,
                                pose.sin,
                                -(pose.cos * d.x + pose.sin * d.y),
                                pose.sin * d.x - pose.cos * d.y,
                                shape.half_length,
                                shape.half_width,
                                zone ? 1.0f : 0.0f,
                                id};
    } else {
      fill(rounds_.add(d, bound), core_of(shape, pose), shape.radius + swell_, inside, id);
    }
  }

  void gather_wall(const WallPiece& piece) {
    const auto id = static_cast<std::int32_t>(piece.entity);
    const Vec d = piece.mid - origin_;
    const float bound = piece.bound + swell_, most = rays_.reach + bound;
    if (dot(d, d) > most * most) return;
    const Vec a = piece.from - origin_, e = piece.to - piece.from;
    if (swell_ == 0.0f) {
      segments_.add(d, bound) = {a.x, a.y, e.x, e.y, id};
      return;
    }
    const float along = std::clamp(-dot(a, e) / dot(e, e), 0.0f, 1.0f);
    const Vec nearest = a + along * e;
    if (dot(nearest, nearest) <= swell_ * swell_) return hit_everywhere(id);
    fill(rounds_.add(d, bound), piece.core, swell_, false, id);
  }

  // A thick ray sweeps a disc past every cell in reach; thin ones walk from cell to cell instead.
  void gather_cells() {
    const CellPlan& cells = plan_.cells;
    const CellStops stops(plan_, rays_, scope_ == CastScope::everything);
    const float far = rays_.reach + swell_;
    const CellBox box = cells_within(cells, {origin_.x - far, origin_.y - far}, {origin_.x + far, origin_.y + far});
    for (std::int32_t row = box.row0; row <= box.row1; ++row)
      for (std::int32_t column = box.column0; column <= box.column1; ++column) {
        const std::int32_t entity = stops.at(s_.cells, column, row);
        if (entity < 0) continue;
        if (rounds_.wedges.count == most_near) meet_all();
        const Vec low = cells.origin + cells.size * Vec{static_cast<float>(column), static_cast<float>(row)};
        const Core core = core_of_cells(low, low + Vec{cells.size, cells.size});
        const Vec d = low + Vec{0.5f * cells.size, 0.5f * cells.size} - origin_;
        const float bound = 0.71f * cells.size + swell_;
        if (dot(d, d) > (rays_.reach + bound) * (rays_.reach + bound)) continue;
        const ShapeData square{.form = Form::box,
                               .corners = 4,
                               .half_length = 0.5f * cells.size,
                               .half_width = 0.5f * cells.size,
                               .radius = swell_,
                               .bound = bound};
        if (contains(square, {.x = d.x, .y = d.y}, {})) return hit_everywhere(entity);
        fill(rounds_.add(d, bound), core, swell_, false, entity);
      }
  }

  void fill(Round& round, const Core& core, float radius, bool inside, std::int32_t entity) const {
    round.corners = core.corners;
    round.radius = radius;
    round.inside = inside;
    round.entity = entity;
    for (std::size_t i = 0; i < core.corners; ++i) {
      const Vec e = core.corner[(i + 1) % core.corners] - core.corner[i];
      const float size = length(e);
      const Vec corner = core.corner[i] - origin_;
      const Vec shifted = corner + (size > 1e-6f ? radius / size : 0.0f) * Vec{e.y, -e.x};  // counter-clockwise
      round.corner_x[i] = corner.x;
      round.corner_y[i] = corner.y;
      round.side_x[i] = e.x;
      round.side_y[i] = e.y;
      round.shifted_x[i] = shifted.x;
      round.shifted_y[i] = shifted.y;
    }
  }

  void hit_everywhere(std::int32_t entity) {
    for (std::size_t b = 0; b < blocks_; ++b) take(block_[b], all(0.0f) < block_[b].best, all(0.0f), entity);
  }

  void meet_all() {
    for (std::size_t b = 0; b < blocks_; ++b) {
      if (circles_.wedges.count > 0) circles_.meet_block(block_[b]);
      if (squares_.wedges.count > 0) squares_.meet_block(block_[b]);
      if (segments_.wedges.count > 0) segments_.meet_block(block_[b]);
      if (rounds_.wedges.count > 0) rounds_.meet_block(block_[b]);
    }
    circles_.wedges.count = squares_.wedges.count = segments_.wedges.count = rounds_.wedges.count = 0;
  }

  const ArenaPlan& plan_;
  const StateArrays& s_;
  const RayFanQuery& rays_;
  CastScope scope_;
  Vec origin_;
  float swell_;
  std::size_t blocks_ = 0;
  std::array<Block, most_blocks> block_;
  Group<Circle> circles_;
  Group<Square> squares_;
  Group<Segment> segments_;
  Group<Round> rounds_;
};

}  // namespace

void cast_rays(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays, std::span<float> distance,
               std::span<std::int32_t> entity, CastScope scope) {
  for (std::size_t first = 0; first < rays.direction_x.size(); first += most_rays) {
    const std::size_t count = std::min(most_rays, rays.direction_x.size() - first);
    Caster caster(plan, s, rays, first, count, scope);
    caster.cast();
    caster.close(distance.subspan(first, count), entity.subspan(first, count));
  }
  if (plan.has_cells() && rays.thickness == 0.0f)
    cast_cells(plan, s, rays, distance, entity, scope == CastScope::everything);
}

float cast_at(const ArenaPlan& plan, const StateArrays& s, std::size_t entity, Vec from, Vec direction, float reach,
              float radius) {
  const RayFanQuery ray{.x = from.x,
                        .y = from.y,
                        .direction_x = {&direction.x, 1},
                        .direction_y = {&direction.y, 1},
                        .reach = reach,
                        .thickness = 2.0f * radius};
  return Caster(plan, s, ray, 0, 1, CastScope::everything).cast_one(entity);
}

}  // namespace zithercraft
