#include "blocks.hpp"

#include <bit>
#include <cstring>
#include <utility>

#include "eight.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {

void begin_blocks(const ArenaPlan& plan, StateArrays& s) {
  const auto& layouts = *plan.blocks.layouts;
  const auto count = static_cast<std::uint32_t>(layouts.size());
  RandomStream random(s.header->seed, s.header->lane, s.header->episode, Purpose::generate);
  const BlockLayout& layout = layouts[count == 1 ? 0 : random.below(count)];
  const std::size_t words = layout.filled.size();
  if (*s.block_mark != layout.mark) {
    std::memset(s.block_mark, 0, plan.state_bytes - plan.at.block_mark);
    *s.block_mark = layout.mark;
    std::copy(layout.kinds.begin(), layout.kinds.end(), s.blocks);
    std::copy(layout.filled.begin(), layout.filled.end(), s.filled);
    *s.block_top = layout.top;
    return;
  }
  *s.block_top = layout.top;
  for (std::size_t group = 0; group < (words + 63) / 64; ++group)
    for (std::uint64_t changed = std::exchange(s.changed[group], 0); changed != 0; changed &= changed - 1) {
      const std::size_t word = 64 * group + static_cast<std::size_t>(std::countr_zero(changed));
      const std::size_t first = 64 * word, size = std::min<std::size_t>(64, layout.kinds.size() - first);
      std::copy_n(layout.kinds.begin() + static_cast<std::ptrdiff_t>(first), size, s.blocks + first);
      s.filled[word] = layout.filled[word];
    }
}

namespace {

// From block to block along the ray, as over cells (cast_cells.hpp); empty ones are told by one bit each. `stop(number,
// before, t)` says whether the ray ends there; `before` is the block it came from, or the number itself at the first
// one.
template <class Stop>
void walk(const BlocksPlan& blocks, const std::uint64_t* filled, Vec3 from, Vec3 d, float reach, const Stop& stop) {
  const auto off_zero = [](float v) { return std::fabs(v) > 1e-9f ? v : v < 0.0f ? -1e-9f : 1e-9f; };
  const float scale = 1.0f / blocks.size;
  const Vec3 o = scale * (from - blocks.origin);  // from here on, lengths are in blocks
  const float ix = 1.0f / off_zero(d.x), iy = 1.0f / off_zero(d.y), iz = 1.0f / off_zero(d.z), most = reach * scale;
  const auto wide = static_cast<float>(blocks.columns), deep = static_cast<float>(blocks.rows),
             high = static_cast<float>(blocks.layers);
  float t = 0.0f;
  if (!(o.x >= 0.0f && o.x < wide && o.y >= 0.0f && o.y < deep && o.z >= 0.0f && o.z < high)) {
    const float x0 = -o.x * ix, x1 = (wide - o.x) * ix, y0 = -o.y * iy, y1 = (deep - o.y) * iy, z0 = -o.z * iz,
                z1 = (high - o.z) * iz;
    t = std::max({std::min(x0, x1), std::min(y0, y1), std::min(z0, z1), 0.0f});
    if (t > std::min({std::max(x0, x1), std::max(y0, y1), std::max(z0, z1)})) return;
  }
  const std::int32_t sx = d.x >= 0.0f ? 1 : -1, sy = d.y >= 0.0f ? 1 : -1, sz = d.z >= 0.0f ? 1 : -1;
  const auto start = [&](float at, std::int32_t count) {
    return std::clamp(static_cast<std::int32_t>(at), 0, count - 1);
  };
  std::int32_t x = start(o.x + t * d.x, blocks.columns), y = start(o.y + t * d.y, blocks.rows),
               z = start(o.z + t * d.z, blocks.layers);
  float tx = (static_cast<float>(x + (sx > 0 ? 1 : 0)) - o.x) * ix,
        ty = (static_cast<float>(y + (sy > 0 ? 1 : 0)) - o.y) * iy,
        tz = (static_cast<float>(z + (sz > 0 ? 1 : 0)) - o.z) * iz;
  const float dx = std::fabs(ix), dy = std::fabs(iy), dz = std::fabs(iz);
  const std::ptrdiff_t row_step = static_cast<std::ptrdiff_t>(sy) * blocks.columns,
                       layer_step = static_cast<std::ptrdiff_t>(sz) * blocks.columns * blocks.rows;
  auto at = static_cast<std::ptrdiff_t>(block_number(blocks, x, y, z));
  std::ptrdiff_t before = at;
  while (t < most) {
    if (((filled[at >> 6] >> (at & 63)) & 1u) != 0 &&
        stop(static_cast<std::size_t>(at), static_cast<std::size_t>(before), t * blocks.size))
      return;
    before = at;
    if (tx < ty && tx < tz) {
      t = tx;
      tx += dx;
      x += sx;
      at += sx;
      if (static_cast<std::uint32_t>(x) >= static_cast<std::uint32_t>(blocks.columns)) return;
    } else if (ty < tz) {
      t = ty;
      ty += dy;
      y += sy;
      at += row_step;
      if (static_cast<std::uint32_t>(y) >= static_cast<std::uint32_t>(blocks.rows)) return;
    } else {
      t = tz;
      tz += dz;
      z += sz;
      at += layer_step;
      if (static_cast<std::uint32_t>(z) >= static_cast<std::uint32_t>(blocks.layers)) return;
    }
  }
}

}  // namespace

