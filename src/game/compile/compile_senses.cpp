#include <algorithm>
#include <cmath>

#include "game/compile/compile_role.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::game_internal {
namespace {

constexpr std::array<const char*, 8> eight_ways{"ahead",  "ahead_left",   "left",  "behind_left",
                                                "behind", "behind_right", "right", "ahead_right"};
constexpr std::array<const char*, 4> four_ways{"ahead", "left", "behind", "right"};

[[noreturn]] void needs_height(const std::string& where) {
  wrong_spec("this needs an arena with height", where,
             "add `heights` to the arena, or leave it out");
}

// What a column is about, beside its sense. Its quantity is its own name if none is given.
struct About {
  std::vector<std::int32_t> index{};
  std::string tag{};
  std::string_view quantity{};
};
struct Range {
  double low = 0.0, high = 1.0, scale = 1.0;
};

class SenseCompiler : public RoleCompiler {
 public:
  using RoleCompiler::RoleCompiler;

  void compile() {
    for (std::size_t i = 0; i < spec_.senses.size(); ++i)
      std::visit(
          [&](const auto& sense) { add(sense, where_ + ".senses[" + std::to_string(i) + "]"); },
          spec_.senses[i]);
    if (spec_.senses.empty())
      wrong_spec("the role senses nothing", where_ + ".senses", "add a sense");
  }

 private:
  template <class SomeSense>
  void add(const SomeSense& sense, const std::string& where) {
    SensePart part;
    part.first_column = role_.columns.size();
    part.what = plan_for(sense, where);
    part.columns = role_.columns.size() - part.first_column;
    part.history = static_cast<std::size_t>(sense.signal.history);
    part.noise = static_cast<float>(sense.signal.noise);
    part.drop_out = static_cast<float>(sense.signal.drop_out);
    part.kept = plan_.kept_columns;
    plan_.kept_columns += part.history * part.columns;
    for (std::size_t ago = 1; ago <= part.history; ++ago)
      for (std::size_t c = 0; c < part.columns; ++c) {
        Column column = role_.columns[part.first_column + c];
        column.name += "@" + std::to_string(ago);
        column.age = static_cast<std::int32_t>(ago);
        role_.columns.push_back(std::move(column));
      }
    if (role_.columns.size() > most_columns)
      wrong_spec("the role senses more than " + std::to_string(most_columns) + " columns", where,
                 "sense less, or keep a shorter history");
    plan_.senses.push_back(std::move(part));
  }

  void add_column(const std::string& sense, const std::string& own_name, std::string unit,
                  Range range = {}, About about = {}) {
    Column column{{},
                  std::move(unit),
                  range.low,
                  range.high,
                  range.scale,
                  sense,
                  std::move(about.index),
                  std::move(about.tag),
                  about.quantity.empty() ? own_name : std::string(about.quantity)};
    column.name = sense;
    if (!column.index.empty()) column.name += "[" + index_text(column) + "]";
    if (!own_name.empty()) column.name += "." + own_name;
    role_.columns.push_back(std::move(column));
  }
  static std::int32_t number(std::int64_t value) { return static_cast<std::int32_t>(value); }

  // ---- Rays

  template <class Rays>
  FanPlan rays_of(const Rays& sense, const std::string& where) const {
    FanPlan fan;
    fan.rays = static_cast<std::size_t>(sense.rays);
    fan.reach = static_cast<float>(sense.reach);
    fan.thickness = static_cast<float>(sense.thickness);
    fan.own_side = sense.sees_own_side;
    if (sense.from_height && !game_.arena.has_height()) needs_height(where + ".from_height");
    fan.eye = static_cast<float>(sense.from_height.value_or(half_height()));
    if (sense.sees.empty())
      wrong_spec("the rays see nothing", where + ".sees", "list the tags they report");
    std::vector<std::size_t> tags;
    for (std::size_t i = 0; i < sense.sees.size(); ++i) {
      const std::size_t tag =
          game_.arena.tag(sense.sees[i], where + ".sees[" + std::to_string(i) + "]");
      fan.tags |= TagSet::of(tag);
      tags.push_back(tag);
      if (sense.reports == RayReport::each_tag) fan.seen_alone.push_back(TagSet::of(tag));
    }
    check_unique(sense.sees, "tag", where + ".sees", "list each once");
    fan.miss = sense.reports == RayReport::first_or_miss;
    fan.flags = tags.size() + (fan.miss ? 1 : 0);
    fan.flag_of = numbers_of(tags);
    return fan;
  }

