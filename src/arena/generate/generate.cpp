#include "arena/generate/generate.hpp"

#include <algorithm>
#include <cmath>

#include "arena/casts/cast_cells.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::arena_internal {
namespace {

/// One layer of the map while it is made.
struct Canvas {
  std::uint8_t* cells;
  std::int32_t columns, rows;

  std::uint8_t& at(std::int32_t column, std::int32_t row) const {
    return cells[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) +
                 static_cast<std::size_t>(column)];
  }
  bool holds(std::int32_t column, std::int32_t row) const {
    return column >= 0 && row >= 0 && column < columns && row < rows;
  }
  std::size_t size() const {
    return static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows);
  }
  void fill(std::uint8_t kind) const { std::fill_n(cells, size(), kind); }
  void fill(std::int32_t column, std::int32_t row, std::int32_t wide, std::int32_t high,
            std::uint8_t kind) const {
    for (std::int32_t r = row; r < row + high; ++r)
      for (std::int32_t c = column; c < column + wide; ++c)
        if (holds(c, r)) at(c, r) = kind;
  }
};

// Chambers of `corridor` cells in a lattice with walls of one cell in between.
void make(const Maze& maze, const CellsSpec& spec, const Canvas& map, RandomStream& random,
          GeneratorMemory& memory) {
  const std::uint8_t wall = kind_number(spec, maze.wall, {}),
                     open = kind_number(spec, maze.open, {});
  const auto width = static_cast<std::int32_t>(maze.corridor), period = width + 1;
  const std::int32_t wide = (map.columns - 1) / period, high = (map.rows - 1) / period;
  map.fill(wall);
  const auto number = [&](std::int32_t x, std::int32_t y) {
    return static_cast<std::uint32_t>(y * wide + x);
  };
  const auto open_between = [&](std::int32_t x, std::int32_t y, int way) {
    map.fill(
        1 + x * period + std::max(0, step_column[way] * width) - (step_column[way] < 0 ? 1 : 0),
        1 + y * period + std::max(0, step_row[way] * width) - (step_row[way] < 0 ? 1 : 0),
        step_column[way] != 0 ? 1 : width, step_row[way] != 0 ? 1 : width, open);
  };
  auto& seen = memory.marks;
  seen.assign(static_cast<std::size_t>(wide * high), 0);
  memory.stack.clear();
  memory.stack.push_back(random.below(static_cast<std::uint32_t>(wide * high)));
  seen[memory.stack.back()] = 1;
  while (!memory.stack.empty()) {
    const auto x = static_cast<std::int32_t>(memory.stack.back()) % wide;
    const auto y = static_cast<std::int32_t>(memory.stack.back()) / wide;
    map.fill(1 + x * period, 1 + y * period, width, width, open);
    int ways[4], count = 0;
    for (int way = 0; way < 4; ++way) {
      const std::int32_t nx = x + step_column[way], ny = y + step_row[way];
      if (nx >= 0 && ny >= 0 && nx < wide && ny < high && seen[number(nx, ny)] == 0)
        ways[count++] = way;
    }
    if (count == 0) {
      memory.stack.pop_back();
      continue;
    }
    const int way = ways[random.below(static_cast<std::uint32_t>(count))];
    open_between(x, y, way);
    const std::uint32_t next = number(x + step_column[way], y + step_row[way]);
    seen[next] = 1;
    memory.stack.push_back(next);
  }
  if (maze.loops <= 0.0) return;
  for (std::int32_t y = 0; y < high; ++y)
    for (std::int32_t x = 0; x < wide; ++x)
      for (const int way : {0, 1}) {
        if (x + step_column[way] >= wide || y + step_row[way] >= high) continue;
        const std::int32_t column = 1 + x * period + step_column[way] * width;
        const std::int32_t row = 1 + y * period + step_row[way] * width;
        if (map.at(column, row) == wall && static_cast<double>(random.uniform()) < maze.loops)
          open_between(x, y, way);
      }
}

