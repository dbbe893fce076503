#include <algorithm>
#include <cmath>
#include <numeric>

#include "arena/compile/compiler.hpp"
#include "arena/physics/river.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::arena_internal {
namespace {

template <class List>
void check_names(const List& list, const std::string& what, const std::string& where) {
  for (std::size_t i = 0; i < list.size(); ++i) {
    if (list[i].name.empty())
      wrong("the name is empty", where + "[" + std::to_string(i) + "].name", "name it");
    for (std::size_t j = 0; j < i; ++j)
      if (list[j].name == list[i].name)
        wrong("two " + what + " are named '" + list[i].name + "'",
              where + "[" + std::to_string(i) + "].name", "give them different names");
  }
}

}  // namespace

// Rivers and causeways are made of bodies too, which come after those of the spec.
std::string ArenaCompiler::path_of_body(std::size_t index) const {
  const auto numbered = [](const char* list, std::size_t i) {
    return "arena." + std::string(list) + "[" + std::to_string(i) + "]";
  };
  const std::size_t own = plan_.spec.bodies.size();
  if (index < own) return numbered("bodies", index);
  const std::size_t of_rivers = river_parts * plan_.rivers.size();
  return index - own < of_rivers ? numbered("rivers", (index - own) / river_parts)
                                 : numbered("causeways", index - own - of_rivers);
}

void ArenaCompiler::add_bodies() {
  for (std::size_t i = 0; i < bodies_.size(); ++i) {
    const BodySpec& spec = bodies_[i];
    const std::string where = path_of_body(i);
    check_shape(spec.shape, where);
    check_place(spec.place, where);
    check_body(spec, where);
    for (std::size_t other = 0; other < i; ++other)
      if (bodies_[other].name == spec.name)
        wrong("two bodies are named '" + spec.name + "'", where + ".name",
              "use `count` for several alike");
    const std::int64_t count = most_bodies(spec, where);
    for (std::int64_t copy = 0; copy < count; ++copy) add_body(spec, i, where);
  }
  plan_.bodies = plan_.entities.size();
}

void ArenaCompiler::check_body(const BodySpec& spec, const std::string& where) const {
  if (spec.mover && spec.motion != Motion::free)
    wrong("only a free body can have a mover", where + ".mover", "set motion = \"free\"");
  const bool steps = spec.mover && std::holds_alternative<Stepper>(*spec.mover);
  if (steps && !plan_.spec.cells)
    wrong("a stepper needs cells to step on", where + ".mover", "give the arena cells");
  const auto* rail = spec.mover ? std::get_if<Rail>(&*spec.mover) : nullptr;
  const bool pushed = spec.motion == Motion::free && !steps && rail == nullptr;
  if (!pushed && (spec.constant_speed || spec.start_speed > 0.0))
    wrong("only a free body that nothing leads has a speed of its own",
          where + (spec.constant_speed ? ".constant_speed" : ".start_speed"),
          "set motion = \"free\", or leave it out");
  if (rail != nullptr && spec.place.region != std::array<double, 4>{0, 0, 0, 0})
    wrong("a body on a rail begins on it", where + ".place.region",
          "leave it out, and say where by `start` of the rail");
  if (spec.wanderer && !(steps || (spec.mover && (std::holds_alternative<Walker>(*spec.mover) ||
                                                  std::holds_alternative<Flyer>(*spec.mover)))))
    wrong("a wanderer moves by a walker, a flyer or a stepper", where + ".wanderer",
          "give the body such a mover");
  const bool carried = spec.motion == Motion::carried;
  const int guides =
      (spec.track ? 1 : 0) + (spec.carry.used() ? 1 : 0) + (spec.tail.has_value() ? 1 : 0);
  if (carried != (guides > 0))
    wrong(carried ? "a carried body needs a track" : "only a carried body follows a track",
          where + ".motion", carried ? "add `track` or `tail`" : "set motion = \"carried\"");
  if (guides > 1)
    wrong("the body follows several things: a track, a leader or code",
          where + (spec.tail ? ".tail" : ".carry"), "keep one");
  if (spec.carry.used() && !spec.carry.function())
    wrong("the body is carried by C++ code, which a file cannot hold", where + ".carry",
          "use the program that defines it, or a track");
  if (spec.track && spec.track->points.empty())
    wrong("the track has no points", where + ".track.points", "add points");
  check_names(spec.meters, "meters", where + ".meters");
  check_names(spec.launchers, "launchers", where + ".launchers");
  for (std::size_t i = 0; i < spec.meters.size(); ++i) {
    const Meter& m = spec.meters[i];
    const std::string at = where + ".meters[" + std::to_string(i) + "]";
    if (m.high <= m.low)
      wrong("the meter's range is empty", at + ".high", "make high larger than low");
    if (m.start && (*m.start < m.low || *m.start > m.high))
      wrong("the meter starts outside its range", at + ".start", "choose a value from low to high");
  }
}

