#include "arena/casts/cast.hpp"

#include <algorithm>
#include <array>
#include <limits>

#include "arena/casts/cast_cells.hpp"
#include "arena/eight.hpp"

// Rays are taken in blocks of eight. What lies near the origin is gathered once; for each block,
// what its rays can meet at all is picked by comparing directions, and only that is tried, eight
// rays at a time.

namespace zithercraft::arena_internal {
namespace {

constexpr std::size_t most_rays = 64, block_rays = 8, most_blocks = most_rays / block_rays;
constexpr std::size_t most_near = 256;  // things gathered before they are tried
constexpr std::size_t padding = 8;

/// Eight rays, the closest hits so far, and the wedge that holds them all.
struct Block {
  F8 dx, dy, best;
  I8 who;
  float middle_x, middle_y, cos_half, sin_half;
  float always;  // 0, or so much that the wedge holds everything
};

/// Things near the origin, and what decides whether a block can meet them: the centre, the length
/// of the tangent to the circle around it, and that circle's radius, all as seen from the origin.
struct Nearby {
  std::array<float, most_near + padding> x, y, tangent, radius;
  std::array<std::uint32_t, most_near + padding> thing;
  std::size_t count = 0;
  // Compares as false: is not picked.
  static constexpr float never = std::numeric_limits<float>::quiet_NaN();

  void add(Vec centre, float bound, std::size_t number) {
    x[count] = centre.x;
    y[count] = centre.y;
    radius[count] = bound;
    thing[count] = static_cast<std::uint32_t>(number);
    ++count;
  }

  /// Eight things in a row, of which those are meant that are `near`.
  void add(I8 near, F8 cx, F8 cy, F8 bound, std::size_t first) {
    store(&x[count], near ? cx : all(never));
    store(&y[count], cy);
    store(&radius[count], bound);
    for (std::size_t i = 0; i < 8; ++i) thing[count + i] = static_cast<std::uint32_t>(first + i);
    count += 8;
  }

  /// Turns circles into wedges. From near by, a thing spans so wide an angle that every block has
  /// to try it.
  void measure() {
    const F8 zero = all(0.0f);
    for (std::size_t i = count; i < count + padding; ++i) x[i] = never;
    for (std::size_t i = 0; i < count; i += 8) {
      const F8 cx = load(&x[i]), cy = load(&y[i]), bound = load(&radius[i]);
      const F8 square = cx * cx + cy * cy, inner = bound * bound;
      const I8 close = square < all(2.25f) * inner;
      store(&x[i], close ? zero : cx);
      store(&y[i], close ? zero : cy);
      store(&tangent[i], close ? zero : root(higher(square - inner, zero)));
      store(&radius[i], close ? all(1.0f) : bound);
    }
  }