  // Where in the list the tag of a thing stands.
  FlagsPlan numbers_of(const std::vector<std::size_t>& tags) const {
    const auto number_of = [&](std::size_t tag) {
      return static_cast<std::int32_t>(std::find(tags.begin(), tags.end(), tag) - tags.begin());
    };
    FlagsPlan numbers;
    for (const Entity& e : game_.arena.entities()) numbers.of_entity.push_back(number_of(e.tag));
    for (std::size_t tag = 0; game_.arena.tags_change() && tag < game_.arena.tags().size(); ++tag)
      numbers.of_tag.push_back(number_of(tag));
    return numbers;
  }

  double half_height() const {
    return 0.5 * static_cast<double>(game_.arena.height_of(role_.seats.front()));
  }

  template <class Rays>
  FanPlan add_rays(FanPlan&& fan, const Rays& sense) {
    const bool each_tag = sense.reports == RayReport::each_tag;
    RaySense rays{.name = sense.name,
                  .first_column = role_.columns.size(),
                  .tags = sense.sees,
                  .reports = sense.reports,
                  .columns_each = each_tag ? sense.sees.size() : fan.flags + 1,
                  .reach = fan.reach,
                  .eye = fan.eye,
                  .follows_pitch = fan.follows_pitch};
    for (std::int64_t ray = 0; ray < sense.rays; ++ray) {
      const std::vector<std::int32_t> index{number(ray)};
      if (each_tag) {
        for (const auto& tag : sense.sees)
          add_column(sense.name, tag, "m", {0, 1, sense.reach}, {index, tag, distance_quantity});
        continue;
      }
      for (const auto& tag : sense.sees)
        add_column(sense.name, tag, "flag", {}, {index, tag, seen_quantity});
      if (fan.miss) add_column(sense.name, "nothing", "flag", {}, {index});
      add_column(sense.name, "distance", "m", {0, 1, sense.reach}, {index});
    }
    for (std::size_t i = 0; i < fan.rays; ++i)
      rays.direction.push_back({fan.cos[i], fan.sin[i], fan.up.empty() ? 0.0f : fan.up[i]});
    role_.rays.push_back(std::move(rays));
    return std::move(fan);
  }

  // Directions in the plane, from `first` degrees on in equal steps, that rise to `rise` metres per
  // metre of ray.
  void aim(FanPlan& fan, double first, double step, double rise) const {
    const double level = std::sqrt(1.0 - rise * rise);
    for (std::size_t ray = 0; ray < fan.rays; ++ray) {
      const auto [sin, cos] =
          exact::sin_cos(exact::radians(first + step * static_cast<double>(ray)));
      fan.cos.push_back(
          game_.arena.has_height() ? static_cast<float>(level * static_cast<double>(cos)) : cos);
      fan.sin.push_back(
          game_.arena.has_height() ? static_cast<float>(level * static_cast<double>(sin)) : sin);
      if (game_.arena.has_height()) fan.up.push_back(static_cast<float>(rise));
    }
  }

  // Directions from below to above, in the upright plane through the heading.
  static void aim_upright(FanPlan& fan, double first, double step) {
    for (std::size_t ray = 0; ray < fan.rays; ++ray) {
      const auto [sin, cos] =
          exact::sin_cos(exact::radians(first + step * static_cast<double>(ray)));
      fan.cos.push_back(cos);
      fan.sin.push_back(0.0f);
      fan.up.push_back(sin);
    }
  }

  FanPlan plan_for(const RayFan& sense, const std::string& where) {
    FanPlan fan = rays_of(sense, where);
    if (sense.to_height && !game_.arena.has_height()) needs_height(where + ".to_height");
    if (sense.follows_pitch && !game_.arena.has_height()) needs_height(where + ".follows_pitch");
    fan.follows_pitch = sense.follows_pitch;
    if (sense.upright && !game_.arena.has_height()) needs_height(where + ".upright");
    if (sense.upright && sense.to_height)
      wrong_spec("the rays of an upright fan end at heights of their own", where + ".to_height",
                 "leave it out");
    const double rise =
        sense.to_height ? (*sense.to_height - static_cast<double>(fan.eye)) / sense.reach : 0.0;
    if (rise <= -1.0 || rise >= 1.0)
      wrong_spec("the rays are too short to end at that height", where + ".to_height",
                 "lengthen `reach`");
    // A full circle has as many gaps as rays; an open fan has one gap fewer.
    const double gaps = sense.arc >= 360.0 ? static_cast<double>(sense.rays)
                                           : std::max(1.0, static_cast<double>(sense.rays - 1));
    const double first = sense.rays == 1 ? 0.0 : -0.5 * sense.arc, step = sense.arc / gaps;
    sense.upright ? aim_upright(fan, first, step) : aim(fan, first, step, rise);
    return add_rays(std::move(fan), sense);
  }

