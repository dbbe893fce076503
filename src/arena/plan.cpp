#include "plan.hpp"

#include <algorithm>
#include <variant>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft {
namespace {

constexpr std::size_t most_tags = 64;  // tag masks are 64 bits wide

class Compiler {
 public:
  explicit Compiler(const ArenaSpec& spec) { plan_.spec = spec; }

  ArenaPlan compile() {
    plan_.dt = static_cast<float>(plan_.spec.tick);
    add_bodies();
    add_zones();
    add_walls();
    order_placing();
    lay_out();
    return std::move(plan_);
  }

 private:
  std::size_t tag_index(const std::string& tag, const std::string& where) {
    auto& tags = plan_.tags;
    const auto found = std::find(tags.begin(), tags.end(), tag);
    if (found != tags.end()) return static_cast<std::size_t>(found - tags.begin());
    if (tags.size() == most_tags)
      throw Error(Fault::spec, "more than 64 different tags", where, "let things of one kind share a tag");
    tags.push_back(tag);
    return tags.size() - 1;
  }

  void add_entity(EntityKind kind, const std::string& name, const std::string& tag, std::size_t index, bool free,
                  const std::string& where) {
    if (name.empty()) throw Error(Fault::spec, "the name is empty", where + ".name", "name it");
    plan_.entities.push_back({kind, name, tag_index(tag.empty() ? name : tag, where), index, free});
  }

  static void check_shape(const Shape& shape, const std::string& where) {
    if (const auto* capsule = std::get_if<Capsule>(&shape); capsule != nullptr && capsule->length < 2 * capsule->radius)
      throw Error(Fault::spec, "a capsule cannot be shorter than it is wide", where + ".shape.length",
                  "give at least twice the radius, or use a disc");
  }

  static void check_place(const Placement& place, const std::string& where) {
    if (place.region[2] < place.region[0] || place.region[3] < place.region[1])
      throw Error(Fault::spec, "the region's upper corner lies below its lower one", where + ".place.region",
                  "give x_min, y_min, x_max, y_max");
    if (place.heading[1] < place.heading[0])
      throw Error(Fault::spec, "the heading range runs backwards", where + ".place.heading",
                  "give the smaller angle first");
  }

  void add_bodies() {
    const auto& bodies = plan_.spec.bodies;
    for (std::size_t i = 0; i < bodies.size(); ++i) {
      const auto& spec = bodies[i];
      const std::string where = "arena.bodies[" + std::to_string(i) + "]";
      check_shape(spec.shape, where);
      check_place(spec.place, where);
      if (spec.mover && spec.motion == Motion::fixed)
        throw Error(Fault::spec, "a fixed body cannot have a mover", where + ".mover", "set motion = \"free\"");
      for (std::size_t other = 0; other < i; ++other)
        if (bodies[other].name == spec.name)
          throw Error(Fault::spec, "two bodies are named '" + spec.name + "'", where + ".name",
                      "use `count` for several alike");
      for (std::int64_t copy = 0; copy < spec.count; ++copy) add_body(spec, i, where);
    }
    plan_.bodies = plan_.entities.size();
  }

  void add_body(const BodySpec& spec, std::size_t index, const std::string& where) {
    const std::size_t number = plan_.entities.size();
    const bool free = spec.motion == Motion::free;
    add_entity(EntityKind::body, spec.name, spec.tag, index, free, where);
    const ShapeData shape = shape_data(spec.shape);
    BodyData data;
    if (free) {
      data.inverse_mass = 1.0f / static_cast<float>(spec.mass);
      data.inverse_inertia = data.inverse_mass / shape.inertia_per_mass;
      data.keep = static_cast<float>(exact::exp(-spec.drag * plan_.spec.tick));
      plan_.free_bodies.push_back(number);
    }
    std::vector<std::string> names;
    if (spec.mover) {
      const auto& boat = std::get<Boat>(*spec.mover);
      const auto keep = [&](double drag) { return static_cast<float>(exact::exp(-drag * plan_.spec.tick)); };
      data.mover = static_cast<std::int32_t>(plan_.movers.size());
      data.first_input = inputs_;
      names = {"throttle", "rudder"};
      inputs_ += names.size();
      plan_.movers.push_back(
          {number,
           {static_cast<float>(boat.thrust), keep(boat.drag_ahead), keep(boat.drag_abeam),
            static_cast<float>(boat.rudder_flow), static_cast<float>(boat.rudder_wash), keep(boat.drag_turn)}});
    }
    plan_.input_names.push_back(std::move(names));
    plan_.shapes.push_back(shape);
    plan_.body.push_back(data);
    plan_.surface.push_back({static_cast<float>(spec.bounce), static_cast<float>(spec.grip)});
  }

