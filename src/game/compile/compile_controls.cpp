#include <algorithm>
#include <map>
#include <optional>

#include "game/compile/compile_role.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::game_internal {
namespace {

class ControlCompiler : public RoleCompiler {
 public:
  using RoleCompiler::RoleCompiler;

  void compile() {
    const auto inputs = game_.arena.inputs_of(role_.seats.front());
    inputs_.assign(inputs.begin(), inputs.end());
    plan_.inputs = inputs_.size();
    find_compass_moves();
    for (std::size_t i = 0; i < spec_.controls.size(); ++i)
      std::visit(
          [&](const auto& control) {
            add(control, where_ + ".controls[" + std::to_string(i) + "]");
          },
          spec_.controls[i]);
    if (spec_.controls.empty())
      wrong_spec("the role controls nothing", where_ + ".controls", "add a control");
    check_unique(names_of(role_.controls), "control", where_ + ".controls",
                 "give them different names");
    if (slow_ && plan_.moves.used())
      wrong_spec("the body is moved slowly in its own directions and at once in the arena's",
                 where_ + ".controls", "drive it either way, not both");
    plan_.paced = plan_.paced || plan_.moves.used();
    check_facing();
    for (std::size_t i = 0; i < spec_.keys.size(); ++i)
      check_binding(spec_.keys[i], where_ + ".keys[" + std::to_string(i) + "]");
    role_.keys = spec_.keys.empty() ? default_bindings(role_.controls) : spec_.keys;
  }

  void compile_conditions() {
    // An empty place cannot be chosen.
    for (std::size_t c = 0; c < role_.controls.size(); ++c)
      for (const CrowdSense& crowd : role_.crowds)
        if (!role_.controls[c].among.empty() && crowd.name == role_.controls[c].among)
          for (std::size_t k = 0; k < crowd.others; ++k)
            plan_.controls[c].need_columns[k + 1] = crowd.first_column + k * crowd.columns_each;
    for (std::size_t c = 0; c < spec_.controls.size(); ++c)
      if (const auto* choice = std::get_if<Choice>(&spec_.controls[c]))
        for (std::size_t i = 0; i < choice->options.size(); ++i)
          if (choice->options[i].allowed_when)
            add_need(c, *choice, i,
                     where_ + ".controls[" + std::to_string(c) + "].options[" + std::to_string(i) +
                         "].allowed_when");
  }

 private:
  // Movers that know only their own directions can be given the arena's.
  void find_compass_moves() {
    const auto number = [&](const char* name) {
      const auto found = std::find(inputs_.begin(), inputs_.end(), name);
      return found == inputs_.end() ? CompassMoves::nowhere_input
                                    : static_cast<std::size_t>(found - inputs_.begin());
    };
    plan_.moves.ahead = number("ahead");
    plan_.moves.left = number("left");
    has_compass_moves_ = plan_.moves.ahead != CompassMoves::nowhere_input &&
                         plan_.moves.left != CompassMoves::nowhere_input &&
                         number("east") == CompassMoves::nowhere_input;
  }

  // A body that is said to turn with its moves, and never does, misleads.
  void check_facing() const {
    const std::size_t number = game_.arena.entity(role_.seats.front()).spec_index;
    const auto& mover = game_.spec.arena.bodies[number].mover;
    const auto* stepper = mover ? std::get_if<Stepper>(&*mover) : nullptr;
    if (stepper == nullptr || !stepper->faces_move || !game_.spec.rules.empty()) return;
    for (const ControlPlan& control : plan_.controls)
      for (const std::size_t input : control.inputs)
        if (inputs_[input] == "east" || inputs_[input] == "north") return;
    wrong_spec("the body turns with moves east and north, and no control makes one",
               "arena.bodies[" + std::to_string(number) + "].mover.faces_move",
               "drive `east` and `north`, or leave it out: moves ahead and to the left never turn");
  }