  // A spiral in steps of the golden angle covers a cap evenly; its turns are then put in order,
  // ring by ring, so that rays that follow each other point the same way: that is faster to cast,
  // and easier to read.
  FanPlan plan_for(const RayCone& sense, const std::string& where) {
    if (!game_.arena.has_height()) needs_height(where);
    FanPlan fan = rays_of(sense, where);
    fan.follows_pitch = true;
    struct Direction {
      std::int64_t ring;
      double turn, ahead;
    };
    const double rays = static_cast<double>(sense.rays);
    const double depth =
        1.0 - static_cast<double>(exact::sin_cos(exact::radians(0.5 * sense.arc)).cos);
    std::vector<Direction> directions;
    for (std::int64_t i = 0; i < sense.rays; ++i) {
      const double golden = 0.3819660112501051 * static_cast<double>(i);
      const auto ring = static_cast<std::int64_t>(std::sqrt((static_cast<double>(i) + 0.5) / 8.0));
      directions.push_back(
          {ring, golden - std::floor(golden), 1.0 - depth * (static_cast<double>(i) + 0.5) / rays});
    }
    std::sort(directions.begin(), directions.end(), [](const Direction& a, const Direction& b) {
      return a.ring != b.ring ? a.ring < b.ring : a.turn < b.turn;
    });
    for (const Direction& d : directions) {
      const auto [sin, cos] = exact::sin_cos(2.0 * exact::pi * d.turn);
      const double off = std::sqrt(std::max(0.0, 1.0 - d.ahead * d.ahead));
      fan.cos.push_back(static_cast<float>(d.ahead));
      fan.sin.push_back(static_cast<float>(off * static_cast<double>(cos)));
      fan.up.push_back(static_cast<float>(off * static_cast<double>(sin)));
    }
    return add_rays(std::move(fan), sense);
  }

  // ---- Where things are

  CompassPlan plan_for(const Compass& sense, const std::string& where) {
    CompassPlan plan{target(sense.to, sense.paired, where + ".to"),
                     sense.paired,
                     sense.along_path,
                     game_.arena.has_height(),
                     sense.bearings,
                     static_cast<float>(sense.reach),
                     static_cast<float>(1.0 / sense.reach),
                     {}};
    if (sense.top_speed) plan.inverse_top_speed = static_cast<float>(1.0 / *sense.top_speed);
    if (sense.along_path) check_cells(game_, where);
    if (sense.whose != Whose::anyone) {
      check_sides(sense.whose, where + ".whose");
      plan.bears = bears_of(game_, sense.to);
      if (sense.paired)
        wrong_spec("a paired thing has no `whose`", where + ".whose", "leave one of both out");
      for (std::size_t seat = 0; seat < role_.seats.size(); ++seat) {
        auto& things = plan.things.emplace_back();
        for (const EntityId thing : game_.things_of_tag[plan.tag])
          if (thing != role_.seats[seat] && meant(sense.whose, seat, thing))
            things.push_back(thing);
        if (things.empty())
          wrong_spec(
              "nothing of tag '" + sense.to + "' " +
                  (sense.whose == Whose::partner ? "is a partner" : "belongs to such a side"),
              where + ".whose",
              sense.whose == Whose::partner ? "name the tag that partners bear"
                                            : "give zones or bodies of that tag a `side`");
      }
    }
    const auto add = [&](const std::string& own_name, const char* unit, Range range) {
      add_column(sense.name, own_name, unit, range, {{}, sense.to, own_name});
    };
    if (sense.bearings == Bearings::angle) {
      add("ahead", "cosine", {-1, 1});
      add("left", "sine", {-1, 1});
    } else if (sense.bearings == Bearings::four) {
      for (const char* way : four_ways) add(std::string("is_") + way, "flag", {});
    } else {
      for (const char* way : eight_ways) add(std::string("is_") + way, "flag", {});
    }
    add("distance", "m", {0, 1, sense.reach});
    if (game_.arena.has_height()) add("up", "sine", {-1, 1});
    if (sense.top_speed) {
      add("speed_ahead", "m/s", {-1, 1, *sense.top_speed});
      add("speed_left", "m/s", {-1, 1, *sense.top_speed});
    }
    return plan;
  }

