#pragma once

#include <algorithm>
#include <array>
#include <span>

#include "plan.hpp"

namespace zithercraft {

/// Columns and rows from the first to the last, both included.
struct CellBox {
  std::int32_t column0 = 0, row0 = 0, column1 = -1, row1 = -1;
};

/// The cells that the box between two corners touches, within the map.
inline CellBox cells_within(const CellPlan& cells, Vec low, Vec high) {
  const float scale = 1.0f / cells.size;
  const auto at = [&](float v, std::int32_t most) {
    return static_cast<std::int32_t>(std::clamp(std::floor(v * scale), -1.0f, static_cast<float>(most)));
  };
  const Vec a = low - cells.origin, b = high - cells.origin;
  return {std::max(0, at(a.x, cells.columns)), std::max(0, at(a.y, cells.rows)),
          std::min(cells.columns - 1, at(b.x, cells.columns)), std::min(cells.rows - 1, at(b.y, cells.rows))};
}

inline Vec middle_of(const CellPlan& cells, std::size_t cell) {
  const auto columns = static_cast<std::size_t>(cells.columns);
  return cells.origin +
         cells.size * Vec{static_cast<float>(cell % columns) + 0.5f, static_cast<float>(cell / columns) + 0.5f};
}

inline std::size_t cell_number(const CellPlan& cells, std::int32_t column, std::int32_t row) {
  return static_cast<std::size_t>(row) * static_cast<std::size_t>(cells.columns) + static_cast<std::size_t>(column);
}

inline bool solid_at(const CellPlan& cells, const std::uint8_t* state, std::size_t cell) {
  std::uint8_t solid = 0;
  for (std::size_t layer = 0; layer < cells.layers; ++layer) solid |= cells.solid[state[layer * cells.cells() + cell]];
  return solid != 0;
}

/// Which kinds of cells stop the rays of a query.
class CellStops {
 public:
  /// `seen`: cells that are seen though they are not solid stop rays too.
  CellStops(const ArenaPlan& plan, const RayFanQuery& rays, bool seen) : cells_(plan.cells) {
    stops_[0] = -1;
    for (std::size_t kind = 1; kind < cells_.solid.size(); ++kind) {
      const std::size_t entity = cells_.first_kind + kind - 1;
      const bool wanted = ((rays.tags >> plan.tag_of[entity]) & 1u) != 0;
      const bool stops = wanted && (cells_.solid[kind] != 0 || (seen && cells_.seen[kind] != 0));
      stops_[kind] = stops ? static_cast<std::int32_t>(entity) : -1;
    }
  }
  /// The entity that stops rays at a cell, -1 for none; upper layers are met first. `cell` points into the lowest
  /// layer.
  std::int32_t at(const std::uint8_t* cell) const {
    std::int32_t met = stops_[*cell];
    for (std::size_t layer = 1; layer < cells_.layers; ++layer) {
      const std::int32_t above = stops_[cell[layer * cells_.cells()]];
      met = above >= 0 ? above : met;
    }
    return met;
  }
  bool stops(std::size_t kind) const { return stops_[kind] >= 0; }

 private:
  const CellPlan& cells_;
  std::array<std::int32_t, 256> stops_;  // per kind: its entity, or -1
};

/// Thin rays over the cell map: replaces hits that lie farther than the first cell that stops the ray.
void cast_cells(const ArenaPlan& plan, const StateArrays& state, const RayFanQuery& rays, std::span<float> distance,
                std::span<std::int32_t> entity, bool seen);

}  // namespace zithercraft