  // Nothing, where rules of the game's own read the control.
  std::optional<std::size_t> input_number(const std::string& drives, const std::string& name,
                                          const std::string& where) {
    const std::string wanted = drives.empty() ? name : drives;
    if (has_compass_moves_ && (wanted == "east" || wanted == "north")) {
      auto& wish = wanted == "east" ? plan_.moves.east : plan_.moves.north;
      return wish = inputs_.size() + (wanted == "east" ? 0 : 1);
    }
    const auto found = std::find(inputs_.begin(), inputs_.end(), wanted);
    if (found == inputs_.end() && drives.empty() &&
        (game_.spec.custom || !game_.spec.rules.empty()))
      return std::nullopt;
    if (found == inputs_.end())
      wrong_spec("the body has no input '" + wanted + "'", where,
                 inputs_.empty() ? "give the body a mover" : advice(wanted, inputs_));
    return static_cast<std::size_t>(found - inputs_.begin());
  }

  void add(const Dial& dial, const std::string& where) {
    if (dial.high <= dial.low)
      wrong_spec("the dial's range is empty", where + ".high", "make high larger than low");
    ControlPlan control;
    control.low = static_cast<float>(dial.low);
    control.high = static_cast<float>(dial.high);
    if (const auto input = input_number(dial.drives, dial.name, where + ".drives"))
      control.inputs = {*input};
    control.dead_zone = static_cast<float>(dial.dead_zone);
    control.holds = dial.holds;
    if (dial.rate && control.inputs.empty())
      wrong_spec("a control that only rules read has no rate", where + ".rate", "leave it out");
    if (dial.rate) {
      if (control.inputs.front() >= inputs_.size())
        wrong_spec("moves in the arena's directions have no rate", where + ".rate",
                   "drive `ahead` or `left`");
      if (control.inputs.front() == plan_.moves.ahead || control.inputs.front() == plan_.moves.left)
        slow_ = true;
      if (!dial.holds)
        wrong_spec("an input that is let go after a tick cannot move slowly", where + ".rate",
                   "leave one of both out");
      control.step = static_cast<float>(*dial.rate * game_.spec.arena.tick);
    }
    plan_.paced = plan_.paced || control.step > 0.0f || !control.holds;
    plan_.controls.push_back(std::move(control));
    role_.controls.push_back({dial.name, "share of full", dial.low, dial.high, {}});
    role_.rest.push_back(static_cast<float>(std::clamp(0.0, dial.low, dial.high)));
  }

  static bool at_rest(const Option& option) {
    return option.value == 0.0 && std::all_of(option.sets.begin(), option.sets.end(),
                                              [](const auto& set) { return set.second == 0.0; });
  }

  void add(const Choice& choice, const std::string& where) {
    if (choice.options.size() < 2)
      wrong_spec("a choice needs two options or more", where + ".options", "add options");
    ControlPlan control;
    control.options = choice.options.size();
    control.holds = choice.holds;
    control.need_columns.resize(choice.options.size());
    const bool several = std::any_of(choice.options.begin(), choice.options.end(),
                                     [](const Option& option) { return !option.sets.empty(); });
    std::map<std::size_t, std::vector<float>> settings;  // input -> value per option
    for (std::size_t i = 0; i < choice.options.size(); ++i) {
      const Option& option = choice.options[i];
      const std::string at = where + ".options[" + std::to_string(i) + "]";
      if (several && option.value != 0.0)
        wrong_spec("a choice cannot mix `value` and `sets`", at + ".value",
                   "use `sets` in every option");
      if (i == 0 && option.allowed_when)
        wrong_spec("the first option of a choice cannot be forbidden", at + ".allowed_when",
                   "put one first that always can be");
      const auto set = [&](std::size_t input, double value) {
        auto& values = settings[input];
        values.resize(choice.options.size(), 0.0f);
        values[i] = static_cast<float>(value);
      };
      for (const auto& [name, value] : option.sets)
        set(*input_number(name, name, at + ".sets"), value);
      if (several) continue;
      if (const auto input = input_number(choice.drives, choice.name, where + ".drives"))
        set(*input, option.value);
    }
    for (const auto& [input, values] : settings) control.inputs.push_back(input);
    for (std::size_t i = 0; i < choice.options.size(); ++i)
      for (const auto& [input, values] : settings) control.option_values.push_back(values[i]);
    const auto names = names_of(choice.options);
    check_unique(names, "option", where + ".options", "give them different names");
    plan_.paced = plan_.paced || !control.holds;
    plan_.controls.push_back(std::move(control));
    const auto rest = std::find_if(choice.options.begin(), choice.options.end(), at_rest) -
                      choice.options.begin();
    role_.rest.push_back(
        static_cast<float>(static_cast<std::size_t>(rest) % choice.options.size()));
    role_.controls.push_back(
        {choice.name, "option", 0, static_cast<double>(names.size() - 1), names});
  }

