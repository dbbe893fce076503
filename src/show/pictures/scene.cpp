#include "show/pictures/scene.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/signature_json.hpp"
#include "show/pictures/colours.hpp"

namespace zithercraft::show_internal {
namespace {

constexpr std::array kind_names{"body", "shot",  "zone",   "item", "wall",
                                "cell", "floor", "ground", "mesh", "block"};

const BodySpec* body_spec(const Arena& arena, const Entity& entity) {
  const auto& bodies = arena.spec().bodies;
  return entity.kind == EntityKind::body && entity.spec_index < bodies.size()
             ? &bodies[entity.spec_index]
             : nullptr;
}

Json entities_of(const Arena& arena) {
  Json list = Json::array();
  for (const EntityId id : arena.ids()) {
    const Entity& e = arena.entity(id);
    Json others = Json::array();  // tags that rules can give it
    for (std::size_t tag = 0; tag < arena.tags().size(); ++tag)
      if (tag != e.tag && arena.tags_ever(id).holds(tag)) others.push_back(tag);
    list.push_back({{"name", e.name},
                    {"tag", e.tag},
                    {"may_bear", others},
                    {"kind", kind_names[static_cast<std::size_t>(e.kind)]},
                    {"side", e.side},
                    {"moves", e.free},
                    {"ball", arena.posed().holds(id) && arena.is_ball(id)}});
  }
  return list;
}

Json binding_json(const KeyBinding& b) {
  Json j{{"control", b.control}, {"value", b.value}, {"option", b.option}, {"key", b.key}};
  if (b.axis) j["axis"] = *b.axis;
  if (b.button) j["button"] = *b.button;
  return j;
}

Json roles_of(const Game& game, const std::vector<std::string>& players) {
  Json list = Json::array();
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const Role& role = game.roles()[r];
    Json rays = Json::array(), keys = Json::array();
    for (const RaySense& s : role.rays)
      rays.push_back({{"name", s.name},
                      {"first_column", s.first_column},
                      {"columns_each", s.columns_each},
                      {"tags", s.tags},
                      {"reports", s.reports == RayReport::each_tag        ? "each_tag"
                                  : s.reports == RayReport::first_or_miss ? "first_or_miss"
                                                                          : "first"},
                      {"reach", s.reach},
                      {"eye", s.eye},
                      {"follows_pitch", s.follows_pitch},
                      {"directions", s.direction}});
    Json targets = Json::array();
    std::size_t first = 0;
    for (std::size_t c = 0; c < role.controls.size(); ++c) {
      for (const CrowdSense& crowd : role.crowds)
        if (!role.controls[c].among.empty() && crowd.name == role.controls[c].among)
          targets.push_back({{"name", role.controls[c].name},
                             {"control", c},
                             {"first", first},
                             {"others", crowd.others},
                             {"first_column", crowd.first_column},
                             {"columns_each", crowd.columns_each},
                             {"reach", role.columns[crowd.first_column + 3].scale}});
      first += role.controls[c].is_choice() ? role.controls[c].options.size() : 2;
    }
    for (const KeyBinding& b : role.keys) keys.push_back(binding_json(b));
    list.push_back({{"name", role.name},
                    {"player", r < players.size() ? players[r] : ""},
                    {"seats", role.seats},
                    {"columns", role.columns},
                    {"controls", role.controls},
                    {"terms", role.terms},
                    {"probabilities", probability_count(role.controls)},
                    {"rays", rays},
                    {"targets", targets},
                    {"keys", keys}});
  }
  return list;
}

Json meters_of(const Arena& arena) {
  Json list = Json::array();
  for (const EntityId body : arena.bodies())
    if (const BodySpec* spec = body_spec(arena, arena.entity(body)))
      for (const Meter& meter : spec->meters)
        list.push_back({{"body", body.number()},
                        {"name", meter.name},
                        {"low", meter.low},
                        {"high", meter.high}});
  return list;
}

Json cell_map(const Arena& arena) {
  if (arena.cell_columns() == 0) return {};
  const CellsSpec& cells = *arena.spec().cells;
  Json kinds = Json::array();
  for (const EntityId e : arena.ids())
    if (arena.entity(e).kind == EntityKind::cell) {
      const CellKind& kind = cells.kinds[arena.entity(e).spec_index];
      kinds.push_back({{"entity", e.number()},
                       {"solid", kind.solid},
                       {"height", kind.height ? Json(*kind.height) : Json()}});
    }
  return {{"columns", arena.cell_columns()},
          {"rows", arena.cell_rows()},
          {"size", cells.size},
          {"origin", cells.origin},
          {"kinds", kinds}};
}

Json block_map(const Arena& arena) {
  const auto count = arena.block_count();
  if (count.columns == 0) return {};
  const BlocksSpec& blocks = *arena.spec().blocks;
  return {{"columns", count.columns},
          {"rows", count.rows},
          {"layers", count.layers},
          {"size", blocks.size},
          {"origin", blocks.origin}};
}

Json triangle_lists(const Arena& arena) {
  Json list = Json::array();
  for (const ArenaTriangle& t : arena.triangles()) {
    const std::int32_t entity = t.entity.number();
    if (list.empty() || list.back()["entity"] != entity)
      list.push_back({{"entity", entity}, {"corners", Json::array()}});
    for (const Place& p : t.corner)
      for (const double number : {p.x, p.y, p.z})
        list.back()["corners"].push_back(std::round(number * 1e4) / 1e4);
  }
  return list;
}

Json frame_of(const Game& game) {
  const auto& custom = game.spec().custom;
  return custom && custom->frame ? Json(*custom->frame) : Json();
}

// Millimetres are enough for pictures, and keep pages small.
double rounded(double metres) { return std::round(metres * 1e3) / 1e3; }

}  // namespace

