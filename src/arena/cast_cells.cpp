#include "cast_cells.hpp"

#include <cmath>

// From cell to cell along the ray: J. Amanatides, A. Woo, "A fast voxel traversal algorithm for ray tracing" (1987).

namespace zithercraft {
namespace {

struct Walk {
  const CellPlan& cells;
  const std::uint8_t* state;
  const CellStops& stops;

  // Cells outside the map are empty; a ray that starts outside is brought to the border first. Lengths are in cells.
  void go(Vec from, Vec d, float& best, std::int32_t& who) const {
    const float size = cells.size, scale = 1.0f / size;
    const float wide = static_cast<float>(cells.columns), high = static_cast<float>(cells.rows);
    const Vec o = scale * (from - cells.origin);
    const float ix = 1.0f / off_zero(d.x), iy = 1.0f / off_zero(d.y), most = best * scale;
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
    const std::uint8_t* cell = state + cell_number(cells, column, row);
    while (t < most) {
      if (const std::int32_t met = stops.at(cell); met >= 0) {
        best = t * size;
        who = met;
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

  static float off_zero(float v) { return std::fabs(v) > 1e-9f ? v : v < 0.0f ? -1e-9f : 1e-9f; }
};

}  // namespace

void cast_cells(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays, std::span<float> distance,
                std::span<std::int32_t> entity, bool seen) {
  const CellStops stops(plan, rays, seen);
  const Walk walk{plan.cells, s.cells, stops};
  for (std::size_t i = 0; i < rays.direction_x.size(); ++i)
    walk.go({rays.x, rays.y}, {rays.direction_x[i], rays.direction_y[i]}, distance[i], entity[i]);
}

}  // namespace zithercraft