void ArenaCompiler::add_body(const BodySpec& spec, std::size_t index, const std::string& where) {
  const std::size_t number = add_entity(EntityKind::body, spec.name, spec.tag, index, where);
  add_tags(spec, number, where);
  add_posed(spec.shape, tall_of(spec.shape, spec.height, where), spec.returns,
            !spec.tail.has_value());
  if (!spec.side.empty()) {
    auto& sides = plan_.sides;
    if (std::find(sides.begin(), sides.end(), spec.side) == sides.end()) sides.push_back(spec.side);
    plan_.side_of[number] =
        static_cast<std::int32_t>(std::find(sides.begin(), sides.end(), spec.side) - sides.begin());
    plan_.entities[number].side = spec.side;
  }
  plan_.surface[number] = {static_cast<float>(spec.bounce), static_cast<float>(spec.grip)};
  add_motion(spec, number);
  std::vector<std::string> inputs;
  if (spec.mover) add_mover(spec, number, inputs);
  add_launchers(spec, number, inputs);
  if (spec.digger) add_digger(*spec.digger, number, inputs);
  plan_.inputs += inputs.size();
  plan_.input_names.push_back(std::move(inputs));
  add_meters(spec, number, where);
  if (spec.motion == Motion::carried && !spec.tail) add_carried(spec, number);
  if (spec.wanderer) add_wanderer(spec, number);
}

void ArenaCompiler::add_tags(const BodySpec& spec, std::size_t number, const std::string& where) {
  TagSet& tags = plan_.may_bear.emplace_back(TagSet::of(plan_.tag_of[number]));
  for (std::size_t i = 0; i < spec.may_bear.size(); ++i) {
    const std::string at = where + ".may_bear[" + std::to_string(i) + "]";
    if (spec.may_bear[i].empty()) wrong("the tag is empty", at, "name it");
    const TagSet tag = TagSet::of(tag_index(spec.may_bear[i], at));
    if (tags.meets(tag)) wrong("the tag is its own, or named twice", at, "leave it out");
    tags |= tag;
    plan_.tags_change = true;
  }
}