  // How a meter of others is read, by body.
  std::vector<CrowdPlan::Reading> readings_of(const std::string& meter,
                                              const std::vector<std::vector<EntityId>>& others,
                                              const std::string& where) const {
    std::vector<CrowdPlan::Reading> readings(game_.arena.bodies().size());
    std::vector<std::string> known;
    bool any = false;
    for (const auto& seat : others)
      for (const EntityId other : seat) {
        if (!game_.arena.bodies().holds(other)) continue;
        for (const Meter& m :
             game_.spec.arena.bodies[game_.arena.entity(other).spec_index].meters) {
          known.push_back(m.name);
          if (m.name != meter) continue;
          any = true;
          readings[other.index()] = {game_.arena.meter_number(other, meter),
                                     static_cast<float>(m.low),
                                     static_cast<float>(1.0 / (m.high - m.low))};
        }
      }
    if (!any)
      wrong_spec("nobody of the crowd has a meter '" + meter + "'", where,
                 known.empty() ? "leave it out" : advice(meter, known));
    return readings;
  }

  void add_columns(const Crowd& sense, const CrowdPlan& plan) {
    for (std::int64_t i = 0; i < sense.nearest; ++i) {
      const About about{{number(i)}};
      // One that is there is of the only tag, or has a flag for its own.
      add_column(sense.name, "here", "flag", {},
                 plan.flags > 0 ? about : About{about.index, sense.of.front(), seen_quantity});
      add_column(sense.name, "ahead", "cosine", {-1, 1}, about);
      add_column(sense.name, "left", "sine", {-1, 1}, about);
      add_column(sense.name, "distance", "m", {0, 1, sense.reach}, about);
      add_column(sense.name, "speed_ahead", "m/s", {-1, 1, sense.top_speed}, about);
      add_column(sense.name, "speed_left", "m/s", {-1, 1, sense.top_speed}, about);
      if (plan.flags > 0)
        for (const auto& tag : sense.of)
          add_column(sense.name, tag, "flag", {}, {about.index, tag, seen_quantity});
      for (const auto& meter : sense.meters)
        add_column(sense.name, meter, "share of full", {}, about);
      if (sense.side) add_column(sense.name, "own_side", "flag", {}, about);
      if (sense.target) add_column(sense.name, "targets_me", "flag", {}, about);
    }
  }

  CrowdPlan plan_for(const Crowd& sense, const std::string& where) {
    CrowdPlan plan;
    const std::size_t first_column = role_.columns.size();
    if (sense.of.empty())
      wrong_spec("the crowd is made of nothing", where + ".of", "list tags of bodies or items");
    check_unique(sense.of, "tag", where + ".of", "list each once");
    check_sides(sense.whose, where + ".whose");
    std::vector<std::size_t> tags;
    for (std::size_t i = 0; i < sense.of.size(); ++i)
      tags.push_back(placed_tag(game_, sense.of[i], where + ".of[" + std::to_string(i) + "]"));
    if (game_.arena.tags_change())
      for (const std::size_t tag : tags) plan.tags |= TagSet::of(tag);
    for (std::size_t seat = 0; seat < role_.seats.size(); ++seat) {
      auto& others = plan.others.emplace_back();
      for (const std::size_t tag : tags)
        for (const EntityId thing : game_.things_of_tag[tag])
          if (thing != role_.seats[seat] && game_.arena.entity(thing).kind != EntityKind::zone &&
              meant(sense.whose, seat, thing))
            others.push_back(thing);
      std::sort(others.begin(), others.end());
      others.erase(std::unique(others.begin(), others.end()), others.end());
      if (others.empty())
        wrong_spec("no body and no item belongs to the crowd", where + ".of", "name other tags");
    }
    plan.flag_of = numbers_of(tags);
    plan.nearest = static_cast<std::size_t>(sense.nearest);
    plan.flags = tags.size() > 1 ? tags.size() : 0;
    plan.reach = static_cast<float>(sense.reach);
    plan.inverse_reach = static_cast<float>(1.0 / sense.reach);
    plan.inverse_top_speed = static_cast<float>(1.0 / sense.top_speed);
    for (std::size_t m = 0; m < sense.meters.size(); ++m)
      plan.meters.push_back(
          readings_of(sense.meters[m], plan.others, where + ".meters[" + std::to_string(m) + "]"));
    check_unique(sense.meters, "meter", where + ".meters", "list each once");
    if (sense.side) {
      check_sides(Whose::own, where + ".side");
      for (const EntityId e : game_.arena.ids())
        plan.own_side.push_back(meant(Whose::own, 0, e) ? 1 : 0);
    }
    plan.target = sense.target;
    if (sense.target &&
        std::none_of(game_.spec.roles.begin(), game_.spec.roles.end(), [](const RoleSpec& role) {
          return std::any_of(role.controls.begin(), role.controls.end(),
                             [](const Control& c) { return std::holds_alternative<Target>(c); });
        }))
      wrong_spec("no role chooses a target", where + ".target", "leave it out");
    add_columns(sense, plan);
    role_.crowds.push_back({sense.name, first_column, plan.nearest,
                            (role_.columns.size() - first_column) / plan.nearest,
                            static_cast<std::size_t>(sense.signal.history)});
    return plan;
  }

