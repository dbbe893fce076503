#include <algorithm>
#include <set>

#include "arena/compile/compiler.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::arena_internal {
namespace {

constexpr std::size_t most_tags = 64;  // tag masks are 64 bits wide
constexpr std::size_t most_entities = 65'536;
constexpr std::size_t most_state_bytes = std::size_t{256} << 20;

}  // namespace

ArenaPlan ArenaCompiler::compile() {
  plan_.dt = static_cast<float>(plan_.spec.tick);
  plan_.current = {static_cast<float>(plan_.spec.current[0]),
                   static_cast<float>(plan_.spec.current[1])};
  bodies_ = plan_.spec.bodies;
  read_heights();
  read_cells();
  read_blocks();
  add_rivers();
  add_causeways();
  add_bodies();
  add_shots();
  add_zones();
  add_items();
  add_walls();
  add_cell_kinds();
  add_heights();
  add_block_kinds();
  link_touchy();
  link_tails();
  link_wanderers();
  link_launchers();
  link_diggers();
  link_connections();
  link_away();
  find_runs();
  plan_.bounds.resize(plan_.posed + 8, 0.0f);  // casts read eight at a time
  plan_.tall.resize(plan_.posed + 8, 0.0f);
  order_placing();
  lay_out();
  return std::move(plan_);
}

std::size_t ArenaCompiler::tag_index(const std::string& tag, const std::string& where) {
  auto& tags = plan_.tags;
  const auto found = std::find(tags.begin(), tags.end(), tag);
  if (found != tags.end()) return static_cast<std::size_t>(found - tags.begin());
  if (tags.size() == most_tags)
    throw Error(ErrorKind::spec, "more than 64 different tags", where,
                "let things of one kind share a tag");
  tags.push_back(tag);
  return tags.size() - 1;
}

TagSet ArenaCompiler::tag_mask(const std::vector<std::string>& tags,
                               const std::string& where) const {
  TagSet mask;
  for (std::size_t i = 0; i < tags.size(); ++i) {
    const auto found = std::find(plan_.tags.begin(), plan_.tags.end(), tags[i]);
    if (found == plan_.tags.end())
      throw Error(ErrorKind::spec, "nothing in the arena bears the tag '" + tags[i] + "'",
                  where + "[" + std::to_string(i) + "]", advice(tags[i], plan_.tags));
    mask |= TagSet::of(static_cast<std::size_t>(found - plan_.tags.begin()));
  }
  return mask;
}

std::size_t ArenaCompiler::add_entity(EntityKind kind, const std::string& name,
                                      const std::string& tag, std::size_t index,
                                      const std::string& where) {
  if (name.empty()) throw Error(ErrorKind::spec, "the name is empty", where + ".name", "name it");
  if (plan_.entities.size() == most_entities)
    throw Error(ErrorKind::spec,
                "more than " + std::to_string(most_entities) + " things in the arena", where,
                "use fewer, or cells");
  const std::size_t tag_number = tag_index(tag.empty() ? name : tag, where);
  plan_.entities.push_back({kind, name, tag_number, index, false, {}});
  plan_.paths.push_back(where);
  plan_.tag_of.push_back(static_cast<std::uint8_t>(tag_number));
  plan_.side_of.push_back(-1);
  plan_.surface.push_back({});
  return plan_.entities.size() - 1;
}

void ArenaCompiler::add_posed(const Shape& shape, float tall, const std::optional<Return>& returns,
                              bool at_start) {
  plan_.shapes.push_back(shape_data(shape));
  plan_.tall.push_back(tall);
  const ShapeData& data = plan_.shapes.back();
  plan_.bounds.push_back(data.bound);
  plan_.half_length.push_back(data.half_length);
  plan_.half_width.push_back(data.half_width);
  plan_.radius.push_back(data.radius);
  plan_.at_start.push_back(at_start ? 1 : 0);
  plan_.home.push_back(returns && !returns->elsewhere ? plan_.homes++ : nowhere);
  plan_.returns.push_back(
      returns ? ReturnData{std::max<std::uint32_t>(1, ticks(returns->after)), returns->elsewhere}
              : ReturnData{});
}

std::uint32_t ArenaCompiler::ticks(double seconds) const {
  return static_cast<std::uint32_t>(std::min(4e9, std::floor(seconds / plan_.spec.tick + 0.5)));
}

