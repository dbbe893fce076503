#include "cast_cells.hpp"

namespace zithercraft {

void cast_cells(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays, std::span<float> distance,
                std::span<std::int32_t> entity, bool seen, Band band) {
  const CellStops stops(plan, rays, seen, band);
  for (std::size_t i = 0; i < rays.direction_x.size(); ++i)
    walk_cells(plan.cells, {rays.x, rays.y}, {rays.direction_x[i], rays.direction_y[i]}, distance[i],
               [&](std::ptrdiff_t cell, float in, float) {
                 const std::int32_t met = stops.at(s.cells + cell);
                 if (met < 0) return false;
                 distance[i] = in;
                 entity[i] = met;
                 return true;
               });
}

}  // namespace zithercraft