// Whether physics moves it, and how.
void ArenaCompiler::add_motion(const BodySpec& spec, std::size_t number) {
  const ShapeData& shape = plan_.shapes.back();
  const bool led = spec.mover && (std::holds_alternative<Stepper>(*spec.mover) ||
                                  std::holds_alternative<Rail>(*spec.mover));
  const bool free = spec.motion == Motion::free;
  BodyData data;
  data.first_input = plan_.inputs;
  plan_.free_index.push_back(nowhere);
  plan_.active_index.push_back(nowhere);
  plan_.entities[number].free = spec.motion != Motion::fixed;
  if (free) {
    plan_.active_index[number] = plan_.active.size();
    plan_.active.push_back(number);
  }
  if (free && !led) {
    data.inverse_mass = 1.0f / static_cast<float>(spec.mass);
    data.inverse_inertia = data.inverse_mass / shape.inertia_per_mass;
    data.keep = static_cast<float>(exact::exp(-spec.drag * plan_.spec.tick));
    data.top_speed = static_cast<float>(spec.top_speed.value_or(0.0));
    data.constant_speed = static_cast<float>(spec.constant_speed.value_or(0.0));
    data.start_speed = static_cast<float>(spec.start_speed);
    data.swept_from = 0.5f * shape.inner / plan_.dt;
    data.drives = spec.mover.has_value();
    plan_.free_index[number] = plan_.free_bodies.size();
    plan_.free_bodies.push_back(number);
    const bool boat = spec.mover && std::holds_alternative<Boat>(*spec.mover);
    const bool flows = plan_.current.x != 0.0f || plan_.current.y != 0.0f;
    if (flows && (boat || spec.drag > 0.0)) plan_.adrift.push_back(number);
  }
  if (spec.mover) {
    if (const auto* walker = std::get_if<Walker>(&*spec.mover)) {
      const auto [sin, cos] = exact::sin_cos(exact::radians(walker->slope));
      data.walks = true;
      data.step = std::max(data.step, static_cast<float>(walker->step_height));
      data.steep = sin / cos;
    }
    data.floats = std::holds_alternative<Flyer>(*spec.mover);
  }
  plan_.body.push_back(data);
}

void ArenaCompiler::add_wanderer(const BodySpec& spec, std::size_t number) {
  WandererData wanderer{.body = number,
                        .steps = spec.mover && std::holds_alternative<Stepper>(*spec.mover),
                        .flies = plan_.body[number].floats};
  for (const auto& [x, y] : spec.wanderer->route)
    wanderer.route.push_back({static_cast<float>(x), static_cast<float>(y)});
  wanderer.sight = static_cast<float>(spec.wanderer->sight);
  wanderer.change_chance =
      static_cast<float>(1.0 - exact::exp(-plan_.spec.tick / spec.wanderer->restless));
  plan_.wanderers.push_back(std::move(wanderer));
}

namespace {

// Adds what moves a body to the plan, and names the inputs it takes.
class MoverCompiler {
 public:
  MoverCompiler(ArenaPlan& plan, std::size_t body, std::vector<std::string>& inputs)
      : plan_(plan), body_(body), inputs_(inputs) {}