std::size_t ticks_shown(const Game& game) {
  return std::min(static_cast<std::size_t>(game.spec().ticks_per_step), most_ticks_shown);
}

Json scene_of(const Game& game, const std::vector<std::string>& players) {
  const Arena& arena = game.arena();
  const auto colours = tag_colours(game);
  Json tags = Json::array();
  for (std::size_t t = 0; t < arena.tags().size(); ++t)
    tags.push_back({{"name", arena.tags()[t]}, {"colour", web_colour(colours[t])}});
  const auto& heights = arena.spec().heights;
  return {{"game", game.spec().name},
          {"about", game.spec().about},
          {"custom", game.spec().custom.has_value()},
          {"frame", frame_of(game)},
          {"happenings",
           std::vector<std::string>(game.told_events().begin(), game.told_events().end())},
          {"high", arena.has_height()},
          {"floor", heights && heights->floor ? Json(heights->floor->level) : Json()},
          {"tick_seconds", arena.spec().tick},
          {"ticks_per_step", game.spec().ticks_per_step},
          {"ticks", ticks_shown(game)},
          {"tags", tags},
          {"entities", entities_of(arena)},
          {"posed", arena.posed().size()},
          {"roles", roles_of(game, players)},
          {"meters", meters_of(arena)},
          {"cells", cell_map(arena)},
          {"blocks", block_map(arena)},
          {"triangles", triangle_lists(arena)}};
}

Json forms_of(const Arena& arena, const std::byte* state) {
  Json outlines = Json::array(), tall = Json::array(), foot = Json::array();
  for (const EntityId e : arena.ids()) {
    const Entity& entity = arena.entity(e);
    Json outline = Json::array();
    const bool posed = arena.posed().holds(e);
    const Pose pose = posed ? arena.pose(state, e) : Pose{};
    const double cos = static_cast<double>(pose.cos), sin = static_cast<double>(pose.sin);
    for (const auto& [x, y] : arena.outline(state, e)) {
      const double dx = x - static_cast<double>(pose.x), dy = y - static_cast<double>(pose.y);
      outline.push_back(rounded(cos * dx + sin * dy));
      outline.push_back(rounded(cos * dy - sin * dx));
    }
    outlines.push_back(std::move(outline));
    double from = 0.0, height = posed ? static_cast<double>(arena.height_of(e, state)) : 0.0;
    if (entity.kind == EntityKind::wall) {
      const WallSpec& wall = arena.spec().walls[entity.spec_index];
      from = wall.foot;
      height = wall.height.value_or(HUGE_VAL);
    }
    tall.push_back(std::isfinite(height) ? Json(rounded(height)) : Json());
    foot.push_back(rounded(from));
  }
  return {{"outlines", outlines}, {"tall", tall}, {"foot", foot}};
}

std::vector<std::int32_t> cells_of(const Arena& arena, const std::byte* state) {
  std::vector<std::int32_t> cells;
  cells.reserve(arena.cell_columns() * arena.cell_rows());
  for (std::size_t row = 0; row < arena.cell_rows(); ++row)
    for (std::size_t column = 0; column < arena.cell_columns(); ++column)
      cells.push_back(arena.cell_at(state, column, row).number());
  return cells;
}

std::vector<std::int32_t> blocks_of(const Arena& arena, const std::byte* state) {
  const auto count = arena.block_count();
  std::vector<std::int32_t> blocks;
  blocks.reserve(count.columns * count.rows * count.layers);
  for (std::size_t layer = 0; layer < count.layers; ++layer)
    for (std::size_t row = 0; row < count.rows; ++row)
      for (std::size_t column = 0; column < count.columns; ++column)
        blocks.push_back(arena.block_at(state, column, row, layer).number());
  return blocks;
}

std::vector<std::int32_t> tags_of(const Arena& arena, const std::byte* state) {
  std::vector<std::int32_t> tags;
  bool change = arena.tags_change();
  for (const EntityId e : arena.ids()) change = change || arena.opens(e);
  if (!change) return tags;
  for (const EntityId e : arena.ids())
    tags.push_back(arena.opens(e) && !arena.present(state, e)
                       ? -1
                       : static_cast<std::int32_t>(arena.tag_of(state, e)));
  return tags;
}

}  // namespace zithercraft::show_internal