BlockStops::BlockStops(const ArenaPlan& plan, std::uint64_t tags, bool seen) {
  const BlocksPlan& blocks = plan.blocks;
  for (std::size_t kind = 1; kind < blocks.solid.size(); ++kind) {
    const std::size_t entity = blocks.first_kind + kind - 1;
    const bool stops = ((tags >> plan.tag_of[entity]) & 1u) != 0 && (seen || blocks.solid[kind] != 0);
    entity_[kind] = stops ? static_cast<std::int32_t>(entity) : -1;
  }
}

namespace {

// Eight rays step side by side, each to its next block. Only the look whether there is a block is done one by one, on
// bits that all fit the first-level cache. Planes between blocks are kept as whole numbers, so that the last one a ray
// crosses is met at the very length at which the ray leaves the world: nothing beyond is ever looked at.
class EightWalks {
 public:
  EightWalks(const BlocksPlan& blocks, const StateArrays& s, Vec3 from, const RaysOfEight& rays)
      : blocks_(blocks), s_(s), rays_(rays) {
    const float scale = 1.0f / blocks.size;
    const Vec3 origin = scale * (from - blocks.origin);  // from here on, lengths are in blocks
    const auto top = static_cast<std::int32_t>(*s.block_top);
    F8 enter = all(0.0f);
    leave_ = load(rays.best) * all(scale);
    bound(x_, origin.x, rays.dx, blocks.columns, enter);
    bound(y_, origin.y, rays.dy, blocks.rows, enter);
    bound(z_, origin.z, rays.dz, top, enter);
    const I8 column = begin(x_, rays.dx, enter, blocks.columns, 1),
             row = begin(y_, rays.dy, enter, blocks.rows, blocks.columns),
             layer = begin(z_, rays.dz, enter, top, blocks.columns * blocks.rows);
    at_ = (layer * all(blocks.rows) + row) * all(blocks.columns) + column;
    t_ = enter;
    on_way_ = t_ < leave_;
    active_ = bits_of(on_way_);
  }

  bool active() const { return active_ != 0; }

  ZITHERCRAFT_INLINE void look(const BlockStops& stops) {
    std::int32_t number[8];
    store(number, on_way_ ? at_ : all(0));
    std::uint32_t met = 0;
    for (std::size_t k = 0; k < 8; ++k) {
      const auto n = static_cast<std::uint32_t>(number[k]);
      met |= static_cast<std::uint32_t>((s_.filled[n >> 6] >> (n & 63)) & 1u) << k;
    }
    for (met &= active_; met != 0; met &= met - 1) {
      const auto k = static_cast<std::size_t>(std::countr_zero(met));
      const std::int32_t entity = stops.at(s_.blocks[number[k]]);
      if (entity < 0) continue;
      rays_.best[k] = t_[k] * blocks_.size;
      rays_.who[k] = entity;
      leave_[k] = -1.0f;  // it goes no farther
    }
  }