  void operator()(const Boat& boat) {
    inputs_ = {"throttle", "rudder"};
    add(BoatData{static_cast<float>(boat.thrust), keep(boat.drag_ahead), keep(boat.drag_abeam),
                 static_cast<float>(boat.rudder_flow), static_cast<float>(boat.rudder_wash),
                 keep(boat.drag_turn)});
  }
  void operator()(const Walker& walker) {
    inputs_ = {"ahead", "left", "turn"};
    if (walker.jump > 0.0) inputs_.push_back("jump");
    if (walker.pitch_rate > 0.0) inputs_.push_back("pitch");
    add(WalkerData{.speed = static_cast<float>(walker.speed),
                   .step = static_cast<float>(walker.acceleration * plan_.spec.tick),
                   .turn_rate = radians(walker.turn_rate),
                   .in_air = static_cast<float>(walker.in_air),
                   .jump = static_cast<float>(walker.jump),
                   .pitch = {radians(walker.pitch_rate), radians(walker.pitch_limit)}});
  }
  void operator()(const Flyer& flyer) {
    inputs_ = {"ahead", "left", "up", "turn"};
    if (flyer.pitch_rate > 0.0) inputs_.push_back("pitch");
    add(FlyerData{.speed = static_cast<float>(flyer.speed),
                  .climb = static_cast<float>(flyer.climb),
                  .step = static_cast<float>(flyer.acceleration * plan_.spec.tick),
                  .turn_rate = radians(flyer.turn_rate),
                  .pitch = {radians(flyer.pitch_rate), radians(flyer.pitch_limit)}});
  }
  void operator()(const Car& car) {
    inputs_ = {"throttle", "steering"};
    add(CarData{static_cast<float>(car.engine), static_cast<float>(car.brakes), keep(car.drag),
                keep(car.side_grip), static_cast<float>(car.wheelbase), radians(car.steer_angle)});
  }
  void operator()(const Rail& rail) {
    inputs_ = {"along"};
    const auto point = [](const std::array<double, 2>& p) {
      return Vec{static_cast<float>(p[0]), static_cast<float>(p[1])};
    };
    RailData data{.body = body_, .from = point(rail.from), .to = point(rail.to)};
    data.length = length(data.to - data.from);
    if (rail.centre) {
      data.arc = true;
      data.centre = point(*rail.centre);
      data.radius = length(data.from - data.centre);
      const auto angle_of = [&](Vec end) {
        const Vec out = end - data.centre;
        return exact::atan2(static_cast<double>(out.y), static_cast<double>(out.x));
      };
      data.begins = angle_of(data.from);
      double sweep = angle_of(data.to) - data.begins;
      sweep -= 2.0 * exact::pi * std::floor(sweep / (2.0 * exact::pi));
      data.length = static_cast<float>(sweep) * data.radius;
    }
    if (!(data.length > 1e-3f))
      wrong("the rail has no length", plan_.paths[body_] + ".mover.to",
            "give it another end than `from`");
    data.speed = static_cast<float>(rail.speed);
    data.step = static_cast<float>(rail.acceleration * plan_.spec.tick);
    for (std::size_t k = 0; k < 2; ++k)
      data.start[k] = static_cast<float>(rail.start[k]) * data.length;
    if (data.start[1] < data.start[0])
      wrong("the range of the start runs backwards", plan_.paths[body_] + ".mover.start",
            "give the smaller share first");
    plan_.rails.push_back(data);
  }
  void operator()(const Stepper& stepper) {
    inputs_ = {"turn", "ahead", "left", "east", "north"};
    plan_.steppers.push_back({body_, static_cast<std::uint32_t>(stepper.ticks_per_move),
                              stepper.faces_move, stepper.pushes, stepper.pushable});
  }

 private:
  template <class Kind>
  void add(const Kind& kind) {
    plan_.movers.push_back({body_, kind});
  }
  float keep(double drag) const { return static_cast<float>(exact::exp(-drag * plan_.spec.tick)); }
  static float radians(double degrees) { return static_cast<float>(exact::radians(degrees)); }

  ArenaPlan& plan_;
  std::size_t body_;
  std::vector<std::string>& inputs_;
};

}  // namespace

void ArenaCompiler::add_mover(const BodySpec& spec, std::size_t number,
                              std::vector<std::string>& inputs) {
  std::visit(MoverCompiler(plan_, number, inputs), *spec.mover);
}

void ArenaCompiler::add_launchers(const BodySpec& spec, std::size_t number,
                                  std::vector<std::string>& inputs) {
  for (std::size_t i = 0; i < spec.launchers.size(); ++i) {
    const Launcher& launcher = spec.launchers[i];
    LauncherData data{.body = number, .spec_index = i};
    data.fire_input = plan_.inputs + inputs.size();
    inputs.push_back(launcher.name + ".fire");
    if (launcher.swing > 0.0) {
      data.bearing_input = plan_.inputs + inputs.size();
      inputs.push_back(launcher.name + ".bearing");
    }
    if (launcher.rise[1] > launcher.rise[0]) {
      data.rise_input = plan_.inputs + inputs.size();
      inputs.push_back(launcher.name + ".elevation");
    }
    data.lowest = static_cast<float>(exact::radians(launcher.rise[0]));
    data.highest = static_cast<float>(exact::radians(launcher.rise[1]));
    data.muzzle = static_cast<float>(launcher.muzzle);
    data.fall = plan_.heights.gravity * static_cast<float>(launcher.gravity);
    data.speed = static_cast<float>(launcher.speed);
    data.radius = static_cast<float>(launcher.radius);
    data.swing = static_cast<float>(exact::radians(launcher.swing));
    data.life = std::max<std::uint32_t>(1, ticks(launcher.life));
    data.reload = ticks(launcher.reload);
    data.push = static_cast<float>(launcher.push);
    data.shots = static_cast<std::size_t>(launcher.in_flight);
    plan_.launchers.push_back(std::move(data));
  }
}