  void add_zones() {
    const auto& zones = plan_.spec.zones;
    for (std::size_t i = 0; i < zones.size(); ++i) {
      const std::string where = "arena.zones[" + std::to_string(i) + "]";
      check_shape(zones[i].shape, where);
      check_place(zones[i].place, where);
      add_entity(EntityKind::zone, zones[i].name, zones[i].tag, i, false, where);
      plan_.shapes.push_back(shape_data(zones[i].shape));
      plan_.surface.push_back({});
    }
    plan_.zones = zones.size();
  }

  void add_walls() {
    const auto& walls = plan_.spec.walls;
    for (std::size_t i = 0; i < walls.size(); ++i) {
      const std::string where = "arena.walls[" + std::to_string(i) + "]";
      const auto& points = walls[i].points;
      if (points.size() < 2)
        throw Error(Fault::spec, "a wall needs two points or more", where + ".points", "add points");
      const std::size_t entity = plan_.entities.size();
      add_entity(EntityKind::wall, walls[i].name, walls[i].tag, i, false, where);
      plan_.surface.push_back({static_cast<float>(walls[i].bounce), static_cast<float>(walls[i].grip)});
      const std::size_t count = walls[i].closed ? points.size() : points.size() - 1;
      for (std::size_t p = 0; p < count; ++p) {
        const auto corner = [&](std::size_t k) {
          const auto& point = points[k % points.size()];
          return Vec{static_cast<float>(point[0]), static_cast<float>(point[1])};
        };
        const Vec from = corner(p), to = corner(p + 1);
        if (length(to - from) < 1e-4f)
          throw Error(Fault::spec, "two neighbouring points are the same", where + ".points[" + std::to_string(p) + "]",
                      "leave one out");
        plan_.pieces.push_back({core_of_segment(from, to), from, to, entity});
      }
    }
  }

  void order_placing() {
    for (std::size_t z = 0; z < plan_.zones; ++z) plan_.placing_order.push_back(plan_.bodies + z);
    for (std::size_t b = 0; b < plan_.bodies; ++b) plan_.placing_order.push_back(b);
  }

  void lay_out() {
    const auto add = [&](const char* name, const char* type, std::size_t width, std::size_t count) {
      plan_.fields.push_back({name, type, plan_.state_bytes, count});
      plan_.state_bytes += (width * count + 7) / 8 * 8;
    };
    add("seed", "u64", 8, 1);
    add("lane_episode_tick", "u32", 4, 4);
    const std::size_t posed = plan_.bodies + plan_.zones;
    for (const char* name : {"x", "y", "heading", "cos", "sin"}) add(name, "f32", 4, posed);
    for (const char* name : {"vx", "vy", "turn_rate"}) add(name, "f32", 4, plan_.bodies);
    add("inputs", "f32", 4, inputs_);
    add("touching", "u8", 1, plan_.free_bodies.size() * plan_.entities.size());
    add("inside", "u8", 1, plan_.free_bodies.size() * plan_.zones);
  }

  ArenaPlan plan_;
  std::size_t inputs_ = 0;
};

}  // namespace

StateArrays ArenaPlan::arrays(std::byte* state) const {
  const auto floats = [&](std::size_t i) { return reinterpret_cast<float*>(state + fields[i].offset); };
  const auto flags = [&](std::size_t i) { return reinterpret_cast<std::uint8_t*>(state + fields[i].offset); };
  return {reinterpret_cast<StateHeader*>(state),
          floats(2),
          floats(3),
          floats(4),
          floats(5),
          floats(6),
          floats(7),
          floats(8),
          floats(9),
          floats(10),
          flags(11),
          flags(12)};
}

const Placement& ArenaPlan::placement_of(std::size_t entity) const {
  const Entity& e = entities[entity];
  return e.kind == EntityKind::zone ? spec.zones[e.spec_index].place : spec.bodies[e.spec_index].place;
}

std::string ArenaPlan::key_path_of(std::size_t entity) const {
  const Entity& e = entities[entity];
  const char* list = e.kind == EntityKind::body ? "bodies" : e.kind == EntityKind::zone ? "zones" : "walls";
  return std::string("arena.") + list + "[" + std::to_string(e.spec_index) + "]";
}

ArenaPlan compile_arena(const ArenaSpec& spec) { return Compiler(spec).compile(); }

}  // namespace zithercraft