  void add(const Target& target, const std::string& where) {
    if (game_.spec.custom)
      wrong_spec("the game is played without an arena, and nobody is seen in it", where,
                 "use a choice");
    const Crowd* crowd = nullptr;
    std::vector<std::string> crowds;
    TargetPlan plan;
    for (std::size_t i = 0; i < spec_.senses.size(); ++i)
      if (const auto* other = std::get_if<Crowd>(&spec_.senses[i])) {
        crowds.push_back(other->name);
        if (other->name != target.among) continue;
        crowd = other;
        plan.sense = i;
      }
    if (crowd == nullptr)
      wrong_spec("the role has no crowd sense '" + target.among + "'", where + ".among",
                 crowds.empty() ? "give it one" : advice(target.among, crowds));
    plan.control = plan_.controls.size();
    plan.event = static_cast<std::int32_t>(
        std::find(game_.told.begin(), game_.told.end(), target.name) - game_.told.begin());
    ControlPlan control;
    if (!target.launcher.empty()) add_launcher(target, where, plan, control);
    if (target.follows) add_following(where, plan, control);
    std::vector<std::string> names{"nobody"};
    for (std::int64_t i = 1; i <= crowd->nearest; ++i) names.push_back(std::to_string(i));
    control.options = names.size();
    control.option_values.assign(names.size() * control.inputs.size(), 0.0f);
    control.need_columns.resize(names.size());
    plan_.controls.push_back(std::move(control));
    plan_.targets.push_back(plan);
    role_.rest.push_back(0.0f);
    role_.controls.push_back(
        {target.name, "option", 0, static_cast<double>(names.size() - 1), names, target.among});
  }

  std::size_t drive(const std::string& input, ControlPlan& control) const {
    const auto found = std::find(inputs_.begin(), inputs_.end(), input);
    control.inputs.push_back(static_cast<std::size_t>(found - inputs_.begin()));
    return control.inputs.back();
  }
  bool has_input(const std::string& input) const {
    return std::find(inputs_.begin(), inputs_.end(), input) != inputs_.end();
  }

  void add_launcher(const Target& target, const std::string& where, TargetPlan& plan,
                    ControlPlan& control) const {
    const auto& launchers =
        game_.spec.arena.bodies[game_.arena.entity(role_.seats.front()).spec_index].launchers;
    const auto launcher =
        std::find_if(launchers.begin(), launchers.end(),
                     [&](const Launcher& other) { return other.name == target.launcher; });
    if (launcher == launchers.end())
      wrong_spec("the body has no launcher '" + target.launcher + "'", where + ".launcher",
                 launchers.empty() ? "give it one" : advice(target.launcher, names_of(launchers)));
    plan.fire = drive(target.launcher + ".fire", control);
    if (has_input(target.launcher + ".bearing"))
      plan.bearing = drive(target.launcher + ".bearing", control);
    if (has_input(target.launcher + ".elevation"))
      plan.elevation = drive(target.launcher + ".elevation", control);
    plan.swing = static_cast<float>(exact::radians(launcher->swing));
    plan.lowest = static_cast<float>(exact::radians(launcher->rise[0]));
    plan.highest = static_cast<float>(exact::radians(launcher->rise[1]));
  }

  void add_following(const std::string& where, TargetPlan& plan, ControlPlan& control) const {
    if (has_input("east")) {
      plan.east = drive("east", control);
      plan.north = drive("north", control);
    } else if (has_input("ahead") && has_input("left")) {
      plan.ahead = drive("ahead", control);
      plan.left = drive("left", control);
    } else {
      wrong_spec("the body cannot go where it wants", where + ".follows",
                 "give it a walker, a flyer or a stepper");
    }
  }