void ArenaCompiler::add_digger(const Digger& spec, std::size_t number,
                               std::vector<std::string>& inputs) {
  DiggerData data{.body = number};
  data.dig_input = plan_.inputs + inputs.size();
  inputs.push_back("dig");
  if (!spec.places.empty()) {
    data.place_input = plan_.inputs + inputs.size();
    inputs.push_back("place");
  }
  data.reach = static_cast<float>(spec.reach);
  data.eye = static_cast<float>(spec.eye);
  data.power = static_cast<float>(spec.power * plan_.spec.tick);
  data.every = ticks(spec.every);
  data.steep_pitch = static_cast<float>(-exact::radians(spec.steep));
  data.steep_most = static_cast<std::uint32_t>(spec.steep_most);
  plan_.diggers.push_back(data);
}

void ArenaCompiler::add_carried(const BodySpec& spec, std::size_t number) {
  CarriedData carried{.body = number};
  if (plan_.home[number] == nowhere) plan_.home[number] = plan_.homes++;
  carried.home = plan_.home[number];
  if (spec.track) {
    carried.closed = spec.track->closed;
    carried.turns = spec.track->turns;
    Point last{0, 0};
    carried.points.push_back({});
    carried.levels.push_back(0.0f);
    carried.until.push_back(0.0);
    auto points = spec.track->points;
    std::vector<double> levels = spec.track->levels;
    if (levels.empty()) levels.assign(points.size(), 0.0);
    if (levels.size() != points.size())
      wrong("the path has " + std::to_string(points.size()) + " points and " +
                std::to_string(levels.size()) + " levels",
            plan_.paths[number] + ".track.levels", "give each point one, or none");
    if (carried.closed) {
      points.push_back({0, 0});
      levels.push_back(0.0);
    }
    double last_level = 0.0;
    for (std::size_t k = 0; k < points.size(); ++k) {
      const Point& p = points[k];
      const double dx = p[0] - last[0], dy = p[1] - last[1], dz = levels[k] - last_level;
      carried.length += std::sqrt(dx * dx + dy * dy + dz * dz) / spec.track->speed;
      carried.levels.push_back(static_cast<float>(levels[k]));
      last_level = levels[k];
      carried.points.push_back({static_cast<float>(p[0]), static_cast<float>(p[1])});
      carried.until.push_back(carried.length);
      last = p;
    }
    if (carried.length <= 0.0)
      wrong("the track leads nowhere", plan_.paths[number] + ".track.points",
            "give points away from the start");
  } else {
    carried.code = spec.carry.function();
  }
  plan_.carried.push_back(std::move(carried));
}

void ArenaCompiler::add_meters(const BodySpec& spec, std::size_t number, const std::string& where) {
  if (spec.meters.empty()) return;
  if (plan_.active_index[number] == nowhere)
    wrong("only a free body has meters", where + ".meters", "set motion = \"free\"");
  auto& names = plan_.meter_names;
  for (const Meter& meter : spec.meters) {
    auto found = std::find(names.begin(), names.end(), meter.name);
    if (found == names.end()) found = names.insert(names.end(), meter.name);
    plan_.meters.push_back({number, static_cast<std::uint32_t>(found - names.begin()),
                            static_cast<float>(meter.low), static_cast<float>(meter.high),
                            static_cast<float>(meter.start.value_or(meter.high)),
                            static_cast<float>(meter.change * plan_.spec.tick), meter.vital});
  }
}

