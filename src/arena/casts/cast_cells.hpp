#pragma once

#include <algorithm>
#include <array>
#include <span>

#include <cmath>

#include "arena/physics/standing.hpp"

namespace zithercraft::arena_internal {

/// Columns and rows from the first to the last, both included.
struct CellBox {
  std::int32_t column0 = 0, row0 = 0, column1 = -1, row1 = -1;
};

/// The cells that the box between two corners touches, within the map.
inline CellBox cells_within(const CellPlan& cells, Vec low, Vec high) {
  const float scale = 1.0f / cells.size;
  const auto at = [&](float v, std::int32_t most) {
    return static_cast<std::int32_t>(
        std::clamp(std::floor(v * scale), -1.0f, static_cast<float>(most)));
  };
  const Vec a = low - cells.origin, b = high - cells.origin;
  return {std::max(0, at(a.x, cells.columns)), std::max(0, at(a.y, cells.rows)),
          std::min(cells.columns - 1, at(b.x, cells.columns)),
          std::min(cells.rows - 1, at(b.y, cells.rows))};
}

/// From a cell to those beside it: east, north, west, south.
inline constexpr std::int32_t step_column[] = {1, 0, -1, 0}, step_row[] = {0, 1, 0, -1};

inline Vec middle_of(const CellPlan& cells, std::size_t cell) {
  const auto columns = static_cast<std::size_t>(cells.columns);
  const std::size_t column = cell % columns, row = cell / columns;
  return cells.origin +
         cells.size * Vec{static_cast<float>(column) + 0.5f, static_cast<float>(row) + 0.5f};
}

inline std::size_t cell_number(const CellPlan& cells, std::int32_t column, std::int32_t row) {
  return static_cast<std::size_t>(row) * static_cast<std::size_t>(cells.columns) +
         static_cast<std::size_t>(column);
}

inline bool solid_at(const CellPlan& cells, const std::uint8_t* state, std::size_t cell) {
  std::uint8_t solid = 0;
  for (std::size_t layer = 0; layer < cells.layers; ++layer)
    solid |= cells.solid[state[layer * cells.cells() + cell]];
  return solid != 0;
}

/// The highest end of what is solid there, `-boundless` if nothing is.
inline float top_of(const CellPlan& cells, const std::uint8_t* state, std::size_t cell) {
  float top = -boundless;
  for (std::size_t layer = 0; layer < cells.layers; ++layer)
    if (const std::uint8_t kind = state[layer * cells.cells() + cell]; cells.solid[kind] != 0)
      top = std::max(top, cells.top[kind]);
  return top;
}

/// Whether something solid there reaches above a level.
inline bool solid_above(const CellPlan& cells, const std::uint8_t* state, std::size_t cell,
                        float level) {
  return top_of(cells, state, cell) > level;
}

/// Which kinds of cells stop the rays of a query.
class CellStops {
 public:
  /// `seen`: cells that are seen though they are not solid stop rays too. Those that end below the
  /// band do not.
  CellStops(const ArenaPlan& plan, const RayFanQuery& rays, bool seen, Band band)
      : cells_(plan.cells) {
    stops_[0] = -1;
    flag_[0] = 0;
    for (std::size_t kind = 1; kind < cells_.solid.size(); ++kind) {
      const std::size_t entity = cells_.first_kind + kind - 1;
      const bool wanted = rays.tags.holds(plan.tag_of[entity]);
      const bool stops = wanted && (cells_.solid[kind] != 0 || (seen && cells_.seen[kind] != 0)) &&
                         cells_.top[kind] > band.low;
      stops_[kind] = stops ? static_cast<std::int32_t>(entity) : -1;
      flag_[kind] = stops ? 255 : 0;
    }
  }
  /// The entity that stops rays at a cell, -1 for none; upper layers are met first. `cell` points
  /// into the lowest layer.
  std::int32_t at(const std::uint8_t* cell) const {
    std::int32_t met = stops_[*cell];
    for (std::size_t layer = 1; layer < cells_.layers; ++layer) {
      const std::int32_t above = stops_[cell[layer * cells_.cells()]];
      met = above >= 0 ? above : met;
    }
    return met;
  }
  bool stops(std::size_t kind) const { return stops_[kind] >= 0; }
  /// 255 if rays stop at a kind, or somewhere in the layers of a cell, else 0.
  std::uint8_t flag(std::uint8_t kind) const { return flag_[kind]; }
  std::uint8_t flag_of_layers(const std::uint8_t* cell) const {
    std::uint8_t flag = flag_[*cell];
    for (std::size_t layer = 1; layer < cells_.layers; ++layer)
      flag |= flag_[cell[layer * cells_.cells()]];
    return flag;
  }

