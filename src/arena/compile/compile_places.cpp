#include <algorithm>
#include <cmath>

#include "arena/compile/compiler.hpp"
#include "arena/generate/generate.hpp"
#include "arena/physics/river.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::arena_internal {
namespace {

constexpr std::int64_t most_side = 4096, most_cells = 4'000'000;

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines;
  std::size_t from = 0;
  while (from <= text.size()) {
    const std::size_t to = std::min(text.find('\n', from), text.size());
    lines.push_back(text.substr(from, to - from));
    if (!lines.back().empty() && lines.back().back() == '\r') lines.back().pop_back();
    from = to + 1;
  }
  while (!lines.empty() && lines.back().empty()) lines.pop_back();
  while (!lines.empty() && lines.front().empty()) lines.erase(lines.begin());
  return lines;
}

}  // namespace

void ArenaCompiler::add_zones() {
  const auto& zones = plan_.spec.zones;
  plan_.first_zone = plan_.entities.size();
  for (std::size_t i = 0; i < zones.size(); ++i) {
    const std::string where = "arena.zones[" + std::to_string(i) + "]";
    check_shape(zones[i].shape, where);
    check_place(zones[i].place, where);
    const std::size_t zone = add_entity(EntityKind::zone, zones[i].name, zones[i].tag, i, where);
    // Rays see zones of every side: a zone has no side of bodies.
    plan_.entities[zone].side = zones[i].side;
    const bool ends =
        !plan_.heights.used || zones[i].height || std::holds_alternative<Ball>(zones[i].shape);
    add_posed(zones[i].shape, ends ? tall_of(zones[i].shape, zones[i].height, where) : boundless,
              {}, true);
  }
  plan_.zones = zones.size();
}

void ArenaCompiler::add_items() {
  const auto& items = plan_.spec.items;
  plan_.first_item = plan_.entities.size();
  for (std::size_t i = 0; i < items.size(); ++i) {
    const std::string where = "arena.items[" + std::to_string(i) + "]";
    check_shape(items[i].shape, where);
    check_place(items[i].place, where);
    const std::int64_t count = count_of(items[i].count, items[i].density, items[i].place, where);
    for (std::int64_t copy = 0; copy < count; ++copy) {
      add_entity(EntityKind::item, items[i].name, items[i].tag, i, where);
      add_posed(items[i].shape, tall_of(items[i].shape, items[i].height, where), items[i].returns,
                true);
      plan_.item.push_back({TagSet::all(), static_cast<float>(items[i].worth),
                            static_cast<std::size_t>(items[i].together)});
    }
  }
  plan_.items = plan_.entities.size() - plan_.first_item;
  plan_.posed = plan_.entities.size();
}

void ArenaCompiler::add_walls() {
  const auto& walls = plan_.spec.walls;
  plan_.first_wall = plan_.entities.size();
  plan_.walls = walls.size();
  for (std::size_t i = 0; i < walls.size(); ++i) {
    const std::string where = "arena.walls[" + std::to_string(i) + "]";
    const auto& points = walls[i].points;
    if (points.size() < 2)
      wrong("a wall needs two points or more", where + ".points", "add points");
    const std::size_t entity = add_entity(EntityKind::wall, walls[i].name, walls[i].tag, i, where);
    plan_.walls_open = plan_.walls_open || walls[i].opens;
    plan_.surface[entity] = {static_cast<float>(walls[i].bounce),
                             static_cast<float>(walls[i].grip)};
    const std::size_t count = walls[i].closed ? points.size() : points.size() - 1;
    for (std::size_t p = 0; p < count; ++p) {
      const auto corner = [&](std::size_t k) {
        const auto& point = points[k % points.size()];
        return Vec{static_cast<float>(point[0]), static_cast<float>(point[1])};
      };
      const Vec from = corner(p), to = corner(p + 1);
      const float size = length(to - from);
      if (size < 1e-4f)
        wrong("two neighbouring points are the same", where + ".points[" + std::to_string(p) + "]",
              "leave one out");
      WallPiece piece{core_of_segment(from, to),
                      from,
                      to,
                      0.5f * (from + to),
                      0.5f * size,
                      entity,
                      -boundless,
                      boundless};
      if (walls[i].height) {
        piece.low = static_cast<float>(walls[i].foot);
        piece.high = static_cast<float>(walls[i].foot + *walls[i].height);
      }
      plan_.pieces.push_back(piece);
    }
  }
}