void ArenaCompiler::check_shape(const Shape& shape, const std::string& where) {
  if (const auto* capsule = std::get_if<Capsule>(&shape);
      capsule != nullptr && capsule->length < 2 * capsule->radius)
    throw Error(ErrorKind::spec, "a capsule cannot be shorter than it is wide",
                where + ".shape.length", "give at least twice the radius, or use a disc");
  const auto* outline = std::get_if<Outline>(&shape);
  if (outline == nullptr) return;
  const auto& c = outline->corners;
  if (c.size() < 3 || c.size() > most_corners)
    throw Error(ErrorKind::spec,
                "an outline has 3 to 8 corners, this one has " + std::to_string(c.size()),
                where + ".shape.corners", "use several bodies for finer shapes");
  for (std::size_t i = 0; i < c.size(); ++i) {
    const auto &p = c[i], &q = c[(i + 1) % c.size()], &r = c[(i + 2) % c.size()];
    if ((q[0] - p[0]) * (r[1] - q[1]) - (q[1] - p[1]) * (r[0] - q[0]) < 1e-9)
      throw Error(ErrorKind::spec, "the outline is not convex there",
                  where + ".shape.corners[" + std::to_string((i + 1) % c.size()) + "]",
                  "list the corners counter-clockwise, without dents and without corners on "
                  "straight sides");
  }
}

void ArenaCompiler::check_place(const Placement& place, const std::string& where) const {
  if (place.region[2] < place.region[0] || place.region[3] < place.region[1])
    throw Error(ErrorKind::spec, "the region's upper corner lies below its lower one",
                where + ".place.region", "give x_min, y_min, x_max, y_max");
  if (place.heading[1] < place.heading[0])
    throw Error(ErrorKind::spec, "the heading range runs backwards", where + ".place.heading",
                "give the smaller angle first");
  std::vector<std::string> kinds, fixed;
  if (plan_.spec.cells)
    for (const CellKind& kind : plan_.spec.cells->kinds) kinds.push_back(kind.name);
  if (plan_.heights.used)
    for (const BodySpec& body : bodies_)
      if (body.motion == Motion::fixed && !std::holds_alternative<Ball>(body.shape))
        fixed.push_back(body.name);
  std::size_t on_cells = 0;
  for (std::size_t i = 0; i < place.on.size(); ++i) {
    const auto among = [&](const std::vector<std::string>& names) {
      return std::find(names.begin(), names.end(), place.on[i]) != names.end();
    };
    if (among(kinds)) {
      ++on_cells;
    } else if (!among(fixed)) {
      std::vector<std::string> known = kinds;
      known.insert(known.end(), fixed.begin(), fixed.end());
      throw Error(ErrorKind::spec,
                  "no kind of cell" + std::string(fixed.empty() ? "" : " and no fixed body") +
                      " is named '" + place.on[i] + "'",
                  where + ".place.on[" + std::to_string(i) + "]",
                  known.empty() ? "give the arena cells" : advice(place.on[i], known));
    }
  }
  if (on_cells > 0 && on_cells < place.on.size())
    throw Error(ErrorKind::spec, "it is placed on cells and on bodies", where + ".place.on",
                "name one or the other");
  if (!place.on.empty() && on_cells == 0 && place.level)
    throw Error(ErrorKind::spec, "what is placed on a body has its level", where + ".place.level",
                "leave it out");
}

std::int64_t ArenaCompiler::count_of(std::int64_t count, const std::optional<double>& density,
                                     const Placement& place, const std::string& where) {
  if (!density) return count;
  const double area = (place.region[2] - place.region[0]) * (place.region[3] - place.region[1]);
  const double wanted = std::floor(*density * area + 0.5);
  if (wanted < 1.0 || wanted > 4096.0)
    throw Error(ErrorKind::spec,
                "the density gives " +
                    std::to_string(static_cast<std::int64_t>(std::min(wanted, 1e15))) +
                    " things, and 1 to 4096 are allowed",
                where + ".density", "change it, or the region it is meant for");
  return static_cast<std::int64_t>(wanted);
}

Touchy ArenaCompiler::touchy(const std::vector<Effect>& effects,
                             const std::vector<std::string>& kills,
                             const std::string& where) const {
  Touchy result;
  const auto number_of = [&](const std::string& meter, const std::string& key) {
    const auto found = std::find(plan_.meter_names.begin(), plan_.meter_names.end(), meter);
    if (found == plan_.meter_names.end())
      throw Error(ErrorKind::spec, "no body has a meter '" + meter + "'", key,
                  plan_.meter_names.empty() ? "give a body one" : advice(meter, plan_.meter_names));
    return static_cast<std::uint32_t>(found - plan_.meter_names.begin());
  };
  for (std::size_t i = 0; i < effects.size(); ++i) {
    const std::string key = where + ".effects[" + std::to_string(i) + "].";
    result.effects.push_back({number_of(effects[i].meter, key + "meter"),
                              static_cast<float>(effects[i].amount),
                              static_cast<float>(effects[i].per_second * plan_.spec.tick),
                              {}});
    if (!effects[i].by.empty()) result.effects.back().by = number_of(effects[i].by, key + "by");
    result.lasting = result.lasting || effects[i].per_second != 0.0;
  }
  result.kills = tag_mask(kills, where + ".kills");
  return result;
}

