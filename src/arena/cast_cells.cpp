#include "cast_cells.hpp"

#include <cmath>

// From cell to cell along the ray: J. Amanatides, A. Woo, "A fast voxel traversal algorithm for ray tracing" (1987).

namespace zithercraft {
namespace {

struct Walk {
  const CellPlan& cells;
  const std::uint8_t* state;
  const CellStops& stops;
  float reach;

  // Cells outside the map are empty; a ray that starts outside is brought to the border first.
  void go(Vec from, Vec d, float& best, std::int32_t& who) const {
    const float size = cells.size, scale = 1.0f / size;
    const float wide = static_cast<float>(cells.columns), high = static_cast<float>(cells.rows);
    const Vec o = scale * (from - cells.origin);
    const float far = std::min(best, reach);
    const float ix = 1.0f / (std::fabs(d.x) > 1e-12f ? d.x : 1e-12f), iy = 1.0f / (std::fabs(d.y) > 1e-12f ? d.y : 1e-12f);
    float t = 0.0f;  // in cells
    if (!(o.x >= 0.0f && o.x < wide && o.y >= 0.0f && o.y < high)) {
      const float x0 = -o.x * ix, x1 = (wide - o.x) * ix, y0 = -o.y * iy, y1 = (high - o.y) * iy;
      const float in = std::max({std::min(x0, x1), std::min(y0, y1), 0.0f});
      if (in > std::min(std::max(x0, x1), std::max(y0, y1))) return;
      t = in;
    }
    const std::int32_t step_x = d.x >= 0.0f ? 1 : -1, step_y = d.y >= 0.0f ? 1 : -1;
    std::int32_t column = std::clamp(static_cast<std::int32_t>(std::floor(o.x + t * d.x)), 0, cells.columns - 1);
    std::int32_t row = std::clamp(static_cast<std::int32_t>(std::floor(o.y + t * d.y)), 0, cells.rows - 1);
    float next_x = (static_cast<float>(column + (step_x > 0 ? 1 : 0)) - o.x) * ix;
    float next_y = (static_cast<float>(row + (step_y > 0 ? 1 : 0)) - o.y) * iy;
    const float per_x = std::fabs(ix), per_y = std::fabs(iy), most = far * scale;
    const std::ptrdiff_t row_step = static_cast<std::ptrdiff_t>(step_y) * cells.columns;
    auto cell = static_cast<std::ptrdiff_t>(cell_number(cells, column, row));
    while (t < most) {
      if (stopped(cell)) {
        best = t * size;
        who = stops.at(state, column, row);
        return;
      }
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

  bool stopped(std::ptrdiff_t cell) const {
    const std::uint8_t* at = state + cell;
    bool any = stops.stops(*at);
    for (std::size_t layer = 1; layer < cells.layers; ++layer) any = any || stops.stops(at[layer * cells.cells()]);
    return any;
  }
};

}  // namespace

void cast_cells(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays, std::span<float> distance,
                std::span<std::int32_t> entity, bool seen) {
  const CellStops stops(plan, rays, seen);
  const Walk walk{plan.cells, s.cells, stops, rays.reach};
  for (std::size_t i = 0; i < rays.direction_x.size(); ++i)
    walk.go({rays.x, rays.y}, {rays.direction_x[i], rays.direction_y[i]}, distance[i], entity[i]);
}

}  // namespace zithercraft