  // ---- The seat itself

  OwnMotionPlan plan_for(const OwnMotion& sense, const std::string& where) {
    const double top = sense.top_speed, top_turn = exact::radians(sense.top_turn_rate);
    struct Part {
      const char *name, *unit;
      Range range;
      bool high;
    };
    const std::array parts{Part{"speed_ahead", "m/s", {-1, 1, top}, false},
                           Part{"speed_left", "m/s", {-1, 1, top}, false},
                           Part{"turn_rate", "rad/s", {-1, 1, top_turn}, false},
                           Part{"climb", "m/s", {-1, 1, top}, true},
                           Part{"pitch", "rad", {-1, 1, 0.5 * exact::pi}, true},
                           Part{"stands", "flag", {}, true}};
    check_unique(sense.parts, "part", where + ".parts", "list each once");
    std::vector<std::string> known;
    for (const Part& part : parts)
      if (!part.high || game_.arena.has_height()) known.emplace_back(part.name);
    for (std::size_t i = 0; i < sense.parts.size(); ++i)
      if (std::find(known.begin(), known.end(), sense.parts[i]) == known.end())
        wrong_spec("there is no such part of the own motion here: '" + sense.parts[i] + "'",
                   where + ".parts[" + std::to_string(i) + "]", advice(sense.parts[i], known));
    OwnMotionPlan plan{static_cast<float>(1.0 / top), static_cast<float>(1.0 / top_turn), {}};
    for (std::size_t k = 0; k < known.size(); ++k) {
      if (!sense.parts.empty() &&
          std::find(sense.parts.begin(), sense.parts.end(), known[k]) == sense.parts.end())
        continue;
      plan.parts.push_back(k);
      add_column(sense.name, parts[k].name, parts[k].unit, parts[k].range);
    }
    return plan;
  }

  OwnStatePlan plan_for(const OwnState& sense, const std::string& where) {
    if (!sense.heading && !sense.quarter && !sense.level && !sense.controls && !sense.phase &&
        !sense.time_left)
      wrong_spec("nothing of the own state is asked for", where,
                 "switch on heading, quarter, level, controls, phase or time_left");
    const auto& phases = game_.spec.arena.phases;
    if (sense.phase && phases.empty())
      wrong_spec("the arena has no phases", where + ".phase", "leave it out");
    if (sense.level && !game_.arena.has_height()) needs_height(where + ".level");
    if (sense.heading) {
      add_column(sense.name, "heading_cosine", "cosine", {-1, 1});
      add_column(sense.name, "heading_sine", "sine", {-1, 1});
    }
    if (sense.quarter)
      for (const char* way : {"east", "north", "west", "south"})
        add_column(sense.name, std::string("faces_") + way, "flag");
    if (sense.level) add_column(sense.name, "level", "m", {-1, 1, *sense.level});
    if (sense.controls)
      for (const ControlInfo& control : role_.controls) {
        if (control.is_choice()) {
          for (const auto& option : control.options)
            add_column(sense.name, "last." + control.name + "." + option, "flag");
        } else {
          add_column(sense.name, "last." + control.name, control.unit, {control.low, control.high});
        }
      }
    if (sense.phase)
      for (const Phase& phase : phases) add_column(sense.name, "phase." + phase.name, "flag");
    if (sense.time_left) add_column(sense.name, "time_left", "share");
    return {sense, sense.level ? static_cast<float>(1.0 / *sense.level) : 1.0f,
            1.0f / static_cast<float>(game_.spec.cutoffs.steps)};
  }

  GaugesPlan plan_for(const Gauges& sense, const std::string& where) {
    const EntityId body = role_.seats.front();
    const auto known = game_.arena.meters_of(body);
    GaugesPlan plan;
    const auto& meters = sense.meters.empty() ? known : sense.meters;
    if (meters.empty())
      wrong_spec("the body has no meters", where, "give it one, or leave the sense out");
    plan.numbers.resize(role_.seats.size());
    for (std::size_t i = 0; i < meters.size(); ++i) {
      if (std::find(known.begin(), known.end(), meters[i]) == known.end())
        wrong_spec("the body has no meter '" + meters[i] + "'",
                   where + ".meters[" + std::to_string(i) + "]", advice(meters[i], known));
      for (std::size_t seat = 0; seat < role_.seats.size(); ++seat)
        plan.numbers[seat].push_back(game_.arena.meter_number(role_.seats[seat], meters[i]));
      for (const Meter& meter :
           game_.spec.arena.bodies[game_.arena.entity(body).spec_index].meters) {
        if (meter.name != meters[i]) continue;
        plan.low.push_back(static_cast<float>(meter.low));
        plan.inverse_range.push_back(static_cast<float>(1.0 / (meter.high - meter.low)));
        add_column(sense.name, meter.name, "share of full");
      }
    }
    return plan;
  }