void ArenaCompiler::link_touchy() {
  for (std::size_t e = 0; e < plan_.entities.size(); ++e) {
    const Entity& entity = plan_.entities[e];
    const std::string& where = plan_.paths[e];
    const auto of = [&](const auto& spec) {
      plan_.touchy.push_back(touchy(spec.effects, spec.kills, where));
    };
    switch (entity.kind) {
      case EntityKind::body: of(bodies_[entity.spec_index]); break;
      case EntityKind::zone: of(plan_.spec.zones[entity.spec_index]); break;
      case EntityKind::wall: of(plan_.spec.walls[entity.spec_index]); break;
      case EntityKind::item:
        plan_.touchy.push_back(touchy(plan_.spec.items[entity.spec_index].effects, {}, where));
        break;
      case EntityKind::cell:
        of(plan_.spec.cells->kinds[entity.spec_index]);
        plan_.cells.touchy = plan_.cells.touchy || plan_.touchy.back().any();
        break;
      case EntityKind::shot: plan_.touchy.push_back({}); break;  // see link_launchers
      case EntityKind::floor: of(*plan_.spec.heights->floor); break;
      case EntityKind::ground: of(*plan_.spec.ground); break;
      case EntityKind::mesh: of(plan_.spec.meshes[entity.spec_index]); break;
      case EntityKind::block:
        of(plan_.spec.blocks->kinds[entity.spec_index]);
        plan_.blocks.felt =
            plan_.blocks.felt ||
            (!plan_.spec.blocks->kinds[entity.spec_index].solid && plan_.touchy.back().any());
        break;
    }
  }
}

// Keeping away works both ways, whichever is placed first.
void ArenaCompiler::link_away() {
  plan_.away_rules.assign(plan_.posed, TagSet());
  for (std::size_t e = 0; e < plan_.posed; ++e) {
    if (plan_.entities[e].kind == EntityKind::shot) continue;
    const auto& rules = plan_.placement_of(e).away;
    for (std::size_t i = 0; i < rules.size(); ++i)
      plan_.away_rules[e] |=
          tag_mask({rules[i].from}, plan_.paths[e] + ".place.away[" + std::to_string(i) + "].from");
  }
}

void ArenaCompiler::find_runs() {
  for (std::size_t e = 0; e < plan_.posed; ++e) {
    const Entity& entity = plan_.entities[e];
    if (e > 0 && plan_.entities[e - 1].kind == entity.kind &&
        plan_.entities[e - 1].spec_index == entity.spec_index) {
      ++plan_.runs.back().stop;
      continue;
    }
    plan_.runs.push_back({e, e + 1, plan_.shapes[e].form, entity.kind == EntityKind::zone,
                          e < plan_.bodies && (plan_.body[e].inverse_mass != 0.0f || is_piece(e)),
                          entity.kind == EntityKind::shot, tags_ever(plan_, e),
                          tags_ever(plan_, e) != TagSet::of(plan_.tag_of[e]), plan_.side_of[e]});
  }
}

void ArenaCompiler::order_placing() {
  for (std::size_t e = 0; e < plan_.posed; ++e)
    if (plan_.returns[e].after > 0) plan_.returning.push_back(e);
  for (std::size_t z = 0; z < plan_.zones; ++z) plan_.placing_order.push_back(plan_.first_zone + z);
  for (std::size_t b = 0; b < plan_.bodies; ++b)
    if (plan_.entities[b].spec_index < plan_.spec.bodies.size()) plan_.placing_order.push_back(b);
  for (std::size_t i = 0; i < plan_.items; ++i) plan_.placing_order.push_back(plan_.first_item + i);
}

