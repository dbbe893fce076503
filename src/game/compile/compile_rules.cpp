#include <algorithm>
#include <cmath>

#include "game/compile/compile_triggers.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::game_internal {
namespace {

/// Turns one declared rule into what is carried out.
class RuleCompiler {
 public:
  RuleCompiler(GamePlan& game, const RuleSpec& spec, std::string where)
      : game_(game), spec_(spec), where_(std::move(where)) {}

  RulePlan compile() {
    check();
    plan_.most = static_cast<std::uint64_t>(spec_.most);
    plan_.memory = take(1);
    if (spec_.on) {
      plan_.on = compile_event(game_, *spec_.on, game_.seats, where_ + ".on");
      if (plan_.on->of.empty()) plan_.on->of = game_.seats;
      take(words_of(game_, *spec_.on));
    }
    if (spec_.when) {
      plan_.when = condition(*spec_.when, where_ + ".when");
      take(plan_.when->of.size());
    }
    if (spec_.only_while) plan_.only_while = condition(*spec_.only_while, where_ + ".only_while");
    if (spec_.after) plan_.after = ticks(*spec_.after);
    if (spec_.every) plan_.every = std::max<std::uint32_t>(1, ticks(*spec_.every));
    plan_.lasting = ticks(spec_.lasting);
    for (std::size_t i = 0; i < spec_.then.size(); ++i) {
      where_action_ = where_ + ".then[" + std::to_string(i) + "]";
      plan_.then.push_back(std::visit(
          [&](const auto& action) { return ActionPlan(compile(action)); }, spec_.then[i]));
    }
    return std::move(plan_);
  }

 private:
  void check() const {
    const bool timed = spec_.after || spec_.every;
    const int triggers = spec_.on.has_value() + spec_.when.has_value() + (timed ? 1 : 0);
    if (triggers != 1)
      wrong_spec("the rule '" + spec_.name + "' has " + std::to_string(triggers) + " triggers",
                 where_, "give exactly one of on, when, and a time: after, every or both");
    if (spec_.lasting > 0.0 && !spec_.when)
      wrong_spec("only a condition can last", where_ + ".lasting",
                 "give the rule a `when`, or leave `lasting` out");
    if (spec_.tick.function() || spec_.begin.function() || spec_.numbers > 0 ||
        !spec_.emits.empty())
      wrong_spec("the rule '" + spec_.name + "' is both declared and coded", where_,
                 "make two of it");
  }

  ConditionPlan condition(const Condition& when, const std::string& where) const {
    if (when.paired)
      wrong_spec("a rule belongs to no seat, so nothing is paired with it", where + ".paired",
                 "leave it out");
    ConditionPlan plan = compile_condition(game_, when, game_.seats, where);
    if (plan.of.empty()) plan.of = game_.seats;
    return plan;
  }

  std::uint32_t ticks(double seconds) const {
    return static_cast<std::uint32_t>(std::llround(seconds / game_.spec.arena.tick));
  }
  std::size_t take(std::size_t words) {
    const std::size_t first = game_.rule_words;
    game_.rule_words += words;
    return first;
  }

  // Of the rule's event or condition, or the things of a tag.
  template <class Kind>
  SubjectPlan subject(const Kind& action, bool bodies_alone) const {
    const std::string where = where_action_ + ".of";
    if (action.of.empty()) {
      if (!spec_.on && !spec_.when)
        wrong_spec("nobody is meant: the rule waits for a time", where, "name a tag");
      if (action.as == Part::either)
        wrong_spec("an action is done to one of the two", where_action_ + ".as",
                   "write \"who\" or \"whom\"");
      return {{}, action.as};
    }
    const Bears bears = bears_of(game_, action.of);
    if (bodies_alone) return {bodies_of(game_, action.of, where), action.as, bears};
    return {game_.things_of_tag[placed_tag(game_, action.of, where)], action.as, bears};
  }