  // ---- What lies around

  WindowPlan plan_for(const Window& sense, const std::string& where) {
    const bool cells = game_.arena.cell_columns() > 0,
               blocks = game_.arena.block_count().columns > 0;
    if (!cells && !blocks)
      wrong_spec("a window shows cells or blocks, and the arena has none", where, "use rays");
    if (sense.sees.empty())
      wrong_spec("the window sees nothing", where + ".sees", "list the tags it reports");
    if (cells && (sense.above > 0 || sense.below > 0))
      wrong_spec("cells have no layers above each other", where + ".above",
                 "leave `above` and `below` out");
    WindowPlan plan;
    plan.ahead = static_cast<std::size_t>(sense.ahead);
    plan.behind = static_cast<std::size_t>(sense.behind);
    plan.left = static_cast<std::size_t>(sense.left);
    plan.right = static_cast<std::size_t>(sense.right);
    plan.above = static_cast<std::size_t>(sense.above);
    plan.below = static_cast<std::size_t>(sense.below);
    plan.blocks = !cells;
    if (plan.cells() * sense.sees.size() > most_columns)
      wrong_spec("the window has more than " + std::to_string(most_columns) + " columns", where,
                 "make it smaller");
    for (std::size_t i = 0; i < sense.sees.size(); ++i)
      plan.tags.push_back(
          game_.arena.tag(sense.sees[i], where + ".sees[" + std::to_string(i) + "]"));
    if (!sense.beyond.empty()) {
      if (std::find(sense.sees.begin(), sense.sees.end(), sense.beyond) == sense.sees.end())
        wrong_spec("the window does not see '" + sense.beyond + "'", where + ".beyond",
                   advice(sense.beyond, sense.sees));
      plan.beyond = TagSet::of(game_.arena.tag(sense.beyond, where + ".beyond"));
    }
    role_.grids.push_back({sense.name, role_.columns.size(), plan.above + plan.below + 1,
                           plan.ahead + plan.behind + 1, plan.left + plan.right + 1,
                           sense.sees.size(), static_cast<std::size_t>(sense.signal.history)});
    // Named by cells ahead and to the left, so that a name says where it is.
    for (std::int64_t level = sense.above; level >= -sense.below; --level)
      for (std::int64_t ahead = sense.ahead; ahead >= -sense.behind; --ahead)
        for (std::int64_t left = sense.left; left >= -sense.right; --left)
          for (const auto& tag : sense.sees) {
            std::vector<std::int32_t> index{number(ahead), number(left)};
            if (plan.blocks) index.push_back(number(level));
            add_column(sense.name, tag, "flag", {}, {std::move(index), tag, seen_quantity});
          }
    return plan;
  }

  HazardsPlan plan_for(const Hazards& sense, const std::string& where) {
    if (sense.moves != 4 && sense.moves != 8)
      wrong_spec("there are 4 or 8 moves to look at", where + ".moves", "give 4 or 8");
    FanPlan fan;
    fan.rays = static_cast<std::size_t>(sense.moves);
    fan.reach = static_cast<float>(sense.within);
    fan.thickness = static_cast<float>(sense.thickness);
    fan.eye = static_cast<float>(half_height());
    fan.tags = sense.fatal.empty() ? deadly_tags() : tag_mask(sense.fatal, where + ".fatal");
    if (fan.tags.empty())
      wrong_spec(
          "nothing in the game kills the seat's body, and no term ends the episode in failure at a "
          "touch",
          where + ".fatal", "list the tags that are deadly");
    aim(fan, 0.0, 360.0 / static_cast<double>(sense.moves), 0.0);
    HazardSense hazards{sense.name, role_.columns.size(), fan.rays, {}};
    for (std::size_t tag = 0; tag < game_.arena.tags().size(); ++tag)
      if (fan.tags.holds(tag)) hazards.tags.push_back(game_.arena.tags()[tag]);
    for (std::size_t i = 0; i < fan.rays; ++i)
      add_column(sense.name, sense.moves == 4 ? four_ways[i] : eight_ways[i], "flag");
    role_.hazards.push_back(std::move(hazards));
    return {std::move(fan)};
  }

