#include <array>
#include <cmath>
#include <limits>

#include "arena/casts/cast_cells.hpp"
#include "arena/state.hpp"
#include "zithercraft/arena/arena.hpp"

// Shortest paths over the cells of an arena: breadth first from where one wants to be.

namespace zithercraft {
using namespace arena_internal;
namespace {

constexpr std::uint32_t shut = std::numeric_limits<std::uint32_t>::max(), unseen = shut - 1;

// The aim, in cells from the middle of the own cell to that of the next: through the middle of the
// edge between both, so that corners are not cut, and never so near that the direction becomes
// uncertain.
constexpr float beyond_the_edge = 0.75f;

class Search {
 public:
  Search(const ArenaPlan& plan, const StateArrays& s, PathMemory& memory)
      : cells_(plan.cells), memory_(memory) {
    const std::size_t count = cells_.cells();
    std::array<std::uint32_t, 256> begin{};
    for (std::size_t kind = 0; kind < cells_.solid.size(); ++kind)
      begin[kind] = cells_.solid[kind] != 0 || cells_.avoided[kind] != 0 ? shut : unseen;
    memory_.steps.resize(count);
    for (std::size_t cell = 0; cell < count; ++cell) memory_.steps[cell] = begin[s.cells[cell]];
    for (std::size_t above = count; above < cells_.layers * count; ++above)
      if (begin[s.cells[above]] == shut) memory_.steps[above % count] = shut;
  }

  // Numbers cells by their steps to `to`, until `from` is reached.
  bool reach(std::size_t from, std::size_t to) {
    auto& queue = memory_.queue;
    queue.clear();
    queue.push_back(static_cast<std::uint32_t>(to));
    memory_.steps[from] = unseen;  // the search may end at an occupied cell
    memory_.steps[to] = 0;
    const auto columns = static_cast<std::uint32_t>(cells_.columns), last = columns - 1,
               behind = static_cast<std::uint32_t>(cells_.cells()) - columns;
    std::uint32_t* const steps = memory_.steps.data();
    for (std::size_t next = 0; next < queue.size() && steps[from] == unseen; ++next) {
      const std::uint32_t cell = queue[next], column = cell % columns, there = steps[cell] + 1;
      const auto go = [&](std::uint32_t beside) {
        if (steps[beside] != unseen) return;
        steps[beside] = there;
        queue.push_back(beside);
      };
      if (column != last) go(cell + 1);
      if (cell < behind) go(cell + columns);
      if (column != 0) go(cell - 1);
      if (cell >= columns) go(cell - columns);
    }
    return steps[from] != unseen;
  }

  // The cell that follows on a shortest path; itself at its end.
  std::size_t after(std::size_t cell) const {
    for (std::size_t way = 0; steps(cell) > 0 && way < 4; ++way)
      if (const auto next = neighbour(cell, way); steps(next) == steps(cell) - 1) return next;
    return cell;
  }

 private:
  static constexpr std::size_t outside = std::numeric_limits<std::size_t>::max();

  std::uint32_t steps(std::size_t cell) const {
    return cell == outside ? shut : memory_.steps[cell];
  }
  std::size_t neighbour(std::size_t cell, std::size_t way) const {
    const auto number = static_cast<std::int32_t>(cell);
    const std::int32_t column = number % cells_.columns + step_column[way],
                       row = number / cells_.columns + step_row[way];
    const bool inside = column >= 0 && row >= 0 && column < cells_.columns && row < cells_.rows;
    return inside ? cell_number(cells_, column, row) : outside;
  }

  const CellPlan& cells_;
  PathMemory& memory_;
};

}  // namespace

std::optional<CellPath> Arena::path_to(const std::byte* state, float x, float y, EntityId thing,
                                       PathMemory& memory) const {
  const ArenaPlan& plan = plan_of(state);
  if (!plan.has_cells()) return std::nullopt;
  const StateArrays s = reading_of(plan, state);
  const CellPlan& cells = plan.cells;
  const Vec here{x, y}, there{s.x[thing.index()], s.y[thing.index()]};
  const CellBox own = cells_within(cells, here, here), other = cells_within(cells, there, there);
  if (own.column1 < own.column0 || own.row1 < own.row0 || other.column1 < other.column0 ||
      other.row1 < other.row0)
    return std::nullopt;
  const std::size_t from = cell_number(cells, own.column0, own.row0),
                    to = cell_number(cells, other.column0, other.row0);
  Search search(plan, s, memory);
  if (!search.reach(from, to)) return std::nullopt;
  const std::size_t next = search.after(from);
  if (next == to) return CellPath{length(there - here), there.x, there.y};
  const Vec own_middle = middle_of(cells, from),
            aim = own_middle + beyond_the_edge * (middle_of(cells, next) - own_middle);
  const float rest = static_cast<float>(memory.steps[next]) + 1.0f - beyond_the_edge;
  return CellPath{length(aim - here) + cells.size * rest, aim.x, aim.y};
}

}  // namespace zithercraft