 private:
  const CellPlan& cells_;
  std::array<std::int32_t, 256> stops_;  // per kind: its entity, or -1
  std::array<std::uint8_t, 256> flag_;   // per kind
};

/// Follows a ray from cell to cell: J. Amanatides, A. Woo, "A fast voxel traversal algorithm for
/// ray tracing" (1987).
///
/// Calls `visit(cell, in, out)` for each, with the stretch of the ray in it in metres, until it
/// returns true. Cells outside the map are left out; a ray that starts outside is brought to the
/// border first.
template <class Visit>
void walk_cells(const CellPlan& cells, Vec from, Vec d, float reach, const Visit& visit) {
  const auto off_zero = [](float v) {
    return std::fabs(v) > 1e-9f ? v : v < 0.0f ? -1e-9f : 1e-9f;
  };
  const float size = cells.size, scale = 1.0f / size;
  const float wide = static_cast<float>(cells.columns), high = static_cast<float>(cells.rows);
  const Vec o = scale * (from - cells.origin);  // from here on, lengths are in cells
  const float ix = 1.0f / off_zero(d.x), iy = 1.0f / off_zero(d.y), most = reach * scale;
  float t = 0.0f;
  if (!(o.x >= 0.0f && o.x < wide && o.y >= 0.0f && o.y < high)) {
    const float x0 = -o.x * ix, x1 = (wide - o.x) * ix, y0 = -o.y * iy, y1 = (high - o.y) * iy;
    t = std::max({std::min(x0, x1), std::min(y0, y1), 0.0f});
    if (t > std::min(std::max(x0, x1), std::max(y0, y1))) return;
  }
  const std::int32_t step_x = d.x >= 0.0f ? 1 : -1, step_y = d.y >= 0.0f ? 1 : -1;
  std::int32_t column = std::clamp(static_cast<std::int32_t>(o.x + t * d.x), 0, cells.columns - 1);
  std::int32_t row = std::clamp(static_cast<std::int32_t>(o.y + t * d.y), 0, cells.rows - 1);
  float next_x = (static_cast<float>(column + (step_x > 0 ? 1 : 0)) - o.x) * ix;
  float next_y = (static_cast<float>(row + (step_y > 0 ? 1 : 0)) - o.y) * iy;
  const float per_x = std::fabs(ix), per_y = std::fabs(iy);
  const std::ptrdiff_t row_step = static_cast<std::ptrdiff_t>(step_y) * cells.columns;
  auto cell = static_cast<std::ptrdiff_t>(cell_number(cells, column, row));
  while (t < most) {
    if (visit(cell, t * size, std::min(next_x, next_y) * size)) return;
    if (next_x < next_y) {
      t = next_x;
      next_x += per_x;
      column += step_x;
      cell += step_x;
      if (static_cast<std::uint32_t>(column) >= static_cast<std::uint32_t>(cells.columns)) return;
    } else {
      t = next_y;
      next_y += per_y;
      row += step_y;
      cell += row_step;
      if (static_cast<std::uint32_t>(row) >= static_cast<std::uint32_t>(cells.rows)) return;
    }
  }
}

/// Thin rays over the cell map: replaces hits that lie farther than the first cell that stops the
/// ray.
void cast_cells(const ArenaPlan& plan, const StateArrays& state, const RayFanQuery& rays,
                std::span<float> distance, std::span<std::int32_t> entity, bool seen, Band band);

}  // namespace zithercraft::arena_internal