  // What kills the seats' bodies, or fails them when they touch it or come into it.
  TagSet deadly_tags() const {
    const TagSet own = TagSet::of(game_.arena.entity(role_.seats.front()).tag);
    TagSet deadly;
    for (const EntityId e : game_.arena.ids())
      if (game_.arena.kills(e).meets(own)) deadly |= TagSet::of(game_.arena.entity(e).tag);
    for (std::size_t t = 0; t < spec_.rewards.size(); ++t) {
      const Term& term = spec_.rewards[t];
      const std::string where = where_ + ".rewards[" + std::to_string(t) + "]";
      if (term.ends != Verdict::failure) continue;
      if (term.on && term.on->of.empty() && !term.on->with.empty() &&
          (term.on->event == EventKind::touch || term.on->event == EventKind::enter))
        deadly |= tag_mask(term.on->with, where + ".on.with");
      if (term.when && term.when->of.empty() && !term.when->touching.empty())
        deadly |= tag_mask(term.when->touching, where + ".when.touching");
    }
    return deadly;
  }

  // ---- Pictures

  // Tags that are given no shade get one of their own: spread so that any few of them differ well.
  static std::array<float, 3> shade_of(std::size_t tag, std::optional<double> given, bool grey) {
    const double golden = 0.6180339887498949 * static_cast<double>(tag + 1),
                 hue = golden - std::floor(golden);
    const double bright = given.value_or(0.35 + 0.65 * hue);
    if (grey) return {static_cast<float>(bright), 0.0f, 0.0f};
    const auto part = [&](double shift) {
      const double away = hue + shift - std::floor(hue + shift), wave = std::fabs(2.0 * away - 1.0);
      return static_cast<float>(bright * std::clamp(1.5 * wave + 0.1, 0.15, 1.0));
    };
    return {part(0.0), part(1.0 / 3.0), part(2.0 / 3.0)};
  }

  CameraPlan plan_for(const Camera& sense, const std::string& where) {
    CameraPlan plan;
    plan.from = sense.from;
    plan.width = static_cast<std::size_t>(sense.width);
    plan.height = static_cast<std::size_t>(sense.height);
    plan.channels = sense.grey ? 1 : 3;
    reduce_picture(sense, where, plan);
    if (sense.eye && !game_.arena.has_height()) needs_height(where + ".eye");
    plan.across = static_cast<float>(sense.across);
    check_squares_shown(sense, where);
    if (sense.from == CameraFrom::side && !game_.arena.has_height()) needs_height(where + ".from");
    plan.turns = sense.turns && (sense.from == CameraFrom::above || sense.from == CameraFrom::side);
    plan.high = game_.arena.has_height();
    plan.reach = static_cast<float>(sense.reach);
    plan.eye = static_cast<float>(sense.eye.value_or(plan.high ? half_height() : 0.5));
    const auto half = exact::sin_cos(exact::radians(0.5 * sense.arc));
    plan.focal = 0.5f * static_cast<float>(sense.width) * half.cos / half.sin;
    const Place middle = game_.arena.middle();
    plan.middle_x = static_cast<float>(middle.x);
    plan.middle_y = static_cast<float>(middle.y);
    fill_shades(sense, where, plan);
    add_pixels(sense, plan);
    return plan;
  }

  PicturePlan plan_for(const CustomPicture& sense, const std::string& where) {
    if (!game_.spec.custom)
      wrong_spec("only custom games hand pictures over", where, "use a `camera` in an arena");
    PicturePlan plan;
    plan.number = plan_.picture_bytes.size();
    plan.width = static_cast<std::size_t>(sense.width);
    plan.height = static_cast<std::size_t>(sense.height);
    plan.given = sense.colour ? 3 : 1;
    plan.channels = sense.colour && !sense.grey ? 3 : 1;
    reduce_picture(sense, where, plan);
    plan_.picture_bytes.push_back(plan.bytes());
    add_pixels(sense, plan);
    return plan;
  }

  // What is left of a picture once it is cropped and reduced.
  template <class Spec, class Plan>
  void reduce_picture(const Spec& sense, const std::string& where, Plan& plan) const {
    plan.reduce = static_cast<std::size_t>(sense.reduce);
    plan.left = static_cast<std::size_t>(sense.crop[0]);
    plan.top = static_cast<std::size_t>(sense.crop[1]);
    const std::int64_t wide = sense.width - sense.crop[0] - sense.crop[2],
                       high = sense.height - sense.crop[1] - sense.crop[3];
    if (wide < 1 || high < 1)
      wrong_spec("nothing is left of the picture", where + ".crop", "cut less off");
    if (wide % sense.reduce != 0 || high % sense.reduce != 0)
      wrong_spec("the " + std::to_string(wide) + " x " + std::to_string(high) +
                     " pixels left cannot be reduced by " + std::to_string(sense.reduce),
                 where + ".reduce", "choose a number that divides both");
    plan.out_width = static_cast<std::size_t>(wide / sense.reduce);
    plan.out_height = static_cast<std::size_t>(high / sense.reduce);
    if (plan.out_width * plan.out_height * plan.channels > most_columns)
      wrong_spec("the picture has more than " + std::to_string(most_columns) + " columns", where,
                 "make it smaller, or reduce it");
  }