void make(const Rooms& rooms, const CellsSpec& spec, const Canvas& map, RandomStream& random,
          GeneratorMemory&) {
  const std::uint8_t wall = kind_number(spec, rooms.wall, {}),
                     open = kind_number(spec, rooms.open, {});
  map.fill(wall);
  std::int32_t last_x = 0, last_y = 0, placed = 0;
  const auto between = [&](std::int32_t low, std::int32_t high) {
    return low +
           static_cast<std::int32_t>(random.below(static_cast<std::uint32_t>(high - low + 1)));
  };
  const auto smallest = static_cast<std::int32_t>(rooms.smallest),
             largest = static_cast<std::int32_t>(rooms.largest);
  for (std::int64_t attempt = 0; attempt < 8 * rooms.rooms && placed < rooms.rooms; ++attempt) {
    const std::int32_t wide = std::min(between(smallest, largest), map.columns - 2);
    const std::int32_t high = std::min(between(smallest, largest), map.rows - 2);
    const std::int32_t column = between(1, map.columns - 1 - wide),
                       row = between(1, map.rows - 1 - high);
    bool free = true;
    for (std::int32_t r = row - 1; r <= row + high; ++r)
      for (std::int32_t c = column - 1; c <= column + wide; ++c)
        free = free && map.at(c, r) == wall;
    if (!free && placed > 0) continue;
    map.fill(column, row, wide, high, open);
    const std::int32_t x = column + wide / 2, y = row + high / 2;
    if (placed++ > 0) {  // a corridor with one bend to the room before it
      const bool along_first = random.below(2) == 0;
      map.fill(std::min(x, last_x), along_first ? last_y : y, std::abs(x - last_x) + 1, 1, open);
      map.fill(along_first ? x : last_x, std::min(y, last_y), 1, std::abs(y - last_y) + 1, open);
    }
    last_x = x;
    last_y = y;
  }
}

// Marks everything joined to `from` without leaving `kind`; returns how much that is.
std::size_t flood(const Canvas& map, std::uint32_t from, std::uint8_t kind, std::uint8_t mark,
                  GeneratorMemory& memory) {
  std::size_t count = 0;
  memory.stack.clear();
  memory.stack.push_back(from);
  memory.marks[from] = mark;
  while (!memory.stack.empty()) {
    const auto cell = static_cast<std::int32_t>(memory.stack.back());
    memory.stack.pop_back();
    ++count;
    for (int way = 0; way < 4; ++way) {
      const std::int32_t column = cell % map.columns + step_column[way],
                         row = cell / map.columns + step_row[way];
      if (!map.holds(column, row) || map.at(column, row) != kind) continue;
      const auto next = static_cast<std::uint32_t>(row * map.columns + column);
      if (memory.marks[next] != 0) continue;
      memory.marks[next] = mark;
      memory.stack.push_back(next);
    }
  }
  return count;
}

void make(const Caves& caves, const CellsSpec& spec, const Canvas& map, RandomStream& random,
          GeneratorMemory& memory) {
  const std::uint8_t wall = kind_number(spec, caves.wall, {}),
                     open = kind_number(spec, caves.open, {});
  for (std::int32_t row = 0; row < map.rows; ++row)
    for (std::int32_t column = 0; column < map.columns; ++column) {
      const bool border =
          row == 0 || column == 0 || row == map.rows - 1 || column == map.columns - 1;
      const bool filled = static_cast<double>(random.uniform()) < caves.fill;
      map.at(column, row) = border || filled ? wall : open;
    }
  auto& marks = memory.marks;
  for (std::int64_t round = 0; round < caves.rounds; ++round) {
    marks.assign(map.size(), wall);
    for (std::int32_t row = 1; row < map.rows - 1; ++row)
      for (std::int32_t column = 1; column < map.columns - 1; ++column) {
        int walls = 0;
        for (std::int32_t r = row - 1; r <= row + 1; ++r)
          for (std::int32_t c = column - 1; c <= column + 1; ++c)
            walls += map.at(c, r) == wall ? 1 : 0;
        marks[static_cast<std::size_t>(row * map.columns + column)] = walls >= 5 ? wall : open;
      }
    std::copy(marks.begin(), marks.end(), map.cells);
  }
  // Keep the largest hollow. Marks distinguish hollows only while one is compared with the best so
  // far.
  marks.assign(map.size(), 0);
  std::size_t best = 0;
  std::uint32_t best_from = 0;
  for (std::uint32_t cell = 0; cell < map.size(); ++cell) {
    if (map.cells[cell] != open || marks[cell] != 0) continue;
    if (const std::size_t size = flood(map, cell, open, 1, memory); size > best) {
      best = size;
      best_from = cell;
    }
  }
  if (best == 0) {
    map.at(map.columns / 2, map.rows / 2) = open;
    return;
  }
  marks.assign(map.size(), 0);
  flood(map, best_from, open, 1, memory);
  for (std::size_t cell = 0; cell < map.size(); ++cell)
    if (map.cells[cell] == open && marks[cell] == 0) map.cells[cell] = wall;
}

// Smooth noise between 0 and 1: random heights on a lattice, joined by smooth steps.
class Noise {
 public:
  Noise(RandomStream& random, std::int32_t wide, std::int32_t high, std::vector<float>& heights)
      : wide_(wide + 2), heights_(heights) {
    heights_.resize(static_cast<std::size_t>(wide_) * static_cast<std::size_t>(high + 2));
    for (float& h : heights_) h = random.uniform();
  }
  float at(float x, float y) const {
    const float fx = std::floor(x), fy = std::floor(y);
    const auto column = static_cast<std::int32_t>(fx), row = static_cast<std::int32_t>(fy);
    const float u = smooth(x - fx), v = smooth(y - fy);
    const float low = lattice(column, row) + u * (lattice(column + 1, row) - lattice(column, row));
    const float high =
        lattice(column, row + 1) + u * (lattice(column + 1, row + 1) - lattice(column, row + 1));
    return low + v * (high - low);
  }