// The kind that each printable character stands for, plus 1; -1 for none.
ArenaCompiler::KindOfSymbol ArenaCompiler::read_cell_kinds(const CellsSpec& spec,
                                                           const std::string& where) {
  CellPlan& cells = plan_.cells;
  if (spec.kinds.empty()) wrong("the cells have no kinds", where + ".kinds", "add one");
  if (spec.kinds.size() > 255) wrong("more than 255 kinds of cells", where + ".kinds", "use fewer");
  KindOfSymbol kind_of_symbol;
  kind_of_symbol.fill(-1);
  kind_of_symbol[' '] = 0;
  cells.solid.push_back(0);
  cells.seen.push_back(0);
  cells.top.push_back(-boundless);
  for (std::size_t k = 0; k < spec.kinds.size(); ++k) {
    const CellKind& kind = spec.kinds[k];
    const std::string at = where + ".kinds[" + std::to_string(k) + "]";
    for (std::size_t other = 0; other < k; ++other)
      if (spec.kinds[other].name == kind.name)
        wrong("two kinds are named '" + kind.name + "'", at + ".name", "give them different names");
    cells.solid.push_back(kind.solid ? 1 : 0);
    cells.seen.push_back(kind.seen ? 1 : 0);
    if (kind.height && !kind.solid)
      wrong("only solid cells have a height", at + ".height", "leave it out, or set solid = true");
    const float floor = plan_.heights.floor_level;
    cells.top.push_back(kind.height ? floor + static_cast<float>(*kind.height)
                        : plan_.heights.used && !kind.solid ? floor
                                                            : boundless);
    if (kind.symbol.empty()) continue;
    const auto symbol = static_cast<unsigned char>(kind.symbol.front());
    if (kind.symbol.size() != 1 || symbol <= ' ' || symbol > '~')
      wrong("'" + kind.symbol + "' cannot stand for a cell", at + ".symbol",
            "choose one printable ASCII character");
    if (kind_of_symbol[symbol] >= 0)
      wrong("two kinds have the symbol '" + kind.symbol + "'", at + ".symbol", "choose another");
    kind_of_symbol[symbol] = static_cast<int>(k + 1);
  }
  return kind_of_symbol;
}

// The lines of each layer, from the top, and the size of the map that they and the spec say.
ArenaCompiler::DrawnLayers ArenaCompiler::read_layers(const CellsSpec& spec,
                                                      const std::string& where) {
  DrawnLayers drawn;
  std::int64_t columns = spec.columns, rows = spec.rows;
  for (std::size_t l = 0; l < spec.layers.size(); ++l) {
    drawn.push_back(lines_of(spec.layers[l]));
    const std::string at = where + ".layers[" + std::to_string(l) + "]";
    std::int64_t widest = 0;
    for (const auto& line : drawn.back())
      widest = std::max(widest, static_cast<std::int64_t>(line.size()));
    const auto height = static_cast<std::int64_t>(drawn.back().size());
    if (l == 0 && columns == 0) columns = widest;
    if (l == 0 && rows == 0) rows = height;
    if (widest > columns || height > rows)
      wrong("the drawing has " + std::to_string(widest) + " columns and " + std::to_string(height) +
                " rows, and the map " + std::to_string(columns) + " and " + std::to_string(rows),
            at, "draw all layers in one size");
  }
  if (columns < 1 || rows < 1)
    wrong("the map has no size", where, "draw a layer, or give columns and rows");
  if (columns > most_side || rows > most_side ||
      columns * rows * static_cast<std::int64_t>(std::max<std::size_t>(1, drawn.size())) >
          most_cells)
    wrong("the map has too many cells", where, "at most 4096 along a side and 4 million in all");
  plan_.cells.columns = static_cast<std::int32_t>(columns);
  plan_.cells.rows = static_cast<std::int32_t>(rows);
  return drawn;
}

void ArenaCompiler::draw_cells(const DrawnLayers& drawn, const KindOfSymbol& kind_of_symbol,
                               const std::string& where) {
  CellPlan& cells = plan_.cells;
  const auto columns = static_cast<std::size_t>(cells.columns),
             rows = static_cast<std::size_t>(cells.rows);
  cells.drawn.assign(cells.layers * cells.cells(), 0);
  for (std::size_t l = 0; l < drawn.size(); ++l)
    for (std::size_t line = 0; line < drawn[l].size(); ++line)
      for (std::size_t column = 0; column < drawn[l][line].size(); ++column) {
        const int kind = kind_of_symbol[static_cast<unsigned char>(drawn[l][line][column])];
        if (kind < 0)
          wrong("no kind has the symbol '" + drawn[l][line].substr(column, 1) + "'",
                where + ".layers[" + std::to_string(l) + "], line " + std::to_string(line + 1) +
                    ", column " + std::to_string(column + 1),
                "give a kind that symbol, or use a space");
        cells.drawn[l * cells.cells() + (rows - 1 - line) * columns + column] =
            static_cast<std::uint8_t>(kind);
      }
}