  template <class Spec, class Plan>
  void add_pixels(const Spec& sense, const Plan& plan) {
    role_.grids.push_back({sense.name, role_.columns.size(), 1, plan.out_height, plan.out_width,
                           plan.channels, static_cast<std::size_t>(sense.signal.history)});
    for (std::size_t row = 0; row < plan.out_height; ++row)
      for (std::size_t column = 0; column < plan.out_width; ++column) {
        const About about{{static_cast<std::int32_t>(row), static_cast<std::int32_t>(column)}};
        if (plan.channels == 1) {
          add_column(sense.name, "", "brightness", {}, {about.index, {}, "brightness"});
        } else {
          for (const char* part : {"red", "green", "blue"})
            add_column(sense.name, part, "brightness", {}, about);
        }
      }
  }

  // Each square of the ground that a picture from above shows is looked up, so there cannot be any
  // number of them.
  void check_squares_shown(const Camera& sense, const std::string& where) const {
    constexpr double most = 1024.0;
    const ArenaSpec& arena = game_.spec.arena;
    if (sense.from == CameraFrom::eyes || sense.from == CameraFrom::side ||
        (!arena.cells && !arena.blocks))
      return;
    const double size = arena.cells ? arena.cells->size : arena.blocks->size;
    const auto width = static_cast<double>(sense.width), height = static_cast<double>(sense.height);
    if (sense.across * std::hypot(width, height) / width > most * size)
      wrong_spec("the picture shows more than 1024 cells or blocks from corner to corner",
                 where + ".across", "show a smaller stretch of ground");
  }

  void fill_shades(const Camera& sense, const std::string& where, CameraPlan& plan) const {
    const TagSet drawn = tag_mask(sense.sees, where + ".sees");
    for (const auto& [tag, shade] : sense.shades) {
      std::string key = where;
      game_.arena.tag(tag, key.append(".shades.").append(tag));
    }
    plan.ground.fill(0.2f);
    const auto shade_given = [&](std::size_t tag) {
      const auto given = sense.shades.find(game_.arena.tags()[tag]);
      return given == sense.shades.end() ? std::optional<double>{} : given->second;
    };
    const auto add = [&](std::vector<float>& shades, std::size_t tag, bool shown) {
      const auto shade = shade_of(tag, shade_given(tag), sense.grey);
      for (std::size_t c = 0; c < plan.channels; ++c) shades.push_back(shown ? shade[c] : -1.0f);
    };
    for (const EntityId id : game_.arena.ids()) {
      const Entity& e = game_.arena.entity(id);
      const bool plain = e.kind == EntityKind::floor || e.kind == EntityKind::ground;
      const bool given = shade_given(e.tag).has_value();
      add(plan.shades, e.tag, drawn.holds(e.tag) && (!plain || given));
      (e.kind == EntityKind::zone ? plan.zones : plan.solid) |= drawn & game_.arena.tags_ever(id);
      if (plain && given && drawn.holds(e.tag))
        plan.ground = shade_of(e.tag, shade_given(e.tag), sense.grey);
    }
    for (std::size_t tag = 0; game_.arena.tags_change() && tag < game_.arena.tags().size(); ++tag)
      add(plan.shades_of_tag, tag, drawn.holds(tag));
  }

  CustomSensePlan plan_for(const CustomSense& sense, const std::string& where) {
    if (sense.columns.empty())
      wrong_spec("the sense declares no columns", where + ".columns", "list them");
    for (std::size_t i = 0; i < sense.columns.size(); ++i) {
      const CustomColumn& column = sense.columns[i];
      const std::string at = where + ".columns[" + std::to_string(i) + "]";
      if (!(column.high > column.low))
        wrong_spec("the column's range is empty", at + ".high", "make high larger");
      if (column.scale == 0.0)
        wrong_spec("the column's scale is 0", at + ".scale", "give another number");
      add_column(sense.name, column.name, column.unit, {column.low, column.high, column.scale});
    }
    if (game_.spec.custom) {
      const std::size_t first = plan_.told_columns;
      plan_.told_columns += sense.columns.size();
      return {.told_from = first};
    }
    if (!sense.code.function()) game_.complete = false;
    return {.function = sense.code.function()};
  }

  static constexpr std::size_t most_columns = 1 << 20;
};

}  // namespace

void compile_senses(GamePlan& game, std::size_t role, const std::string& where) {
  SenseCompiler(game, role, where).compile();
}

}  // namespace zithercraft::game_internal