 private:
  static float smooth(float t) { return t * t * (3.0f - 2.0f * t); }
  float lattice(std::int32_t column, std::int32_t row) const {
    return heights_[static_cast<std::size_t>(row * wide_ + column)];
  }
  std::int32_t wide_;
  std::vector<float>& heights_;
};

void make(const Islands& islands, const CellsSpec& spec, const Canvas& map, RandomStream& random,
          GeneratorMemory& memory) {
  const std::uint8_t water = kind_number(spec, islands.water, {}),
                     land = kind_number(spec, islands.land, {});
  const std::uint8_t hill = islands.hill.empty() ? land : kind_number(spec, islands.hill, {});
  auto& ground = memory.ranked;
  ground.assign(map.size(), 0.0f);
  float share = 1.0f;
  for (double feature = islands.feature; feature >= 2.0 && share > 0.2f;
       feature *= 0.5, share *= 0.5f) {
    const auto scale = static_cast<float>(1.0 / feature);
    const Noise noise(
        random, static_cast<std::int32_t>(static_cast<float>(map.columns) * scale) + 1,
        static_cast<std::int32_t>(static_cast<float>(map.rows) * scale) + 1, memory.heights);
    for (std::int32_t row = 0; row < map.rows; ++row)
      for (std::int32_t column = 0; column < map.columns; ++column)
        ground[static_cast<std::size_t>(row * map.columns + column)] +=
            share * noise.at(static_cast<float>(column) * scale, static_cast<float>(row) * scale);
  }
  for (std::int32_t row = 0; row < map.rows; ++row)
    for (std::int32_t column = 0; column < map.columns; ++column) {
      const float x =
          2.0f * (static_cast<float>(column) + 0.5f) / static_cast<float>(map.columns) - 1.0f;
      const float y = 2.0f * (static_cast<float>(row) + 0.5f) / static_cast<float>(map.rows) - 1.0f;
      const float out = std::max(std::fabs(x), std::fabs(y));
      const float square = out * out, fourth = square * square;
      ground[static_cast<std::size_t>(row * map.columns + column)] -= 1.5f * fourth * fourth;
    }
  memory.heights.assign(ground.begin(), ground.end());
  std::sort(memory.heights.begin(), memory.heights.end());
  const auto level = [&](double above) {
    const auto rank = static_cast<std::size_t>((1.0 - above) * static_cast<double>(map.size()));
    return rank >= map.size() ? 1e30f : memory.heights[rank];
  };
  const float sea = level(islands.share), high = level(islands.share * islands.hills);
  for (std::size_t cell = 0; cell < map.size(); ++cell)
    map.cells[cell] = ground[cell] < sea ? water : ground[cell] < high ? land : hill;
}

void scatter(const Scatter& rule, const CellsSpec& spec, const CellPlan& plan, std::uint8_t* cells,
             RandomStream& random) {
  const std::uint8_t on = kind_number(spec, rule.on, {}), put = kind_number(spec, rule.put, {});
  const std::size_t size = plan.cells();
  const auto bears = [&](std::size_t cell) {
    for (std::size_t layer = 0; layer < plan.layers; ++layer)
      if (cells[layer * size + cell] == on) return true;
    return false;
  };
  std::size_t left = 0;
  for (std::size_t cell = 0; cell < size; ++cell) left += bears(cell) ? std::size_t{1} : 0;
  auto wanted =
      static_cast<std::size_t>(std::floor(rule.density * static_cast<double>(left) + 0.5));
  // Each cell is taken with the share that is still wanted of those that are left, so the number
  // comes out exactly.
  std::uint8_t* layer = cells + static_cast<std::size_t>(rule.layer) * size;
  for (std::size_t cell = 0; cell < size && wanted > 0; ++cell) {
    if (!bears(cell)) continue;
    if (random.below(static_cast<std::uint32_t>(left)) < wanted) {
      layer[cell] = put;
      --wanted;
    }
    --left;
  }
}

