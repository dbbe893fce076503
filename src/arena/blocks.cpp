#include "blocks.hpp"

#include <bit>
#include <cstring>
#include <utility>

#include "zithercraft/base/random.hpp"

namespace zithercraft {

void begin_blocks(const ArenaPlan& plan, StateArrays& s) {
  const auto& layouts = *plan.blocks.layouts;
  const auto count = static_cast<std::uint32_t>(layouts.size());
  RandomStream random(s.header->seed, s.header->lane, s.header->episode, Purpose::generate);
  const BlockLayout& layout = layouts[count == 1 ? 0 : random.below(count)];
  const std::size_t words = (layout.kinds.size() + 63) / 64;
  if (*s.block_mark != layout.mark) {
    std::memset(s.block_mark, 0, plan.state_bytes - plan.at.block_mark);
    *s.block_mark = layout.mark;
    std::copy(layout.kinds.begin(), layout.kinds.end(), s.blocks);
    *s.block_top = layout.top;
    return;
  }
  *s.block_top = layout.top;
  for (std::size_t group = 0; group < (words + 63) / 64; ++group)
    for (std::uint64_t changed = std::exchange(s.changed[group], 0); changed != 0; changed &= changed - 1) {
      const std::size_t word = 64 * group + static_cast<std::size_t>(std::countr_zero(changed));
      const std::size_t first = 64 * word, size = std::min<std::size_t>(64, layout.kinds.size() - first);
      std::copy_n(layout.kinds.begin() + static_cast<std::ptrdiff_t>(first), size, s.blocks + first);
    }
}

namespace {

// From block to block along the ray, as over cells (cast_cells.hpp). `stop(number,
// before, t)` says whether the ray ends there; `before` is the block it came from, or the number itself at the first
// one.
template <class Stop>
void walk(const BlocksPlan& blocks, const std::uint8_t* kinds, Vec3 from, Vec3 d, float reach, const Stop& stop) {
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
    if (kinds[at] != 0 && stop(static_cast<std::size_t>(at), static_cast<std::size_t>(before), t * blocks.size)) return;
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

void cast_blocks(const ArenaPlan& plan, const StateArrays& s, Vec3 from, std::span<const RaysOfEight> rays,
                 const BlockStops& stops) {
  const BlocksPlan& blocks = plan.blocks;
  const Vec3 origin = (1.0f / blocks.size) * (from - blocks.origin);
  const auto top = static_cast<std::int32_t>(*s.block_top);
  const WalkedGrid<3> grid{{origin.x, origin.y, origin.z},
                           {blocks.columns, blocks.rows, top},
                           {1, blocks.columns, blocks.columns * blocks.rows},
                           blocks.size};
  walk_eights(
      grid, rays, [&](std::uint32_t number) { return s.blocks[number]; },
      [&](std::uint32_t number) { return stops.at(s.blocks[number]); });
}

BlockHit look_at_block(const ArenaPlan& plan, const StateArrays& s, Vec3 from, Vec3 d, float reach) {
  BlockHit hit;
  walk(plan.blocks, s.blocks, from, d, reach, [&](std::size_t number, std::size_t before, float) {
    hit = {true, before != number, number, before};
    return true;
  });
  return hit;
}

}  // namespace zithercraft