  // The same for what takes things out and brings them back: walls that open as well.
  template <class Kind>
  SubjectPlan subject_or_wall(const Kind& action) const {
    if (action.of.empty()) return subject(action, false);
    const std::string where = where_action_ + ".of";
    const std::size_t tag = game_.arena.tag(action.of, where);
    SubjectPlan plan{game_.things_of_tag[tag], action.as, bears_of(game_, action.of)};
    for (const EntityId id : game_.arena.ids()) {
      const Entity& entity = game_.arena.entity(id);
      if (entity.kind != EntityKind::wall || entity.tag != tag) continue;
      if (!game_.arena.opens(id))
        wrong_spec("the wall '" + entity.name + "' does not open", where, "give it `opens = true`");
      plan.of.push_back(id);
    }
    if (plan.of.empty()) placed_tag(game_, action.of, where);
    return plan;
  }

  // Bodies that an action may be done to, as far as is known.
  std::vector<EntityId> candidates(const SubjectPlan& subject) const {
    if (!subject.of.empty()) return subject.of;
    std::vector<EntityId> all;
    for (const EntityId body : game_.arena.bodies()) all.push_back(body);
    return all;
  }

  ChangeMeterPlan compile(const ChangeMeter& action) const {
    ChangeMeterPlan plan{subject(action, true), {}, static_cast<float>(action.by), {}};
    plan.meters =
        meters_named(game_, action.meter, candidates(plan.subject), where_action_ + ".meter");
    if (action.to) plan.to = static_cast<float>(*action.to);
    if (!action.by_meter.empty())
      plan.by_meters = meters_named(game_, action.by_meter, candidates(plan.subject),
                                    where_action_ + ".by_meter");
    if (action.to.has_value() == (action.by != 0.0))
      wrong_spec("the meter is changed by an amount, or set to one", where_action_,
                 "give exactly one of `by`, not 0, and `to`");
    if (action.to && !action.by_meter.empty())
      wrong_spec("the meter is set, so no other meter changes it", where_action_ + ".by_meter",
                 "give `by` in place of `to`");
    return plan;
  }
  RemovePlan compile(const Remove& action) const { return {subject_or_wall(action)}; }
  BringBackPlan compile(const BringBack& action) {
    return bring_back(subject_or_wall(action), false);
  }
  BringBackPlan compile(const PlaceAgain& action) {
    return bring_back(subject(action, false), true);
  }
  BringBackPlan bring_back(SubjectPlan whom, bool anywhere) {
    const std::size_t words = words_for_bits(game_.arena.entities().size());
    if (!game_.waiting) {
      game_.waiting = take(words);
      game_.waiting_anywhere = take(words);
    }
    for (const EntityId thing : whom.of)
      if (game_.arena.in_tail(thing))
        wrong_spec("'" + game_.arena.entity(thing).name + "' is a piece of a tail",
                   where_action_ + ".of", "change the meter that says how long the tail is");
    return {std::move(whom), anywhere};
  }
  ThrowPlan compile(const Throw& action) const {
    ThrowPlan plan{subject(action, true),
                   static_cast<float>(action.speed),
                   static_cast<float>(exact::radians(action.spread)),
                   static_cast<float>(action.rise),
                   {},
                   {}};
    if (action.along && !action.towards.empty())
      wrong_spec("there are two directions", where_action_, "give `along` or `towards`");
    if (action.along) plan.along = static_cast<float>(exact::radians(*action.along));
    if (!action.towards.empty())
      plan.towards = placed_tag(game_, action.towards, where_action_ + ".towards");
    if (action.rise != 0.0 && !game_.arena.has_height())
      wrong_spec("the arena has no height", where_action_ + ".rise", "leave it out");
    for (const EntityId body : plan.subject.of)
      if (!game_.arena.entity(body).free)
        wrong_spec("'" + game_.arena.entity(body).name + "' is not free to move",
                   where_action_ + ".of", "give it motion = \"free\"");
    return plan;
  }
  SetHostilePlan compile(const SetHostile& action) const {
    SetHostilePlan plan{subject(action, true), action.hostile};
    for (const EntityId body : plan.subject.of)
      if (!game_.arena.wanders(body))
        wrong_spec("'" + game_.arena.entity(body).name + "' is no wanderer", where_action_ + ".of",
                   "give it a `wanderer`");
    return plan;
  }
  GiveTagPlan compile(const GiveTag& action) const {
    GiveTagPlan plan{subject(action, true), {}};
    if (action.tag.empty()) return plan;
    plan.tag = game_.arena.tag(action.tag, where_action_ + ".tag");
    const auto can = [&](EntityId body) { return game_.arena.tags_ever(body).holds(*plan.tag); };
    const std::vector<EntityId>& of = plan.subject.of;
    const auto cannot = std::find_if_not(of.begin(), of.end(), can);
    if (cannot != of.end())
      wrong_spec(
          "'" + game_.arena.entity(*cannot).name + "' cannot bear the tag '" + action.tag + "'",
          where_action_ + ".tag", "list it in the body's `may_bear`");
    const std::vector<EntityId> all = candidates(plan.subject);
    if (std::none_of(all.begin(), all.end(), can))
      wrong_spec("no body can bear the tag '" + action.tag + "'", where_action_ + ".tag",
                 "list it in a body's `may_bear`");
    return plan;
  }
  TurnCellsPlan compile(const TurnCells& action) const {
    return {cell_kind(action.from, ".from"),
            action.into.empty() ? EntityId() : cell_kind(action.into, ".into")};
  }
  EntityId cell_kind(const std::string& name, const std::string& key) const {
    std::vector<std::string> known;
    for (const EntityId id : game_.arena.ids()) {
      const Entity& entity = game_.arena.entity(id);
      if (entity.kind != EntityKind::cell) continue;
      if (entity.name == name) return id;
      known.push_back(entity.name);
    }
    wrong_spec("there is no kind of cell '" + name + "'", where_action_ + key,
               known.empty() ? "give the arena `cells`" : advice(name, known));
  }
  EnterPhasePlan compile(const EnterPhase& action) const {
    return {game_.arena.phase_number(action.phase, where_action_ + ".phase")};
  }
  EmitPlan compile(const Emit& action) const {
    const auto found = std::find(game_.told.begin(), game_.told.end(), action.event);
    EmitPlan plan{static_cast<std::int32_t>(found - game_.told.begin()),
                  static_cast<float>(action.strength),
                  {},
                  action.as};
    if (action.meter.empty()) return plan;
    if (!spec_.on && !spec_.when)
      wrong_spec("the rule waits for a time and is about nobody, so there is no meter to read",
                 where_action_ + ".meter", "give `strength`");
    plan.meters =
        meters_named(game_, action.meter, candidates({{}, action.as}), where_action_ + ".meter");
    return plan;
  }
  EndPlan compile(const Finish& action) const { return {action.verdict}; }

