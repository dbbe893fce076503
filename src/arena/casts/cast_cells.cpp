#include "arena/casts/cast_cells.hpp"

#include "arena/casts/walk_eight.hpp"

namespace zithercraft::arena_internal {

void cast_cells(const ArenaPlan& plan, const StateArrays& s, const RayFanQuery& rays,
                std::span<float> distance, std::span<std::int32_t> entity, bool seen, Band band) {
  constexpr std::size_t at_once = 8;
  const CellStops stops(plan, rays, seen, band);
  const CellPlan& cells = plan.cells;
  const Vec origin = (1.0f / cells.size) * (Vec{rays.x, rays.y} - cells.origin);
  const WalkedGrid<2> grid{
      {origin.x, origin.y}, {cells.columns, cells.rows}, {1, cells.columns}, cells.size};
  for (std::size_t first = 0; first < distance.size(); first += 8 * at_once) {
    // The last eight may be short; its last ray is then repeated.
    std::array<std::array<float, 8>, at_once> dx, dy, best;
    std::array<std::array<std::int32_t, 8>, at_once> who;
    std::array<RaysOfEight, at_once> eights;
    std::size_t count = 0;
    for (; count < at_once && first + 8 * count < distance.size(); ++count) {
      for (std::size_t k = 0; k < 8; ++k) {
        const std::size_t ray = std::min(first + 8 * count + k, distance.size() - 1);
        dx[count][k] = rays.direction_x[ray];
        dy[count][k] = rays.direction_y[ray];
        best[count][k] = distance[ray];
        who[count][k] = entity[ray];
      }
      eights[count] = {
          {dx[count].data(), dy[count].data(), nullptr}, best[count].data(), who[count].data()};
    }
    const auto stop = [&](std::uint32_t cell) { return stops.at(s.cells + cell); };
    const auto some = std::span<const RaysOfEight>(eights).first(count);
    if (cells.layers == 1) {
      walk_eights(
          grid, some, [&](std::uint32_t cell) { return stops.flag(s.cells[cell]); }, stop);
    } else {
      walk_eights(
          grid, some, [&](std::uint32_t cell) { return stops.flag_of_layers(s.cells + cell); },
          stop);
    }
    for (std::size_t i = first; i < std::min(distance.size(), first + 8 * count); ++i) {
      distance[i] = best[(i - first) / 8][(i - first) % 8];
      entity[i] = who[(i - first) / 8][(i - first) % 8];
    }
  }
}

}  // namespace zithercraft::arena_internal