void ArenaCompiler::read_cells() {
  if (!plan_.spec.cells) return;
  const CellsSpec& spec = *plan_.spec.cells;
  const std::string where = "arena.cells";
  CellPlan& cells = plan_.cells;
  const KindOfSymbol kind_of_symbol = read_cell_kinds(spec, where);
  const DrawnLayers drawn = read_layers(spec, where);
  cells.size = static_cast<float>(spec.size);
  cells.origin = {static_cast<float>(spec.origin[0]), static_cast<float>(spec.origin[1])};
  cells.layers = std::max<std::size_t>(1, drawn.size());
  cells.generated = !spec.generate.empty();
  for (const auto& generator : spec.generate)
    if (const auto* scatter = std::get_if<Scatter>(&generator))
      cells.layers = std::max(cells.layers, static_cast<std::size_t>(scatter->layer) + 1);
  draw_cells(drawn, kind_of_symbol, where);
  cells.avoided.assign(spec.kinds.size() + 1, 0);
  for (std::size_t i = 0; i < spec.avoid.size(); ++i)
    cells.avoided[kind_number(spec, spec.avoid[i], where + ".avoid[" + std::to_string(i) + "]")] =
        1;
  check_generators(spec, cells.columns, cells.rows, where + ".generate");
}

void ArenaCompiler::add_cell_kinds() {
  plan_.cells.first_kind = plan_.entities.size();
  if (!plan_.spec.cells) return;
  for (std::size_t k = 0; k < plan_.spec.cells->kinds.size(); ++k) {
    const CellKind& kind = plan_.spec.cells->kinds[k];
    const std::size_t e = add_entity(EntityKind::cell, kind.name, kind.tag, k,
                                     "arena.cells.kinds[" + std::to_string(k) + "]");
    plan_.surface[e] = {0.0f, 0.3f};
  }
}

void ArenaCompiler::link_connections() {
  for (std::size_t i = 0; i < plan_.items; ++i) {
    const ItemSpec& spec = plan_.spec.items[plan_.entities[plan_.first_item + i].spec_index];
    if (!spec.collectors.empty())
      plan_.item[i].collectors =
          tag_mask(spec.collectors, plan_.paths[plan_.first_item + i] + ".collectors");
  }
  if (!plan_.spec.cells) return;
  const auto& names = plan_.spec.cells->connect;
  for (std::size_t i = 0; i < names.size(); ++i) {
    const std::size_t before = plan_.cells.connect.size();
    std::vector<std::string> known;
    for (std::size_t e = 0; e < plan_.posed; ++e) {
      if (plan_.entities[e].kind == EntityKind::shot) continue;
      known.push_back(plan_.entities[e].name);
      if (plan_.entities[e].name == names[i]) plan_.cells.connect.push_back(e);
    }
    if (plan_.cells.connect.size() == before)
      wrong("no body, zone or item is named '" + names[i] + "'",
            "arena.cells.connect[" + std::to_string(i) + "]", advice(names[i], known));
  }
}

std::size_t ArenaCompiler::count_bodies() const {
  std::size_t number = 0;
  for (std::size_t i = 0; i < bodies_.size(); ++i)
    number += static_cast<std::size_t>(
        most_bodies(bodies_[i], "arena.bodies[" + std::to_string(i) + "]"));
  return number;
}

std::size_t ArenaCompiler::find_followed(const std::string& name, const std::string& where) const {
  std::vector<std::string> names;
  std::size_t number = 0;
  for (std::size_t i = 0; i < plan_.spec.bodies.size(); ++i) {
    const BodySpec& body = plan_.spec.bodies[i];
    if (body.name == name) return number;
    names.push_back(body.name);
    number +=
        static_cast<std::size_t>(most_bodies(body, "arena.bodies[" + std::to_string(i) + "]"));
  }
  wrong("no body is named '" + name + "'", where + ".follows", advice(name, names));
}

void ArenaCompiler::add_rivers() {
  for (std::size_t i = 0; i < plan_.spec.rivers.size(); ++i) {
    const River& river = plan_.spec.rivers[i];
    const std::string where = "arena.rivers[" + std::to_string(i) + "]";
    if (river.name.empty()) wrong("the name is empty", where + ".name", "name it");
    if (river.gap[0] > river.gap[1])
      wrong("the gap's range runs backwards", where + ".gap", "give the smaller first");
    if (river.gap[0] <= 0.0 || river.gap[1] >= river.width)
      wrong("the gap does not fit between the banks", where + ".gap",
            "keep it above 0 and below the width");
    if (river.thickness >= river.spacing)
      wrong("the rocks fill the whole river", where + ".thickness", "keep it below the spacing");
    if (river.tall[0] > river.tall[1])
      wrong("the range of heights runs backwards", where + ".tall", "give the smaller first");
    // Gates and banks in place must cover what is behind the body and at least one spacing ahead.
    if (static_cast<double>(river.gates - 1) * river.spacing < river.behind + river.spacing)
      wrong("too few gates to stay ahead", where + ".gates", "add gates, or shorten `behind`");
    RiverData data;
    data.gates = static_cast<std::size_t>(river.gates);
    data.spec = river;
    data.follows = find_followed(river.follows, where);
    data.first_body = count_bodies();
    for (BodySpec& part : river_bodies(river, plan_.heights.used))
      bodies_.push_back(std::move(part));
    plan_.rivers.push_back(std::move(data));
  }
}

}  // namespace zithercraft::arena_internal
