#include "arena/blocks.hpp"

#include <bit>
#include <cstring>
#include <utility>

#include "zithercraft/base/random.hpp"

namespace zithercraft {
using namespace arena_internal;

void arena_internal::begin_blocks(const ArenaPlan& plan, StateArrays& s) {
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
    for (std::uint64_t changed = std::exchange(s.changed[group], 0); changed != 0;
         changed &= changed - 1) {
      const std::size_t word = 64 * group + static_cast<std::size_t>(std::countr_zero(changed));
      const std::size_t first = 64 * word,
                        size = std::min<std::size_t>(64, layout.kinds.size() - first);
      std::copy_n(layout.kinds.begin() + static_cast<std::ptrdiff_t>(first), size,
                  s.blocks + first);
    }
}

BlockStops::BlockStops(const ArenaPlan& plan, TagSet tags, bool seen) {
  const BlocksPlan& blocks = plan.blocks;
  for (std::size_t kind = 1; kind < blocks.solid.size(); ++kind) {
    const std::size_t entity = blocks.first_kind + kind - 1;
    const bool stops = tags.holds(plan.tag_of[entity]) && (seen || blocks.solid[kind] != 0);
    entity_[kind] = stops ? static_cast<std::int32_t>(entity) : -1;
  }
}

namespace {

WalkedGrid<3> grid_of(const BlocksPlan& blocks, const StateArrays& s, Vec3 from) {
  const Vec3 origin = (1.0f / blocks.size) * (from - blocks.origin);
  return {{origin.x, origin.y, origin.z},
          {blocks.columns, blocks.rows, static_cast<std::int32_t>(*s.block_top)},
          {1, blocks.columns, blocks.columns * blocks.rows},
          blocks.size};
}

}  // namespace

void arena_internal::cast_blocks(const ArenaPlan& plan, const StateArrays& s, Vec3 from,
                                 std::span<const RaysOfEight> rays, const BlockStops& stops) {
  walk_eights(
      grid_of(plan.blocks, s, from), rays, [&](std::uint32_t number) { return s.blocks[number]; },
      [&](std::uint32_t number) { return stops.at(s.blocks[number]); });
}

// One ray goes the way of eight equal ones. The free block before the one it meets lies a hair back
// along it.
BlockHit arena_internal::look_at_block(const ArenaPlan& plan, const StateArrays& s, Vec3 from,
                                       Vec3 d, float reach) {
  constexpr float hair = 1e-3f;  // of a block
  const BlocksPlan& blocks = plan.blocks;
  std::array<float, 8> dx, dy, dz, distance;
  std::array<std::int32_t, 8> who;
  dx.fill(d.x);
  dy.fill(d.y);
  dz.fill(d.z);
  distance.fill(reach);
  who.fill(-1);
  const RaysOfEight rays{{dx.data(), dy.data(), dz.data()}, distance.data(), who.data()};
  BlockHit hit;
  walk_eights(
      grid_of(blocks, s, from), std::span(&rays, 1),
      [&](std::uint32_t number) { return s.blocks[number]; },
      [&](std::uint32_t number) {
        hit.met = true;
        hit.number = number;
        return 0;
      });
  if (!hit.met) return hit;
  const Vec3 at = from + (distance[0] - hair * blocks.size) * d;
  const BlockBox box = blocks_within(blocks, at, at);
  if (distance[0] <= 0.0f || box.column0 > box.column1 || box.row0 > box.row1 ||
      box.layer0 > box.layer1)
    return hit;
  hit.before = block_number(blocks, box.column0, box.row0, box.layer0);
  hit.has_before = s.blocks[hit.before] == 0;
  return hit;
}

}  // namespace zithercraft