struct Check {
  const CellsSpec& spec;
  std::int64_t columns, rows;
  const std::string where;
  void kind(const std::string& name, const char* key) const {
    kind_number(spec, name, where + "." + key);
  }
  void operator()(const Maze& m) const {
    kind(m.wall, "wall");
    kind(m.open, "open");
    fits(m.corridor + 2, "a maze");
  }
  void operator()(const Rooms& r) const {
    kind(r.wall, "wall");
    kind(r.open, "open");
    if (r.largest < r.smallest)
      throw Error(ErrorKind::spec, "the largest room is smaller than the smallest",
                  where + ".largest", "swap them");
    fits(r.smallest + 2, "a room");
  }
  void operator()(const Caves& c) const {
    kind(c.wall, "wall");
    kind(c.open, "open");
    fits(3, "a cave");
  }
  void operator()(const Islands& i) const {
    kind(i.water, "water");
    kind(i.land, "land");
    if (!i.hill.empty()) kind(i.hill, "hill");
  }
  void operator()(const Scatter& s) const {
    kind(s.on, "on");
    kind(s.put, "put");
  }
  void fits(std::int64_t least, const char* what) const {
    if (columns < least || rows < least)
      throw Error(ErrorKind::spec, std::string("the map is too small for ") + what, where,
                  "make it at least " + std::to_string(least) + " cells wide and high");
  }
};

}  // namespace

std::uint8_t kind_number(const CellsSpec& spec, const std::string& name, const std::string& where) {
  std::vector<std::string> names;
  for (std::size_t k = 0; k < spec.kinds.size(); ++k) {
    if (spec.kinds[k].name == name) return static_cast<std::uint8_t>(k + 1);
    names.push_back(spec.kinds[k].name);
  }
  throw Error(ErrorKind::spec, "no kind of cell is named '" + name + "'", where,
              advice(name, names));
}

void check_generators(const CellsSpec& spec, std::int64_t columns, std::int64_t rows,
                      const std::string& where) {
  for (std::size_t g = 0; g < spec.generate.size(); ++g)
    std::visit(Check{spec, columns, rows, where + "[" + std::to_string(g) + "]"}, spec.generate[g]);
}

void generate_cells(const ArenaPlan& plan, std::uint8_t* cells, RandomStream& random,
                    GeneratorMemory& memory) {
  const CellsSpec& spec = *plan.spec.cells;
  std::copy(plan.cells.drawn.begin(), plan.cells.drawn.end(), cells);
  const Canvas ground{cells, plan.cells.columns, plan.cells.rows};
  for (const Generator& generator : spec.generate) {
    if (const auto* rule = std::get_if<Scatter>(&generator)) {
      scatter(*rule, spec, plan.cells, cells, random);
    } else {
      std::visit(
          [&](const auto& kind) {
            if constexpr (!std::is_same_v<std::decay_t<decltype(kind)>, Scatter>)
              make(kind, spec, ground, random, memory);
          },
          generator);
    }
  }
}

std::size_t unreachable(const ArenaPlan& plan, const StateArrays& s, GeneratorMemory& memory) {
  const CellPlan& cells = plan.cells;
  if (cells.connect.size() < 2) return nowhere;
  // 1 where nobody can go, 2 where one gets from the first thing.
  memory.marks.assign(cells.cells(), 0);
  for (std::size_t layer = 0; layer < cells.layers; ++layer)
    for (std::size_t cell = 0; cell < cells.cells(); ++cell) {
      const std::uint8_t kind = s.cells[layer * cells.cells() + cell];
      if (cells.solid[kind] != 0 || cells.avoided[kind] != 0) memory.marks[cell] = 1;
    }
  const auto cell_of = [&](std::size_t entity) {
    const CellBox at = cells_within(cells, {s.x[entity], s.y[entity]}, {s.x[entity], s.y[entity]});
    return at.column1 < at.column0 || at.row1 < at.row0 ? nowhere
                                                        : cell_number(cells, at.column0, at.row0);
  };
  const std::size_t from = cell_of(cells.connect.front());
  if (from == nowhere || memory.marks[from] == 1) return cells.connect.front();
  memory.stack.clear();
  memory.stack.push_back(static_cast<std::uint32_t>(from));
  memory.marks[from] = 2;
  while (!memory.stack.empty()) {
    const auto cell = static_cast<std::int32_t>(memory.stack.back());
    memory.stack.pop_back();
    for (int way = 0; way < 4; ++way) {
      const std::int32_t column = cell % cells.columns + step_column[way],
                         row = cell / cells.columns + step_row[way];
      if (column < 0 || row < 0 || column >= cells.columns || row >= cells.rows) continue;
      const std::size_t next = cell_number(cells, column, row);
      if (memory.marks[next] != 0) continue;
      memory.marks[next] = 2;
      memory.stack.push_back(static_cast<std::uint32_t>(next));
    }
  }
  for (const std::size_t entity : cells.connect) {
    const std::size_t cell = cell_of(entity);
    if (cell == nowhere || memory.marks[cell] != 2) return entity;
  }
  return nowhere;
}

}  // namespace zithercraft::arena_internal