  void add_need(std::size_t control, const Choice& choice, std::size_t option,
                const std::string& where) {
    const AllowedWhen& need = *choice.options[option].allowed_when;
    if (need.by_game && !game_.spec.custom)
      wrong_spec("the game is played in an arena and has no code of its own", where + ".by_game",
                 "leave it out, or name a launcher or a meter");
    if (need.reloaded.empty() && need.meter.empty() && !need.stands && !need.by_game)
      wrong_spec("there is no condition", where, "say what must hold, or leave `allowed_when` out");
    if (need.meter.empty() != (!need.above && !need.below))
      wrong_spec("a need of a meter has a meter and `above` or `below`", where + ".meter",
                 "give both");
    if (need.stands && !game_.arena.has_height())
      wrong_spec("this needs an arena with height", where + ".stands",
                 "add `heights` to the arena, or leave it out");
    AllowedPlan plan;
    plan.column = role_.columns.size();
    plan.stands = need.stands;
    plan.by_game = need.by_game;
    plan.control = control;
    plan.option = option;
    if (need.above) plan.above = static_cast<float>(*need.above);
    if (need.below) plan.below = static_cast<float>(*need.below);
    for (const EntityId seat : role_.seats) {
      if (!need.reloaded.empty())
        plan.launchers.push_back(
            game_.arena.launcher_number(seat, need.reloaded, where + ".reloaded"));
      if (!need.meter.empty()) {
        const auto known = game_.arena.meters_of(seat);
        if (std::find(known.begin(), known.end(), need.meter) == known.end())
          wrong_spec("the body has no meter '" + need.meter + "'", where + ".meter",
                     known.empty() ? "give it one" : advice(need.meter, known));
        plan.meters.push_back(game_.arena.meter_number(seat, need.meter));
      }
    }
    plan_.controls[control].need_columns[option] = plan.column;
    plan_.conditions.push_back(std::move(plan));
    role_.columns.push_back({.name = mask_column(choice.name, choice.options[option].name),
                             .unit = std::string(mask_unit),
                             .quantity = std::string(mask_unit)});
  }

  void check_binding(const KeyBinding& binding, const std::string& where) const {
    if (!binding.key.empty() + binding.axis.has_value() + binding.button.has_value() != 1)
      wrong_spec("a binding needs exactly one of key, axis and button", where,
                 "say what is pressed or moved");
    if (!binding.key.empty() && !is_key(binding.key))
      wrong_spec("there is no key '" + binding.key + "'", where + ".key",
                 advice(binding.key, known_keys()));
    const auto control =
        std::find_if(role_.controls.begin(), role_.controls.end(),
                     [&](const ControlInfo& c) { return c.name == binding.control; });
    if (control == role_.controls.end())
      wrong_spec("the role has no control '" + binding.control + "'", where + ".control",
                 advice(binding.control, names_of(role_.controls)));
    if (control->is_choice() != !binding.option.empty())
      wrong_spec(
          control->is_choice()
              ? "'" + binding.control + "' is a choice, and the binding names no option"
              : "'" + binding.control + "' is a dial and has no options",
          where + ".option",
          control->is_choice() ? "name one" : "leave `option` out; `value` says how far it turns");
    if (control->is_choice() && std::find(control->options.begin(), control->options.end(),
                                          binding.option) == control->options.end())
      wrong_spec("'" + binding.control + "' has no option '" + binding.option + "'",
                 where + ".option", advice(binding.option, control->options));
  }

  std::vector<std::string> inputs_;
  bool has_compass_moves_ = false;
  bool slow_ = false;  // some dial moves `ahead` or `left` at a rate
};

}  // namespace

void compile_controls(GamePlan& game, std::size_t role, const std::string& where) {
  ControlCompiler(game, role, where).compile();
}

void compile_conditions(GamePlan& game, std::size_t role, const std::string& where) {
  ControlCompiler(game, role, where).compile_conditions();
}

}  // namespace zithercraft::game_internal