void ArenaCompiler::lay_out() {
  const auto add = [&](const char* name, const char* type, std::size_t width, std::size_t count) {
    const std::size_t offset = plan_.state_bytes;
    plan_.fields.push_back({name, type, offset, count});
    plan_.state_bytes += (width * count + 7) / 8 * 8;
    return offset;
  };
  StateOffsets& at = plan_.at;
  const std::size_t entities = plan_.entities.size();
  add("seed", "u64", 8, 1);
  add("lane_episode_tick_variant", "u32", 4, 4);
  at.x = add("x", "f32", 4, plan_.posed);
  at.y = add("y", "f32", 4, plan_.posed);
  at.heading = add("heading", "f32", 4, plan_.posed);
  at.cos = add("cos", "f32", 4, plan_.posed);
  at.sin = add("sin", "f32", 4, plan_.posed);
  const bool high = plan_.heights.used;
  at.z = add("z", "f32", 4, high ? plan_.posed : 0);
  at.present = add("present", "u8", 1, plan_.posed);
  at.back_at = add("back_at", "u32", 4, plan_.posed);
  at.home = add("home_x_y_heading", "f32", 4, 3 * plan_.homes);
  const std::size_t moving = plan_.bodies + plan_.shots;
  at.home_z = add("home_z", "f32", 4, high ? plan_.homes : 0);
  at.vx = add("vx", "f32", 4, moving);
  at.vy = add("vy", "f32", 4, moving);
  at.turn = add("turn_rate", "f32", 4, moving);
  at.vz = add("vz", "f32", 4, high ? moving : 0);
  at.pitch = add("pitch", "f32", 4, high ? plan_.bodies : 0);
  at.stands_on = add("stands_on", "u32", 4, high ? plan_.bodies : 0);
  at.inputs = add("inputs", "f32", 4, plan_.inputs);
  at.meters = add("meters", "f32", 4, plan_.meters.size());
  at.ready_at = add("ready_at", "u32", 4, plan_.launchers.size());
  at.ends_at = add("ends_at", "u32", 4, plan_.shots);
  at.closest = add("closest", "f32", 4, plan_.closest);
  at.tails = add("tail_out_knots_newest", "u32", 4, 3 * plan_.tails.size());
  at.path = add("tail_path_x_y_z", "f32", 4, 3 * plan_.knots);
  std::size_t stones = 0;
  for (const CausewayData& causeway : plan_.causeways) stones += causeway.stones;
  at.causeway = add("causeway_made_platforms_left_newest", "u32", 4, 4 * plan_.causeways.size());
  at.platform = add("platform", "u32", 4, stones);
  at.opened = add("wall_opened", "u8", 1, plan_.walls_open ? plan_.walls : 0);
  at.tag_now = add("tag_now", "u8", 1, plan_.tags_change ? plan_.bodies : 0);
  at.wander = add("wander_leg_east_north", "u32", 4, 3 * plan_.wanderers.size());
  std::size_t gates = 0;
  for (const RiverData& river : plan_.rivers) gates += river.gates;
  at.gate = add("gate", "u32", 4, gates);
  at.touching = add("touching", "u8", 1, plan_.free_bodies.size() * entities);
  at.inside = add("inside", "u8", 1, plan_.active.size() * plan_.zones);
  at.on_cell = add("on_cell", "u32", 4, plan_.has_cells() ? plan_.active.size() : 0);
  at.cells = add("cells", "u8", 1, plan_.cells.layers * plan_.cells.cells());
  at.digging = add("digging_target_work_ready_steep", "u32", 4, 4 * plan_.diggers.size());
  at.in_block = add("in_block", "u8", 1, plan_.blocks.felt ? plan_.active.size() : 0);
  const std::size_t blocks = plan_.blocks.count(), words = (blocks + 63) / 64;
  at.block_mark = add("block_mark", "u64", 8, blocks > 0 ? 1 : 0);
  at.block_top = add("block_top", "u32", 4, blocks > 0 ? 1 : 0);
  at.changed = add("blocks_changed", "u64", 8, (words + 63) / 64);
  at.blocks = add("blocks", "u8", 1, blocks);
  if (plan_.state_bytes > most_state_bytes)
    throw Error(ErrorKind::spec,
                "a lane's state would need " + std::to_string(plan_.state_bytes >> 20) + " MB",
                "arena", "use fewer bodies or cells");
}

const Placement& ArenaPlan::placement_of(std::size_t entity) const {
  static const Placement none;
  const Entity& e = entities[entity];
  switch (e.kind) {
    case EntityKind::zone: return spec.zones[e.spec_index].place;
    case EntityKind::item: return spec.items[e.spec_index].place;
    case EntityKind::body:
      return e.spec_index < spec.bodies.size() ? spec.bodies[e.spec_index].place : none;
    default: return none;
  }
}

ArenaPlan compile_arena(const ArenaSpec& spec, const ArenaPlan* like) {
  return ArenaCompiler(spec, like).compile();
}

}  // namespace zithercraft::arena_internal
