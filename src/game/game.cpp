#include "zithercraft/game/game.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <utility>

#include "plan.hpp"
#include "rewards.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
namespace {

[[noreturn]] void wrong(std::string problem, std::string where, std::string mend) {
  throw Error(Fault::spec, std::move(problem), std::move(where), std::move(mend));
}

class RoleCompiler {
 public:
  RoleCompiler(const GamePlan& game, const RoleSpec& spec, std::string where)
      : game_(game), spec_(spec), where_(std::move(where)) {}

  void compile(Role& role, RolePlan& plan) {
    role_ = &role;
    plan_ = &plan;
    role.name = spec_.name;
    find_seats();
    for (std::size_t i = 0; i < spec_.senses.size(); ++i)
      std::visit([&](const auto& sense) { add_sense(sense, where_ + ".senses[" + std::to_string(i) + "]"); },
                 spec_.senses[i]);
    if (spec_.senses.empty()) wrong("the role senses nothing", where_ + ".senses", "add a sense");
    check_unique(names_of(role.columns), "column", where_ + ".senses", "give the senses different names");
    for (std::size_t i = 0; i < spec_.controls.size(); ++i)
      std::visit([&](const auto& control) { add_control(control, where_ + ".controls[" + std::to_string(i) + "]"); },
                 spec_.controls[i]);
    if (spec_.controls.empty()) wrong("the role controls nothing", where_ + ".controls", "add a control");
    check_unique(names_of(role.controls), "control", where_ + ".controls", "give them different names");
    for (std::size_t i = 0; i < spec_.rewards.size(); ++i)
      add_term(spec_.rewards[i], where_ + ".rewards[" + std::to_string(i) + "]");
    check_unique(role.terms, "term", where_ + ".rewards", "give them different names");
    for (std::size_t i = 0; i < spec_.keys.size(); ++i)
      check_binding(spec_.keys[i], where_ + ".keys[" + std::to_string(i) + "]");
    role.keys = spec_.keys.empty() ? default_bindings(role.controls) : spec_.keys;
  }

  bool complete() const { return complete_; }

 private:
  template <class List>
  static std::vector<std::string> names_of(const List& list) {
    std::vector<std::string> names;
    for (const auto& item : list) names.push_back(item.name);
    return names;
  }

  static void check_unique(const std::vector<std::string>& names, const std::string& what, const std::string& where,
                           const std::string& mend) {
    std::set<std::string> seen;
    for (const auto& name : names)
      if (!seen.insert(name).second) wrong("two " + what + "s are named '" + name + "'", where, mend);
  }

  void find_seats() {
    const std::string body = spec_.body.empty() ? spec_.name : spec_.body;
    role_->seats = game_.arena.bodies_named(body);
    if (!role_->seats.empty()) {
      if (game_.arena.wanders(role_->seats.front()))
        wrong("'" + body + "' wanders by itself", where_ + ".body", "take its wanderer out, or steer another body");
      return;
    }
    std::vector<std::string> names;
    for (const auto& b : game_.spec.arena.bodies) names.push_back(b.name);
    wrong("no body is named '" + body + "'", where_ + ".body", advice(body, names));
  }

  void add_column(std::string name, std::string unit, double low, double high, double scale = 1.0) {
    role_->columns.push_back({std::move(name), std::move(unit), low, high, scale});
  }

  std::size_t placed_tag(const std::string& name, const std::string& where) const {
    const std::size_t tag = game_.arena.tag(name, where);
    if (game_.things_of_tag[tag].empty())
      wrong("the tag '" + name + "' is borne by walls or cells only, and a distance needs a body, zone or item", where,
            "choose another tag");
    return tag;
  }

  // Paired seats need a thing each.
  std::size_t target(const std::string& name, bool paired, const std::string& where) const {
    const std::size_t tag = placed_tag(name, where), things = game_.things_of_tag[tag].size();
    if (paired && things < role_->seats.size())
      wrong("there are " + std::to_string(role_->seats.size()) + " seats and " + std::to_string(things) +
                " things of tag '" + name + "' to pair them with",
            where, "add things of that tag");
    return tag;
  }