  GamePlan& game_;
  const RuleSpec& spec_;
  std::string where_, where_action_;
  RulePlan plan_;
};

}  // namespace

void find_told_events(GamePlan& game) {
  const auto add = [&](const std::string& name) {
    if (std::find(game.told.begin(), game.told.end(), name) == game.told.end())
      game.told.push_back(name);
  };
  for (const RuleSpec& rule : game.spec.rules) {
    for (const std::string& name : rule.emits) add(name);
    for (const Action& action : rule.then)
      if (const auto* emit = std::get_if<Emit>(&action)) add(emit->event);
  }
  for (const RoleSpec& role : game.spec.roles)
    for (const Control& control : role.controls)
      if (const auto* target = std::get_if<Target>(&control)) add(target->name);
}

void compile_rules(GamePlan& game) {
  check_unique(names_of(game.spec.rules), "rule", "rules", "give them different names");
  for (std::size_t i = 0; i < game.spec.rules.size(); ++i) {
    const RuleSpec& rule = game.spec.rules[i];
    const std::string where = "rules[" + std::to_string(i) + "]";
    if (!rule.coded()) {
      game.rules.push_back(RuleCompiler(game, rule, where).compile());
      continue;
    }
    if (rule.on || rule.when || rule.after || rule.every)
      wrong_spec("the rule '" + rule.name + "' does nothing", where, "say what in `then`");
    game.rule_numbers += static_cast<std::size_t>(rule.numbers);
    if (!rule.tick.function() && !rule.begin.function()) game.complete = false;
    game.rules.push_back({.coded = true});
  }
}

}  // namespace zithercraft::game_internal
