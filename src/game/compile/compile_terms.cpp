#include <algorithm>
#include <cmath>

#include "game/compile/compile_role.hpp"
#include "game/compile/compile_triggers.hpp"
#include "game/rewards.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::game_internal {
namespace {

class TermCompiler : public RoleCompiler {
 public:
  using RoleCompiler::RoleCompiler;

  void compile() {
    for (std::size_t i = 0; i < spec_.rewards.size(); ++i)
      add(spec_.rewards[i], where_ + ".rewards[" + std::to_string(i) + "]");
    check_unique(role_.terms, "term", where_ + ".rewards", "give them different names");
  }

 private:
  void check(const Term& term, const std::string& where) const {
    const int triggers = term.progress.has_value() + term.on.has_value() + term.when.has_value() +
                         term.change.has_value() + term.near_miss.has_value() +
                         term.visits.has_value() + term.each_step.used() + term.each_second.used();
    if (triggers != 1 && !(triggers == 0 && game_.spec.custom))
      wrong_spec("the term '" + term.name + "' has " + std::to_string(triggers) + " triggers",
                 where,
                 "give exactly one of progress, on, when, change, near_miss, visits, each_step and "
                 "each_second");
    if (term.ends != Verdict::none && !term.on && !term.when && !term.each_step.custom())
      wrong_spec(
          "only a term with `on`, `when` or code of its own in `each_step` can end an episode",
          where + ".ends", "leave `ends` out");
    if (term.scope == Scope::self && term.blend != 1.0)
      wrong_spec("a term that is not shared has nothing to blend", where + ".blend",
                 "give it the scope \"side\" or \"everyone\", or leave `blend` out");
  }

  void add(const Term& term, const std::string& where) {
    check(term, where);
    if (term.scope == Scope::side) check_sides(Whose::own, where + ".scope");
    TermPlan plan;
    plan.weight = static_cast<float>(term.weight);
    plan.ends = term.ends;
    plan.scope = term.scope;
    plan.blend = static_cast<float>(term.blend);
    plan.memory = plan_.memory_words;
    plan.most_per_step = static_cast<float>(term.most_per_step.value_or(0.0));
    plan.most_per_episode = term.most_per_episode.value_or(0.0);
    std::size_t words = 0;
    if (term.progress) {
      plan.trigger = progress(*term.progress, plan.weight, where + ".progress");
      plan.weight = 1.0f;
      words = sizeof(Distance) / sizeof(std::uint64_t);
    } else if (term.on) {
      plan.trigger = compile_event(game_, *term.on, role_.seats, where + ".on");
      words = words_of(game_, *term.on);
    } else if (term.when) {
      plan.trigger = condition(*term.when, where + ".when");
    } else if (term.change) {
      plan.trigger = change(*term.change, where + ".change");
      words = 1;
    } else if (term.near_miss) {
      plan.trigger = near_miss(*term.near_miss, where + ".near_miss");
      words = 1;
    } else if (term.visits) {
      plan.trigger = visits(*term.visits);
      words = visited_side;
    } else if (term.each_step.used() || term.each_second.used()) {
      plan.trigger = each(term);
    } else {
      plan.trigger = PaidPlan{};
    }
    plan_.memory_words += words;
    plan_.terms.push_back(std::move(plan));
    role_.terms.push_back(term.name);
  }

  ProgressPlan progress(const Progress& progress, float weight, const std::string& where) const {
    ProgressPlan plan{bodies(progress.of, where + ".of"),
                      bears_of(game_, progress.of),
                      target(progress.to, progress.paired, where + ".to"),
                      progress.paired,
                      progress.along_path,
                      weight};
    if (progress.along_path) check_cells(game_, where);
    return plan;
  }

  ExplorationTriggerPlan visits(const ExplorationTrigger& visits) const {
    const float cell = game_.arena.cell_size();
    const Place middle = game_.arena.middle();
    ExplorationTriggerPlan plan{1.0f / (cell > 0.0f ? cell : static_cast<float>(visits.square)),
                                0.0f, 0.0f};
    if (cell > 0.0f) {
      plan.origin_x = static_cast<float>(middle.x) -
                      0.5f * cell * static_cast<float>(game_.arena.cell_columns());
      plan.origin_y =
          static_cast<float>(middle.y) - 0.5f * cell * static_cast<float>(game_.arena.cell_rows());
    }
    return plan;
  }

  EachPlan each(const Term& term) {
    const bool each_second = term.each_second.used();
    const Measure& measure = each_second ? term.each_second : term.each_step;
    const double seconds = static_cast<double>(game_.spec.ticks_per_step) * game_.spec.arena.tick;
    if (measure.custom() && !measure.function()) game_.complete = false;
    return {measure, each_second ? static_cast<float>(seconds) : 1.0f};
  }