  /// The places in these lists of what the block can meet.
  std::size_t pick(const Block& block, std::array<std::uint32_t, most_near + padding>& list) const {
    const F8 c = all(block.cos_half), s = all(block.sin_half), mx = all(block.middle_x),
             my = all(block.middle_y);
    const F8 least = all(1e-4f + block.always), share = all(1e-4f);
    std::size_t n = 0;
    for (std::size_t i = 0; i < count; i += 8) {
      const F8 cx = load(&x[i]), cy = load(&y[i]);
      const F8 slack = share * (size_of(cx) + size_of(cy)) + least;
      const I8 keep = cx * mx + cy * my >= load(&tangent[i]) * c - load(&radius[i]) * s - slack;
      if (any(keep)) n = gather_set(keep, i, list.data(), n);
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
  const F8 off = all(o.cx) * block.dy - all(o.cy) * block.dx,
           square = all(o.radius * o.radius) - off * off;
  const F8 half = root(higher(square, all(0.0f)));
  const F8 near = b - half, far = b + half, zero = all(0.0f);
  const F8 t = near >= zero ? near : far * all(o.within);
  take(block, (square >= zero) & (far >= zero) & (t < block.best), t, o.entity);
}

struct Square {                        // a box
  float c, s, ox, oy, hx, hy, within;  // its frame, the origin in that frame, its half sides
  std::int32_t entity;
};

ZITHERCRAFT_INLINE void meet(Block& block, const Square& o) {
  const F8 c = all(o.c), s = all(o.s), zero = all(0.0f);
  const F8 ix = all(1.0f) / off_zero(c * block.dx + s * block.dy),
           iy = all(1.0f) / off_zero(c * block.dy - s * block.dx);
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
  const F8 t = all(o.ax * o.ey - o.ay * o.ex) * scale,
           u = (all(o.ax) * block.dy - all(o.ay) * block.dx) * scale;
  const F8 zero = all(0.0f);
  take(block, (t >= zero) & (u >= zero) & (u <= all(1.0f)) & (t < block.best), t, o.entity);
}

/// A core with rounding, as seen from the origin: corner circles and shifted sides.
struct Round {
  std::array<float, most_corners> corner_x, corner_y, side_x, side_y, shifted_x, shifted_y;
  std::size_t corners;
  float radius;
  bool inside;  // the origin lies in it: a ray meets it where it last crosses any part, since it is
                // convex
  std::int32_t entity;
};

ZITHERCRAFT_INLINE void meet(Block& block, const Round& o) {
  const F8 zero = all(0.0f);
  F8 last = zero;
  for (std::size_t i = 0; i < o.corners; ++i) {
    const float cx = o.corner_x[i], cy = o.corner_y[i];
    if (o.radius > 0.0f) {
      const F8 b = all(cx) * block.dx + all(cy) * block.dy;
      const F8 off = all(cx) * block.dy - all(cy) * block.dx,
               square = all(o.radius * o.radius) - off * off;
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

Round round_of(const Core& core, Vec origin, float radius, bool inside, std::int32_t entity) {
  Round result;
  result.corners = core.corners;
  result.radius = radius;
  result.inside = inside;
  result.entity = entity;
  for (std::size_t i = 0; i < core.corners; ++i) {
    const Vec e = core.corner[(i + 1) % core.corners] - core.corner[i];
    const float size = length(e);
    const Vec corner = core.corner[i] - origin;
    // Counter-clockwise.
    const Vec shifted = corner + (size > 1e-6f ? radius / size : 0.0f) * Vec{e.y, -e.x};
    result.corner_x[i] = corner.x;
    result.corner_y[i] = corner.y;
    result.side_x[i] = e.x;
    result.side_y[i] = e.y;
    result.shifted_x[i] = shifted.x;
    result.shifted_y[i] = shifted.y;
  }
  return result;
}

class Caster {
 public:
  Caster(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays, std::size_t first,
         std::size_t count, CastScope scope, Band band)
      : plan_(plan),
        s_(s),
        rays_(rays),
        scope_(scope),
        band_(band),
        origin_{rays.x, rays.y},
        swell_(0.5f * rays.thickness) {
    blocks_ = (count + block_rays - 1) / block_rays;
    for (std::size_t b = 0; b < blocks_; ++b)
      open(block_[b], first + b * block_rays, first + count);
  }

  void cast() {
    for (const TagRun& run : plan_.runs)
      if (is_met(plan_, run, rays_, scope_)) gather(run);
    for (std::size_t i = 0; i < plan_.pieces.size(); ++i)
      if (stands(plan_, s_, plan_.pieces[i])) gather_wall(i);
    meet_gathered();
    if (plan_.has_cells() && swell_ > 0.0f) meet_thick_cells();
  }

  void write(std::span<float> distance, std::span<std::int32_t> entity) const {
    write_hits(block_.data(), distance, entity);
  }

  float cast_one(std::size_t entity) {
    for (TagRun run : plan_.runs)
      if (entity >= run.first && entity < run.stop) {
        run.first = entity;
        run.stop = entity + 1;
        gather(run);
      }
    meet_gathered();
    return block_[0].best[0];
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
    for (std::size_t i = 0; i < block_rays; ++i)
      least = std::min(least, x[i] * middle.x + y[i] * middle.y);
    const bool wide = size <= 0.1f || least < -0.4f;  // the rays point all ways
    block.cos_half = wide ? 0.0f : least;
    block.sin_half = wide ? 0.0f : std::sqrt(std::max(0.0f, 1.0f - least * least));
    block.always = wide ? 1e30f : 0.0f;
  }

  Nearby& group_of(const TagRun& run) {
    return run.form == Form::disc || run.form == Form::ball ? discs_
           : run.form == Form::box && swell_ == 0.0f        ? boxes_
                                                            : others_;
  }

  void gather(const TagRun& run) {
    Nearby& group = group_of(run);
    const F8 ox = all(origin_.x), oy = all(origin_.y), reach = all(rays_.reach),
             swell = all(swell_);
    const I8 next = I8{0, 1, 2, 3, 4, 5, 6, 7}, stop = all(static_cast<std::int32_t>(run.stop)),
             exclude = all(rays_.exclude.number());
    // The arrays continue behind the last thing, so eight can always be read.
    for (std::size_t i = run.first; i < run.stop; i += 8) {
      const F8 dx = load(s_.x + i) - ox, dy = load(s_.y + i) - oy,
               bound = load(plan_.bounds.data() + i) + swell;
      const F8 most = reach + bound, square = dx * dx + dy * dy;
      const I8 number = all(static_cast<std::int32_t>(i)) + next;
      I8 near =
          (square <= most * most) & flags(s_.present + i) & (number < stop) & (number != exclude);
      if (run.change && any(near))
        for (std::size_t k = 0; k < 8; ++k)
          if (near[k] != 0 && !rays_.tags.holds(tag_now(plan_, s_, i + k))) near[k] = 0;
      const I8 around = near & (square <= bound * bound);
      if (plan_.heights.used && any(near))
        for (std::size_t k = 0; k < 8; ++k)
          if (near[k] != 0 && !overlap(band_, band_of(plan_, s_, i + k))) near[k] = 0;
      if (any(around) && !run.zone)
        for (std::size_t k = 0; k < 8; ++k)
          if (around[k] != 0 && near[k] != 0 && holds_origin(i + k)) {
            hit_everywhere(static_cast<std::int32_t>(i + k));
            near[k] = 0;
          }
      if (!any(near)) continue;
      if (group.count + 8 > most_near) meet_gathered();
      group.add(near, dx, dy, bound, i);
    }
  }

  // Solid things that hold the origin are hit there and then.
  bool holds_origin(std::size_t e) const {
    ShapeData swollen = plan_.shapes[e];
    swollen.radius += swell_;
    swollen.bound += swell_;
    return contains(swollen, s_.pose(e), origin_);
  }

  // First everything is picked for all blocks, then it is met: so the processor never waits for one
  // list to be ready.
  void meet_gathered() {
    for (Nearby* group : {&discs_, &boxes_, &walls_, &others_}) group->measure();
    for (std::size_t b = 0; b < blocks_; ++b) {
      Picked& picked = picked_[b];
      picked.discs = discs_.pick(block_[b], picked.disc);
      picked.boxes = boxes_.pick(block_[b], picked.box);
      picked.walls = walls_.pick(block_[b], picked.wall);
      picked.others = others_.pick(block_[b], picked.other);
    }
    for (std::size_t b = 0; b < blocks_; ++b) {
      const Picked& picked = picked_[b];
      Block block = block_[b];
      for (std::size_t i = 0; i < picked.discs; ++i)
        meet(block, circle(discs_.thing[picked.disc[i]]));
      for (std::size_t i = 0; i < picked.boxes; ++i)
        meet(block, square(boxes_.thing[picked.box[i]]));
      for (std::size_t i = 0; i < picked.walls; ++i)
        meet(block, segment(plan_.pieces[walls_.thing[picked.wall[i]]]));
      for (std::size_t i = 0; i < picked.others; ++i)
        meet(block, round(others_.thing[picked.other[i]]));
      block_[b].best = block.best;
      block_[b].who = block.who;
    }
    for (Nearby* group : {&discs_, &boxes_, &walls_, &others_}) group->count = 0;
  }

  bool is_zone(std::size_t e) const { return e >= plan_.first_zone && e < plan_.first_item; }

  Circle circle(std::size_t e) const {
    return {s_.x[e] - origin_.x, s_.y[e] - origin_.y, plan_.radius[e] + swell_,
            is_zone(e) ? 1.0f : 0.0f, static_cast<std::int32_t>(e)};
  }
  Square square(std::size_t e) const {
    const float c = s_.cos[e], s = s_.sin[e], dx = s_.x[e] - origin_.x, dy = s_.y[e] - origin_.y;
    return {c,
            s,
            -(c * dx + s * dy),
            s * dx - c * dy,
            plan_.half_length[e],
            plan_.half_width[e],
            is_zone(e) ? 1.0f : 0.0f,
            static_cast<std::int32_t>(e)};
  }
  Segment segment(const WallPiece& piece) const {
    const Vec a = piece.from - origin_, e = piece.to - piece.from;
    return {a.x, a.y, e.x, e.y, static_cast<std::int32_t>(piece.entity)};
  }
  // Numbers beyond those of things with poses are walls, and then cells.
  Round round(std::size_t number) const {
    if (number < plan_.posed)
      return round_of(core_of(plan_.shapes[number], s_.pose(number)), origin_,
                      plan_.radius[number] + swell_, is_zone(number) && holds_origin(number),
                      static_cast<std::int32_t>(number));
    if (number - plan_.posed < plan_.pieces.size()) {
      const WallPiece& piece = plan_.pieces[number - plan_.posed];
      return round_of(piece.core, origin_, swell_, false, static_cast<std::int32_t>(piece.entity));
    }
    const CellPlan& cells = plan_.cells;
    const Vec mid = middle_of(cells, number - plan_.posed - plan_.pieces.size()),
              half{0.5f * cells.size, 0.5f * cells.size};
    return round_of(core_of_cells(mid - half, mid + half), origin_, swell_, false, thick_entity_);
  }
  void gather_wall(std::size_t i) {
    const WallPiece& piece = plan_.pieces[i];
    const Vec d = piece.mid - origin_;
    const float bound = piece.bound + swell_, most = rays_.reach + bound;
    if (!overlap(band_, {piece.low, piece.high})) return;
    if (!rays_.tags.holds(plan_.tag_of[piece.entity]) || dot(d, d) > most * most ||
        EntityId(piece.entity) == rays_.exclude)
      return;
    if (swell_ > 0.0f) {
      const Vec a = piece.from - origin_, e = piece.to - piece.from;
      const Vec nearest = a + std::clamp(-dot(a, e) / dot(e, e), 0.0f, 1.0f) * e;
      if (dot(nearest, nearest) <= swell_ * swell_)
        return hit_everywhere(static_cast<std::int32_t>(piece.entity));
    }
    Nearby& group = swell_ > 0.0f ? others_ : walls_;
    if (group.count + 1 > most_near) meet_gathered();
    group.add(d, bound, swell_ > 0.0f ? plan_.posed + i : i);
  }

  // A thick ray sweeps a disc past every cell in reach, kind by kind; thin ones walk from cell to
  // cell instead.
  void meet_thick_cells() {
    const CellPlan& cells = plan_.cells;
    const CellStops stops(plan_, rays_, scope_ == CastScope::everything, band_);
    const float far = rays_.reach + swell_;
    const CellBox box =
        cells_within(cells, {origin_.x - far, origin_.y - far}, {origin_.x + far, origin_.y + far});
    for (std::size_t kind = 1; kind < cells.solid.size(); ++kind) {
      thick_entity_ = static_cast<std::int32_t>(cells.first_kind + kind - 1);
      if (!stops.stops(kind)) continue;
      for (std::int32_t row = box.row0; row <= box.row1; ++row)
        for (std::int32_t column = box.column0; column <= box.column1; ++column)
          if (stops.at(s_.cells + cell_number(cells, column, row)) == thick_entity_ &&
              !gather_cell(cell_number(cells, column, row)))
            return;
      meet_gathered();
    }
  }

  // False if the origin lies in it, so that nothing else can be met.
  bool gather_cell(std::size_t cell) {
    const CellPlan& cells = plan_.cells;
    const Vec d = middle_of(cells, cell) - origin_;
    const float half = 0.5f * cells.size, bound = 1.4143f * half + swell_;
    if (dot(d, d) > (rays_.reach + bound) * (rays_.reach + bound)) return true;
    const ShapeData swollen{.form = Form::box,
                            .corners = 4,
                            .half_length = half,
                            .half_width = half,
                            .radius = swell_,
                            .bound = bound};
    if (contains(swollen, {.x = d.x, .y = d.y}, {})) {
      hit_everywhere(thick_entity_);
      return false;
    }
    if (others_.count + 1 > most_near) meet_gathered();
    others_.add(d, bound, plan_.posed + plan_.pieces.size() + cell);
    return true;
  }

  void hit_everywhere(std::int32_t entity) {
    for (std::size_t b = 0; b < blocks_; ++b)
      take(block_[b], all(0.0f) < block_[b].best, all(0.0f), entity);
  }

  const ArenaPlan& plan_;
  const StateArrays& s_;
  const RayFanQuery& rays_;
  std::size_t blocks_ = 0;
  std::array<Block, most_blocks> block_;
  Nearby discs_, boxes_, walls_, others_;
  struct Picked {
    std::array<std::uint32_t, most_near + padding> disc, box, wall, other;
    std::size_t discs, boxes, walls, others;
  };
  std::array<Picked, most_blocks> picked_;
  CastScope scope_;
  Band band_;
  Vec origin_;
  float swell_;
  std::int32_t thick_entity_ = -1;
};

}  // namespace

void cast_rays(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays,
               std::span<float> distance, std::span<std::int32_t> entity, CastScope scope,
               Band band) {
  for (std::size_t first = 0; first < rays.direction_x.size(); first += most_rays) {
    const std::size_t count = std::min(most_rays, rays.direction_x.size() - first);
    Caster caster(plan, s, rays, first, count, scope, band);
    caster.cast();
    caster.write(distance.subspan(first, count), entity.subspan(first, count));
  }
  if (plan.has_cells() && rays.thickness == 0.0f)
    cast_cells(plan, s, rays, distance, entity, scope == CastScope::everything, band);
}

float cast_at(const ArenaPlan& plan, const StateArrays& s, std::size_t entity, Vec from,
              Vec direction, float reach, float radius) {
  const RayFanQuery ray{.x = from.x,
                        .y = from.y,
                        .direction_x = {&direction.x, 1},
                        .direction_y = {&direction.y, 1},
                        .reach = reach,
                        .thickness = 2.0f * radius};
  return Caster(plan, s, ray, 0, 1, CastScope::everything, {}).cast_one(entity);
}

float cast_at(const Core& core, Vec from, Vec direction, float reach, float radius) {
  Core swollen = core;
  swollen.radius += radius;
  Core point;
  point.corners = 1;
  point.corner[0] = from;
  if (gap_between(point, swollen).distance <= 0.0f) return 0.0f;
  Block block{};
  block.dx = all(direction.x);
  block.dy = all(direction.y);
  block.best = all(reach);
  meet(block, round_of(core, from, swollen.radius, false, 0));
  return block.best[0];
}

}  // namespace zithercraft::arena_internal