  // The bodies of a tag; none for an empty name, which means the seat's own.
  std::vector<std::size_t> bodies_of(const std::string& name, const std::string& where) const {
    std::vector<std::size_t> found;
    if (name.empty()) return found;
    for (const std::size_t thing : game_.things_of_tag[game_.arena.tag(name, where)])
      if (game_.arena.entities()[thing].kind == EntityKind::body) found.push_back(thing);
    if (found.empty()) wrong("no body bears the tag '" + name + "'", where, "name a body's tag");
    return found;
  }

  // What fans and cones have in common: all but their directions.
  template <class Rays>
  FanPlan fan_of(const Rays& sense, const std::string& where) const {
    FanPlan fan;
    fan.first_column = role_->columns.size();
    fan.rays = static_cast<std::size_t>(sense.rays);
    fan.reach = static_cast<float>(sense.reach);
    fan.thickness = static_cast<float>(sense.thickness);
    fan.own_side = sense.sees_own_side;
    if (sense.from_height && !game_.arena.high()) needs_height(where + ".from_height");
    fan.eye = static_cast<float>(
        sense.from_height.value_or(0.5 * static_cast<double>(game_.arena.tall(role_->seats.front()))));
    if (sense.sees.empty()) wrong("the rays see nothing", where + ".sees", "list the tags they report");
    std::vector<std::size_t> tags;
    for (std::size_t i = 0; i < sense.sees.size(); ++i) {
      const std::size_t tag = game_.arena.tag(sense.sees[i], where + ".sees[" + std::to_string(i) + "]");
      fan.tags |= std::uint64_t{1} << tag;
      tags.push_back(tag);
    }
    fan.flags = tags.size();
    for (const Entity& e : game_.arena.entities())
      fan.flag_of.push_back(static_cast<std::int32_t>(std::find(tags.begin(), tags.end(), e.tag) - tags.begin()));
    return fan;
  }

  template <class Rays>
  void add_fan(FanPlan&& fan, const Rays& sense) {
    for (std::int64_t ray = 0; ray < sense.rays; ++ray) {
      const std::string name = sense.name + "[" + std::to_string(ray) + "].";
      for (const auto& tag : sense.sees) add_column(name + tag, "flag", 0, 1);
      add_column(name + "distance", "m", 0, 1, sense.reach);
    }
    RaySense rays{sense.name, fan.first_column, sense.sees, fan.reach, fan.eye, fan.looks, {}};
    for (std::size_t i = 0; i < fan.rays; ++i)
      rays.direction.push_back({fan.cos[i], fan.sin[i], fan.up.empty() ? 0.0f : fan.up[i]});
    role_->rays.push_back(std::move(rays));
    plan_->senses.emplace_back(std::move(fan));
  }

  [[noreturn]] static void needs_height(const std::string& where) {
    wrong("this needs an arena with height", where, "add `heights` to the arena, or leave it out");
  }

  void add_sense(const RayFan& sense, const std::string& where) {
    FanPlan fan = fan_of(sense, where);
    if (sense.to_height && !game_.arena.high()) needs_height(where + ".to_height");
    if (sense.looks && !game_.arena.high()) needs_height(where + ".looks");
    fan.looks = sense.looks;
    const double rise = sense.to_height ? (*sense.to_height - static_cast<double>(fan.eye)) / sense.reach : 0.0;
    if (rise <= -1.0 || rise >= 1.0)
      wrong("the rays are too short to end at that height", where + ".to_height", "lengthen `reach`");
    const double level = std::sqrt(1.0 - rise * rise);
    // A full circle has as many gaps as rays; an open fan has one gap fewer.
    const double gaps =
        sense.arc >= 360.0 ? static_cast<double>(sense.rays) : std::max(1.0, static_cast<double>(sense.rays - 1));
    for (std::int64_t ray = 0; ray < sense.rays; ++ray) {
      const double angle = sense.rays == 1 ? 0.0 : -0.5 * sense.arc + sense.arc * static_cast<double>(ray) / gaps;
      const auto [sin, cos] = exact::sin_cos(exact::radians(angle));
      fan.cos.push_back(game_.arena.high() ? static_cast<float>(level * static_cast<double>(cos)) : cos);
      fan.sin.push_back(game_.arena.high() ? static_cast<float>(level * static_cast<double>(sin)) : sin);
      if (game_.arena.high()) fan.up.push_back(static_cast<float>(rise));
    }
    add_fan(std::move(fan), sense);
  }