  // None for an empty name, which means the seat's own.
  std::vector<EntityId> bodies(const std::string& name, const std::string& where) const {
    return name.empty() ? std::vector<EntityId>{} : bodies_of(game_, name, where);
  }

  ConditionPlan condition(const Condition& when, const std::string& where) const {
    ConditionPlan plan = compile_condition(game_, when, role_.seats, where);
    plan.paired = when.paired;
    if (plan.near) target(when.near, when.paired, where + ".near");
    if (!plan.zones.empty() && when.paired && plan.zones.size() < role_.seats.size())
      wrong_spec("there are fewer zones of tag '" + when.inside + "' than seats to pair them with",
                 where + ".inside", "add zones of that tag");
    return plan;
  }

  MeterTriggerPlan change(const MeterTrigger& spec, const std::string& where) const {
    MeterTriggerPlan plan;
    const auto others = bodies(spec.of, where + ".of");
    for (const EntityId body : others)
      if (game_.arena.tags_ever(body) != TagSet::of(game_.arena.entity(body).tag))
        wrong_spec("rules can give the tag '" + spec.of + "' or take it, so its meters have no sum",
                   where + ".of", "name another tag");
    for (const EntityId seat : role_.seats) {
      auto& meters = plan.meters.emplace_back();
      for (const EntityId body : others.empty() ? std::vector{seat} : others) {
        const auto known = game_.arena.meters_of(body);
        if (std::find(known.begin(), known.end(), spec.meter) == known.end())
          wrong_spec("'" + game_.arena.entity(body).name + "' has no meter '" + spec.meter + "'",
                     where + ".meter", known.empty() ? "give it one" : advice(spec.meter, known));
        meters.push_back(game_.arena.meter_number(body, spec.meter));
      }
    }
    return plan;
  }

  NearMissTriggerPlan near_miss(const NearMissTrigger& spec, const std::string& where) const {
    NearMissTriggerPlan plan{TagSet::of(game_.arena.tag(spec.to, where + ".to")),
                             static_cast<float>(spec.within), spec.over};
    const auto& launchers =
        game_.spec.arena.bodies[game_.arena.entity(role_.seats.front()).spec_index].launchers;
    const bool aims =
        std::any_of(launchers.begin(), launchers.end(), [&](const Launcher& launcher) {
          return std::find(launcher.targets.begin(), launcher.targets.end(), spec.to) !=
                 launcher.targets.end();
        });
    if (!aims)
      wrong_spec(
          "no launcher of the body reports the closest approach of its shots to '" + spec.to + "'",
          where + ".to", "list it in a launcher's `targets`");
    return plan;
  }
};

}  // namespace

void compile_terms(GamePlan& game, std::size_t role, const std::string& where) {
  TermCompiler(game, role, where).compile();
}

void compile_cutoffs(GamePlan& game) {
  const Cutoffs& spec = game.spec.cutoffs;
  CutoffsPlan& plan = game.cutoffs;
  const auto bodies = [&](const std::string& name, const std::string& where) {
    return name.empty() ? game.seats : bodies_of(game, name, where);
  };
  const auto take = [&](std::size_t words) {
    const std::size_t first = plan.memory_words;
    plan.memory_words += words;
    return first;
  };
  for (std::size_t i = 0; i < spec.too_far.size(); ++i) {
    const TooFar& rule = spec.too_far[i];
    const std::string where = "cutoffs.too_far[" + std::to_string(i) + "]";
    TooFarPlan far{bodies(rule.of, where + ".of"),
                   bears_of(game, rule.of),
                   {},
                   static_cast<float>(rule.beyond),
                   0};
    if (!rule.from.empty()) {
      far.from = game.arena.tag(rule.from, where + ".from");
      if (game.things_of_tag[*far.from].empty())
        wrong_spec("a distance needs a body, zone or item, and nothing such bears the tag '" +
                       rule.from + "'",
                   where + ".from", "choose another tag");
    }
    far.memory = take(far.from ? 0 : 2 * far.of.size());
    plan.too_far.push_back(std::move(far));
  }
  for (std::size_t i = 0; i < spec.stalls.size(); ++i) {
    const Stall& rule = spec.stalls[i];
    const std::string where = "cutoffs.stalls[" + std::to_string(i) + "]";
    plan.stalls.push_back({rule.since, bodies(rule.of, where + ".of"), bears_of(game, rule.of),
                           rule.with.empty(), tag_mask(game, rule.with, where + ".with"),
                           static_cast<std::uint32_t>(rule.steps), take(1)});
  }
  if (spec.repeats) {
    plan.repeats = static_cast<std::size_t>(spec.repeats->times);
    plan.within = static_cast<std::size_t>(spec.repeats->within);
    if (plan.within < plan.repeats)
      wrong_spec("a state cannot be there so often within so few steps", "cutoffs.repeats.within",
                 "make it at least `times`");
    plan.repeats_memory = take(plan.within);
  }
}

}  // namespace zithercraft::game_internal