  ZITHERCRAFT_INLINE void step() {
    const F8 zero = all(0.0f);
    const I8 along_x = (x_.next < y_.next) & (x_.next < z_.next), along_y = (~along_x) & (y_.next < z_.next),
             along_z = ~(along_x | along_y);
    t_ = along_x ? x_.next : along_y ? y_.next : z_.next;
    x_.plane = x_.plane + (along_x ? x_.step : zero);
    y_.plane = y_.plane + (along_y ? y_.step : zero);
    z_.plane = z_.plane + (along_z ? z_.step : zero);
    at_ = at_ + ((x_.stride & along_x) | (y_.stride & along_y) | (z_.stride & along_z));
    x_.next = (x_.plane - x_.o) * x_.inverse;
    y_.next = (y_.plane - y_.o) * y_.inverse;
    z_.next = (z_.plane - z_.o) * z_.inverse;
    on_way_ = t_ < leave_;
    active_ = bits_of(on_way_);
  }

 private:
  struct Axis {
    F8 o, inverse, step, plane, next;
    I8 stride;
  };

  ZITHERCRAFT_INLINE void bound(Axis& a, float o, const float* d, std::int32_t count, F8& enter) {
    a.o = all(o);
    a.inverse = all(1.0f) / off_zero(load(d));
    const F8 low = (all(0.0f) - a.o) * a.inverse, high = (all(static_cast<float>(count)) - a.o) * a.inverse;
    enter = higher(enter, lower(low, high));
    leave_ = lower(leave_, higher(low, high));
  }

  // The block in which the rays enter the world, and the plane they cross next.
  ZITHERCRAFT_INLINE I8 begin(Axis& a, const float* d, F8 enter, std::int32_t count, std::int32_t stride) {
    const F8 direction = load(d), at = a.o + enter * direction, zero = all(0.0f), one = all(1.0f);
    const I8 ahead = direction >= zero;
    const I8 block = __builtin_convertvector(lower(higher(at, zero), all(static_cast<float>(count - 1))), I8);
    a.step = ahead ? one : -one;
    a.plane = __builtin_convertvector(block, F8) + (ahead ? one : zero);
    a.next = (a.plane - a.o) * a.inverse;
    a.stride = ahead ? all(stride) : all(-stride);
    return block;
  }

  const BlocksPlan& blocks_;
  const StateArrays& s_;
  const RaysOfEight& rays_;
  Axis x_, y_, z_;
  F8 t_, leave_;
  I8 at_, on_way_;
  std::uint32_t active_ = 0;  // a bit for each ray
};

}  // namespace

// Two eights at a time: while one waits for its memory, the other computes.
void cast_blocks(const ArenaPlan& plan, const StateArrays& s, Vec3 from, std::span<const RaysOfEight> rays,
                 const BlockStops& stops) {
  for (std::size_t i = 0; i < rays.size(); i += 2) {
    EightWalks a(plan.blocks, s, from, rays[i]);
    if (i + 1 < rays.size()) {
      EightWalks b(plan.blocks, s, from, rays[i + 1]);
      while (a.active() && b.active()) {
        a.look(stops);
        b.look(stops);
        a.step();
        b.step();
      }
      while (b.active()) {
        b.look(stops);
        b.step();
      }
    }
    while (a.active()) {
      a.look(stops);
      a.step();
    }
  }
}

BlockHit look_at_block(const ArenaPlan& plan, const StateArrays& s, Vec3 from, Vec3 d, float reach) {
  BlockHit hit;
  walk(plan.blocks, s.filled, from, d, reach, [&](std::size_t number, std::size_t before, float) {
    hit = {true, before != number, number, before};
    return true;
  });
  return hit;
}

}  // namespace zithercraft
