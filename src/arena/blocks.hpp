#pragma once

// Where blocks lie, and what they are.

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

#include "arena/casts/walk_eight.hpp"
#include "arena/physics/standing.hpp"

namespace zithercraft::arena_internal {

struct BlockBox {
  std::int32_t column0, row0, layer0, column1, row1, layer1;  // none if a first exceeds its last
};

inline std::size_t block_number(const BlocksPlan& blocks, std::int32_t column, std::int32_t row,
                                std::int32_t layer) {
  return (static_cast<std::size_t>(layer) * static_cast<std::size_t>(blocks.rows) +
          static_cast<std::size_t>(row)) *
             static_cast<std::size_t>(blocks.columns) +
         static_cast<std::size_t>(column);
}

/// The blocks of the world that a box of space touches.
inline BlockBox blocks_within(const BlocksPlan& blocks, Vec3 low, Vec3 high) {
  const auto at = [&](float v, std::int32_t most) {
    return static_cast<std::int32_t>(
        std::floor(std::clamp(v / blocks.size, -1.0f, static_cast<float>(most))));
  };
  const Vec3 a = low - blocks.origin, b = high - blocks.origin;
  return {std::max(0, at(a.x, blocks.columns)),
          std::max(0, at(a.y, blocks.rows)),
          std::max(0, at(a.z, blocks.layers)),
          std::min(blocks.columns - 1, at(b.x, blocks.columns)),
          std::min(blocks.rows - 1, at(b.y, blocks.rows)),
          std::min(blocks.layers - 1, at(b.z, blocks.layers))};
}

inline bool is_solid(const BlocksPlan& blocks, const StateArrays& s, std::int32_t column,
                     std::int32_t row, std::int32_t layer) {
  return column >= 0 && row >= 0 && layer >= 0 && column < blocks.columns && row < blocks.rows &&
         layer < blocks.layers &&
         blocks.solid[s.blocks[block_number(blocks, column, row, layer)]] != 0;
}

/// A solid block of a column in a band of height, the lowest; -1 if there is none.
inline std::int32_t solid_layer(const BlocksPlan& blocks, const StateArrays& s, std::int32_t column,
                                std::int32_t row, Band band) {
  constexpr float margin = 1e-3f;  // metres: a body that stands on a block is not in it
  const auto layer_of = [&](float z) {
    return static_cast<std::int32_t>(std::floor(
        std::clamp((z - blocks.origin.z) / blocks.size, -1.0f, static_cast<float>(blocks.layers))));
  };
  const std::int32_t last = std::min(blocks.layers - 1, layer_of(band.high - margin));
  for (std::int32_t layer = std::max(0, layer_of(band.low + margin)); layer <= last; ++layer)
    if (is_solid(blocks, s, column, row, layer)) return layer;
  return -1;
}

inline float level_of(const BlocksPlan& blocks, std::int32_t layer) {
  return blocks.origin.z + blocks.size * static_cast<float>(layer);
}

/// A column seen from above.
inline Core core_of_column(const BlocksPlan& blocks, std::int32_t column, std::int32_t row) {
  const Vec low = Vec{blocks.origin.x, blocks.origin.y} +
                  blocks.size * Vec{static_cast<float>(column), static_cast<float>(row)};
  return core_of_cells(low, low + Vec{blocks.size, blocks.size});
}

/// Replaces a block's kind (0 for none) and notes that its part of the world is no longer as it was
/// laid out.
inline void put_block(const BlocksPlan& blocks, const StateArrays& s, std::size_t number,
                      std::uint8_t kind) {
  const std::size_t word = number / 64;
  const auto layer = static_cast<std::uint32_t>(
      number / (static_cast<std::size_t>(blocks.columns) * static_cast<std::size_t>(blocks.rows)));
  s.blocks[number] = kind;
  if (kind != 0) *s.block_top = std::max(*s.block_top, layer + 1);
  s.changed[word / 64] |= std::uint64_t{1} << (word % 64);
}

/// Brings a state's world to its layout: only what has changed, if it is of the same layout
/// already.
void begin_blocks(const ArenaPlan& plan, StateArrays& s);

/// Which kinds of blocks stop rays that ask for some tags. `seen`: those that are not solid do too.
class BlockStops {
 public:
  BlockStops(const ArenaPlan& plan, TagSet tags, bool seen);
  /// The entity that stops them, -1 for none. Kind 0 is never asked for.
  std::int32_t at(std::uint8_t kind) const { return entity_[kind]; }

 private:
  std::array<std::int32_t, 256> entity_;
};

/// The first block that stops each ray: replaces hits that lie farther.
void cast_blocks(const ArenaPlan& plan, const StateArrays& s, Vec3 from,
                 std::span<const RaysOfEight> rays, const BlockStops& stops);

/// The block a ray meets first, solid or not, and the free one before it.
struct BlockHit {
  bool met = false, has_before = false;
  std::size_t number = 0, before = 0;
};
BlockHit look_at_block(const ArenaPlan& plan, const StateArrays& s, Vec3 from, Vec3 direction,
                       float reach);

/// Makes all layouts of a world. Throws Error (spec) if a generator names an unknown kind.
void lay_out_blocks(const BlocksSpec& spec, const std::vector<std::uint8_t>& start,
                    BlocksPlan& blocks);

}  // namespace zithercraft::arena_internal