  // A spiral in steps of the golden angle covers a cap evenly; its turns are then put in order, ring by ring, so that
  // rays that follow each other point the same way: that is faster to cast, and easier to read.
  void add_sense(const RayCone& sense, const std::string& where) {
    if (!game_.arena.high()) needs_height(where);
    FanPlan fan = fan_of(sense, where);
    fan.looks = true;
    struct Direction {
      std::int64_t ring;
      double turn, ahead;
    };
    const double rays = static_cast<double>(sense.rays);
    const double depth = 1.0 - static_cast<double>(exact::sin_cos(exact::radians(0.5 * sense.arc)).cos);
    std::vector<Direction> directions;
    for (std::int64_t i = 0; i < sense.rays; ++i) {
      const double golden = 0.3819660112501051 * static_cast<double>(i);
      const auto ring = static_cast<std::int64_t>(std::sqrt((static_cast<double>(i) + 0.5) / 8.0));
      directions.push_back({ring, golden - std::floor(golden), 1.0 - depth * (static_cast<double>(i) + 0.5) / rays});
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
    add_fan(std::move(fan), sense);
  }

  void add_sense(const Compass& sense, const std::string& where) {
    plan_->senses.emplace_back(CompassPlan{role_->columns.size(), target(sense.to, sense.paired, where + ".to"),
                                           sense.paired, game_.arena.high(), static_cast<float>(1.0 / sense.reach)});
    add_column(sense.name + ".ahead", "cosine", -1, 1);
    add_column(sense.name + ".left", "sine", -1, 1);
    add_column(sense.name + ".distance", "m", 0, 1, sense.reach);
    if (game_.arena.high()) add_column(sense.name + ".up", "sine", -1, 1);
  }

  void add_sense(const OwnMotion& sense, const std::string&) {
    const double top_turn = exact::radians(sense.top_turn_rate);
    plan_->senses.emplace_back(OwnMotionPlan{role_->columns.size(), static_cast<float>(1.0 / sense.top_speed),
                                             static_cast<float>(1.0 / top_turn), game_.arena.high()});
    add_column(sense.name + ".speed_ahead", "m/s", -1, 1, sense.top_speed);
    add_column(sense.name + ".speed_left", "m/s", -1, 1, sense.top_speed);
    add_column(sense.name + ".turn_rate", "rad/s", -1, 1, top_turn);
    if (!game_.arena.high()) return;
    add_column(sense.name + ".climb", "m/s", -1, 1, sense.top_speed);
    add_column(sense.name + ".look", "rad", -1, 1, 0.5 * exact::pi);
    add_column(sense.name + ".stands", "flag", 0, 1);
  }

  void add_sense(const Gauges& sense, const std::string& where) {
    const std::size_t body = role_->seats.front();
    const auto known = game_.arena.meters_of(body);
    GaugesPlan plan{.first_column = role_->columns.size()};
    const auto& meters = sense.meters.empty() ? known : sense.meters;
    if (meters.empty()) wrong("the body has no meters", where, "give it one, or leave the sense out");
    plan.numbers.resize(role_->seats.size());
    for (std::size_t i = 0; i < meters.size(); ++i) {
      if (std::find(known.begin(), known.end(), meters[i]) == known.end())
        wrong("the body has no meter '" + meters[i] + "'", where + ".meters[" + std::to_string(i) + "]",
              advice(meters[i], known));
      for (std::size_t seat = 0; seat < role_->seats.size(); ++seat)
        plan.numbers[seat].push_back(game_.arena.meter_number(role_->seats[seat], meters[i]));
      for (const Meter& meter : game_.spec.arena.bodies[game_.arena.entities()[body].spec_index].meters) {
        if (meter.name != meters[i]) continue;
        plan.low.push_back(static_cast<float>(meter.low));
        plan.inverse_range.push_back(static_cast<float>(1.0 / (meter.high - meter.low)));
        add_column(sense.name + "." + meter.name, "share of full", 0, 1);
      }
    }
    plan_->senses.emplace_back(std::move(plan));
  }

  void add_sense(const Window& sense, const std::string& where) {
    if (game_.arena.cell_columns() == 0) wrong("a window shows cells, and the arena has none", where, "use rays");
    if (sense.sees.empty()) wrong("the window sees nothing", where + ".sees", "list the tags it reports");
    WindowPlan plan{role_->columns.size(),
                    static_cast<std::size_t>(sense.ahead),
                    static_cast<std::size_t>(sense.behind),
                    static_cast<std::size_t>(sense.left),
                    static_cast<std::size_t>(sense.right),
                    {},
                    0};
    for (std::size_t i = 0; i < sense.sees.size(); ++i)
      plan.tags.push_back(game_.arena.tag(sense.sees[i], where + ".sees[" + std::to_string(i) + "]"));
    if (!sense.beyond.empty()) {
      if (std::find(sense.sees.begin(), sense.sees.end(), sense.beyond) == sense.sees.end())
        wrong("the window does not see '" + sense.beyond + "'", where + ".beyond", advice(sense.beyond, sense.sees));
      plan.beyond = std::uint64_t{1} << game_.arena.tag(sense.beyond, where + ".beyond");
    }
    // Named by cells ahead and to the left, so that a name says where it is.
    for (std::int64_t ahead = sense.ahead; ahead >= -sense.behind; --ahead)
      for (std::int64_t left = sense.left; left >= -sense.right; --left)
        for (const auto& tag : sense.sees)
          add_column(sense.name + "[" + std::to_string(ahead) + "," + std::to_string(left) + "]." + tag, "flag", 0, 1);
    plan_->senses.emplace_back(std::move(plan));
  }

  std::size_t input_number(const std::string& drives, const std::string& name, const std::string& where) const {
    const std::string wanted = drives.empty() ? name : drives;
    const auto inputs = game_.arena.inputs_of(role_->seats.front());
    const auto found = std::find(inputs.begin(), inputs.end(), wanted);
    if (found == inputs.end())
      wrong("the body has no input '" + wanted + "'", where,
            inputs.empty() ? "give the body a mover" : advice(wanted, inputs));
    return static_cast<std::size_t>(found - inputs.begin());
  }

  void add_control(const Dial& dial, const std::string& where) {
    if (dial.high <= dial.low) wrong("the dial's range is empty", where + ".high", "make high larger than low");
    plan_->controls.push_back({static_cast<float>(dial.low),
                               static_cast<float>(dial.high),
                               {input_number(dial.drives, dial.name, where + ".drives")},
                               {},
                               0});
    role_->controls.push_back({dial.name, "share of full", dial.low, dial.high, {}});
    role_->rest.push_back(static_cast<float>(std::clamp(0.0, dial.low, dial.high)));
  }

  static bool at_rest(const Option& option) {
    return option.value == 0.0 &&
           std::all_of(option.sets.begin(), option.sets.end(), [](const auto& set) { return set.second == 0.0; });
  }

  void add_control(const Choice& choice, const std::string& where) {
    if (choice.options.size() < 2) wrong("a choice needs two options or more", where + ".options", "add options");
    ControlPlan control;
    control.options = choice.options.size();
    const bool several = std::any_of(choice.options.begin(), choice.options.end(),
                                     [](const Option& option) { return !option.sets.empty(); });
    std::map<std::size_t, std::vector<float>> settings;  // input -> value per option
    for (std::size_t i = 0; i < choice.options.size(); ++i) {
      const Option& option = choice.options[i];
      const std::string at = where + ".options[" + std::to_string(i) + "]";
      if (several && option.value != 0.0)
        wrong("a choice cannot mix `value` and `sets`", at + ".value", "use `sets` in every option");
      const auto set = [&](std::size_t input, double value) {
        auto& values = settings[input];
        values.resize(choice.options.size(), 0.0f);
        values[i] = static_cast<float>(value);
      };
      for (const auto& [name, value] : option.sets) set(input_number(name, {}, at + ".sets"), value);
      if (!several) set(input_number(choice.drives, choice.name, where + ".drives"), option.value);
    }
    for (const auto& [input, values] : settings) control.inputs.push_back(input);
    for (std::size_t i = 0; i < choice.options.size(); ++i)
      for (const auto& [input, values] : settings) control.option_values.push_back(values[i]);
    const auto names = names_of(choice.options);
    check_unique(names, "option", where + ".options", "give them different names");
    plan_->controls.push_back(std::move(control));
    const auto rest = std::find_if(choice.options.begin(), choice.options.end(), at_rest) - choice.options.begin();
    role_->rest.push_back(static_cast<float>(static_cast<std::size_t>(rest) % choice.options.size()));
    role_->controls.push_back({choice.name, "option", 0, static_cast<double>(names.size() - 1), names});
  }

  void check_binding(const KeyBinding& binding, const std::string& where) const {
    if (!binding.key.empty() + binding.axis.has_value() + binding.button.has_value() != 1)
      wrong("a binding needs exactly one of key, axis and button", where, "say what is pressed or moved");
    if (!binding.key.empty() && !is_key(binding.key))
      wrong("there is no key '" + binding.key + "'", where + ".key", advice(binding.key, known_keys()));
    const auto control = std::find_if(role_->controls.begin(), role_->controls.end(),
                                      [&](const ControlInfo& c) { return c.name == binding.control; });
    if (control == role_->controls.end())
      wrong("the role has no control '" + binding.control + "'", where + ".control",
            advice(binding.control, names_of(role_->controls)));
    if (control->is_choice() != !binding.option.empty())
      wrong(control->is_choice() ? "'" + binding.control + "' is a choice, and the binding names no option"
                                 : "'" + binding.control + "' is a dial and has no options",
            where + ".option", control->is_choice() ? "name one" : "leave `option` out; `value` says how far it turns");
    if (control->is_choice() &&
        std::find(control->options.begin(), control->options.end(), binding.option) == control->options.end())
      wrong("'" + binding.control + "' has no option '" + binding.option + "'", where + ".option",
            advice(binding.option, control->options));
  }

  std::uint64_t tag_mask(const std::vector<std::string>& tags, const std::string& where) const {
    if (tags.empty()) return ~std::uint64_t{0};
    std::uint64_t mask = 0;
    for (std::size_t i = 0; i < tags.size(); ++i)
      mask |= std::uint64_t{1} << game_.arena.tag(tags[i], where + "[" + std::to_string(i) + "]");
    return mask;
  }

  void add_term(const Term& term, const std::string& where) {
    const int triggers =
        term.progress.has_value() + term.on.has_value() + term.when.has_value() + term.each_decision.used();
    if (triggers != 1)
      wrong("the term '" + term.name + "' has " + std::to_string(triggers) + " triggers", where,
            "give exactly one of progress, on, when and each_decision");
    if (term.ends != Verdict::none && !term.on && !term.when)
      wrong("only a term with `on` or `when` can end an episode", where + ".ends", "leave `ends` out");
    TermPlan plan{static_cast<float>(term.weight), term.ends, {}};
    if (term.progress) {
      plan.trigger = ProgressPlan{bodies_of(term.progress->of, where + ".progress.of"),
                                  target(term.progress->to, term.progress->paired, where + ".progress.to"),
                                  plan_->progress_slots++, term.progress->paired};
    } else if (term.on) {
      plan.trigger = HappeningPlan{term.on->event,
                                   term.on->as,
                                   bodies_of(term.on->of, where + ".on.of"),
                                   term.on->with.empty(),
                                   tag_mask(term.on->with, where + ".on.with"),
                                   static_cast<float>(term.on->harder_than),
                                   term.on->by_strength};
    } else if (term.when) {
      plan.trigger = condition(*term.when, where + ".when");
    } else {
      plan.trigger = term.each_decision;
      if (term.each_decision.coded() && !term.each_decision.function()) complete_ = false;
    }
    plan_->terms.push_back(std::move(plan));
    role_->terms.push_back(term.name);
  }

  ConditionPlan condition(const Condition& when, const std::string& where) const {
    if (when.inside.empty() && !when.slower_than) wrong("the condition is empty", where, "say what must hold");
    ConditionPlan plan;
    plan.of = bodies_of(when.of, where + ".of");
    plan.paired = when.paired;
    if (when.slower_than) plan.slower_than = static_cast<float>(*when.slower_than);
    if (when.inside.empty()) return plan;
    for (const std::size_t thing : game_.things_of_tag[game_.arena.tag(when.inside, where + ".inside")])
      if (game_.arena.entities()[thing].kind == EntityKind::zone) plan.zones.push_back(thing);
    if (plan.zones.empty())
      wrong("no zone bears the tag '" + when.inside + "'", where + ".inside", "name a zone's tag");
    if (when.paired && plan.zones.size() < role_->seats.size())
      wrong("there are fewer zones of tag '" + when.inside + "' than seats to pair them with", where + ".inside",
            "add zones of that tag");
    return plan;
  }

  const GamePlan& game_;
  const RoleSpec& spec_;
  std::string where_;
  Role* role_ = nullptr;
  RolePlan* plan_ = nullptr;
  bool complete_ = true;
};

std::size_t round_up(std::size_t bytes) { return (bytes + 7) / 8 * 8; }

void lay_out(GamePlan& plan) {
  plan.books_offset = round_up(plan.arena.state_bytes());
  std::size_t end = plan.books_offset + round_up(sizeof(Books));
  for (std::size_t r = 0; r < plan.roles.size(); ++r) {
    RolePlan& role = plan.role_plans[r];
    const std::size_t seats = plan.roles[r].seats.size();
    role.ledger_offset = end;
    end += seats * role.terms.size() * sizeof(double);
    role.progress_offset = end;
    end += seats * role.progress_slots * sizeof(Distance);
  }
  plan.block_bytes = round_up(end);
}

std::shared_ptr<const GamePlan> compile(GameSpec spec, CodedParts coded) {
  check_values(spec);
  if (spec.roles.empty()) wrong("the game has no role", "roles", "add one");
  spec = self_contained(spec);
  auto plan = std::make_shared<GamePlan>(GamePlan{spec, Arena(spec.arena), {}, {}, {}, {}, true, 0, 0});
  plan->things_of_tag.resize(plan->arena.tags().size());
  const auto entities = plan->arena.entities();
  for (std::size_t e = 0; e < entities.size(); ++e)
    if (entities[e].kind == EntityKind::body || entities[e].kind == EntityKind::zone ||
        entities[e].kind == EntityKind::item)
      plan->things_of_tag[entities[e].tag].push_back(e);

  plan->roles.resize(spec.roles.size());
  plan->role_plans.resize(spec.roles.size());
  std::set<std::size_t> taken;
  for (std::size_t r = 0; r < spec.roles.size(); ++r) {
    const std::string where = "roles[" + std::to_string(r) + "]";
    RoleCompiler compiler(*plan, plan->spec.roles[r], where);
    compiler.compile(plan->roles[r], plan->role_plans[r]);
    if (!compiler.complete() && coded == CodedParts::needed)
      wrong("a term is coded in C++, which a file cannot hold", where + ".rewards",
            "use the program that defines it, or take the term out");
    plan->complete = plan->complete && compiler.complete();
    for (const std::size_t seat : plan->roles[r].seats)
      if (!taken.insert(seat).second) wrong("two roles steer the same body", where + ".body", "give each its own");
  }
  lay_out(*plan);
  plan->fingerprint = hex64(hash_text(to_toml(plan->spec)));
  return plan;
}

template <class Roles>
auto& find_role(Roles& roles, std::string_view name) {
  const auto found = std::find_if(roles.begin(), roles.end(), [&](const RoleSpec& role) { return role.name == name; });
  if (found != roles.end()) return *found;
  std::vector<std::string> names;
  for (const auto& role : roles) names.push_back(role.name);
  wrong("the game has no role '" + std::string(name) + "'", "roles", advice(name, names));
}

}  // namespace

RoleSpec& GameSpec::role(std::string_view role_name) { return find_role(roles, role_name); }
const RoleSpec& GameSpec::role(std::string_view role_name) const { return find_role(roles, role_name); }

Game::Game(GameSpec spec, CodedParts coded) : plan_(compile(std::move(spec), coded)) {}

const GameSpec& Game::spec() const noexcept { return plan_->spec; }
const Arena& Game::arena() const noexcept { return plan_->arena; }
std::span<const Role> Game::roles() const noexcept { return plan_->roles; }
const std::string& Game::fingerprint() const noexcept { return plan_->fingerprint; }
bool Game::complete() const noexcept { return plan_->complete; }

}  // namespace zithercraft