void ArenaCompiler::add_shots() {
  plan_.meter_of.assign(plan_.active.size(),
                        std::vector<std::int32_t>(plan_.meter_names.size(), -1));
  for (std::size_t m = 0; m < plan_.meters.size(); ++m)
    plan_.meter_of[plan_.active_index[plan_.meters[m].body]][plan_.meters[m].name] =
        static_cast<std::int32_t>(m);
  for (std::size_t l = 0; l < plan_.launchers.size(); ++l) {
    LauncherData& launcher = plan_.launchers[l];
    const Launcher& spec =
        bodies_[plan_.entities[launcher.body].spec_index].launchers[launcher.spec_index];
    launcher.first_shot = plan_.entities.size();
    for (std::size_t i = 0; i < launcher.shots; ++i) {
      const std::size_t shot = add_entity(
          EntityKind::shot, spec.name, spec.tag, l,
          plan_.paths[launcher.body] + ".launchers[" + std::to_string(launcher.spec_index) + "]");
      if (plan_.heights.used) {
        add_posed(Ball{.radius = spec.radius}, static_cast<float>(2.0 * spec.radius), {}, false);
      } else {
        add_posed(Disc{.radius = spec.radius}, 0.0f, {}, false);
      }
      plan_.entities[shot].free = true;
      plan_.side_of[shot] = plan_.side_of[launcher.body];
    }
  }
  plan_.shots = plan_.entities.size() - plan_.bodies;
}

void ArenaCompiler::link_wanderers() {
  for (WandererData& wanderer : plan_.wanderers) {
    const Wanderer& spec = *bodies_[plan_.entities[wanderer.body].spec_index].wanderer;
    const std::string where = plan_.paths[wanderer.body] + ".wanderer.";
    const TagSet prey = tag_mask(spec.chases, where + "chases");
    const TagSet hunters = tag_mask(spec.flees, where + "flees");
    wanderer.hostile = spec.hostile;
    wanderer.chases = prey;
    wanderer.flees = hunters;
    for (std::size_t b = 0; b < plan_.bodies; ++b) {
      if (b == wanderer.body) continue;
      if (prey.meets(tags_ever(plan_, b))) wanderer.prey.push_back(b);
      if (hunters.meets(tags_ever(plan_, b))) wanderer.hunters.push_back(b);
    }
  }
}

void ArenaCompiler::link_launchers() {
  for (LauncherData& launcher : plan_.launchers) {
    const Launcher& spec =
        bodies_[plan_.entities[launcher.body].spec_index].launchers[launcher.spec_index];
    const std::string where = plan_.paths[launcher.first_shot];
    const Touchy touch = touchy(spec.effects, spec.kills, where);
    for (std::size_t i = 0; i < launcher.shots; ++i) plan_.touchy[launcher.first_shot + i] = touch;
    if (spec.costs) {
      for (std::size_t m = 0; m < plan_.meters.size(); ++m)
        if (plan_.meters[m].body == launcher.body &&
            plan_.meter_names[plan_.meters[m].name] == spec.costs->meter)
          launcher.cost_meter = m;
      if (launcher.cost_meter == nowhere)
        throw Error(ErrorKind::spec, "the body has no meter '" + spec.costs->meter + "'",
                    where + ".costs.meter", advice(spec.costs->meter, plan_.meter_names));
      launcher.cost = static_cast<float>(spec.costs->amount);
    }
    launcher.targets = tag_mask(spec.targets, where + ".targets");
    for (std::size_t e = 0; e < plan_.posed; ++e)
      if (plan_.entities[e].kind != EntityKind::shot && e != launcher.body &&
          launcher.targets.meets(tags_ever(plan_, e)))
        launcher.target_list.push_back(e);
    launcher.first_closest = plan_.closest;
    plan_.closest += launcher.shots * launcher.target_list.size();
  }
}

}  // namespace zithercraft::arena_internal
