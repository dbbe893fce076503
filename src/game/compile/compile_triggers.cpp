#include "game/compile/compile_triggers.hpp"

#include <algorithm>
#include <limits>

#include "zithercraft/base/text.hpp"

namespace zithercraft::game_internal {
namespace {

std::vector<EntityId> zones_of(const GamePlan& game, const std::string& name,
                               const std::string& where) {
  std::vector<EntityId> zones;
  if (name.empty()) return zones;
  for (const EntityId thing : game.things_of_tag[game.arena.tag(name, where)])
    if (game.arena.entity(thing).kind == EntityKind::zone) zones.push_back(thing);
  if (zones.empty()) wrong_spec("no zone bears the tag '" + name + "'", where, "name a zone's tag");
  return zones;
}

// What conditions and events both ask of a body.
template <class Asked>
StandingPlan standing(const GamePlan& game, const Asked& asked, std::span<const EntityId> meant,
                      const std::string& where) {
  constexpr float endless = std::numeric_limits<float>::infinity();
  StandingPlan plan;
  if ((asked.above || asked.below) && !game.arena.has_height())
    wrong_spec("the arena has no height", where + (asked.above ? ".above" : ".below"),
               "leave it out, or give the arena `heights`");
  if (asked.above) plan.above = static_cast<float>(*asked.above);
  if (asked.below) plan.below = static_cast<float>(*asked.below);
  if (asked.meter.empty() != !(asked.at_least || asked.at_most))
    wrong_spec("a meter and the range that it must be in belong together", where + ".meter",
               "give `meter` and at least one of `at_least` and `at_most`");
  if (asked.meter.empty()) return plan;
  plan.meters = meters_named(game, asked.meter, meant, where + ".meter");
  plan.least = asked.at_least ? static_cast<float>(*asked.at_least) : -endless;
  plan.most = asked.at_most ? static_cast<float>(*asked.at_most) : endless;
  return plan;
}

std::vector<EntityId> bodies_or_none(const GamePlan& game, const std::string& name,
                                     const std::string& where) {
  return name.empty() ? std::vector<EntityId>{} : bodies_of(game, name, where);
}

template <class Own>
std::vector<EntityId> meant_by(const std::vector<EntityId>& of, const Own& own) {
  return of.empty() ? std::vector<EntityId>(own.begin(), own.end()) : of;
}

std::optional<std::int32_t> told_event(const GamePlan& game, const EventTrigger& on,
                                       const std::string& where) {
  if (on.named.empty()) return {};
  if (on.event != EventKind::custom)
    wrong_spec("only an event that a rule tells has a name", where + ".named",
               "write event = \"custom\", or leave `named` out");
  const auto found = std::find(game.told.begin(), game.told.end(), on.named);
  if (found == game.told.end())
    wrong_spec("no rule tells an event '" + on.named + "'", where + ".named",
               game.told.empty() ? "let a rule `emit` it" : advice(on.named, game.told));
  return static_cast<std::int32_t>(found - game.told.begin());
}

}  // namespace

std::vector<std::optional<std::size_t>> meters_named(const GamePlan& game, const std::string& name,
                                                     std::span<const EntityId> meant,
                                                     const std::string& where) {
  std::vector<std::optional<std::size_t>> numbers(game.arena.bodies().size());
  std::vector<std::string> known;
  bool any = false;
  for (const EntityId body : meant) {
    const auto meters = game.arena.meters_of(body);
    known.insert(known.end(), meters.begin(), meters.end());
    if (std::find(meters.begin(), meters.end(), name) == meters.end()) continue;
    numbers[body.index()] = game.arena.meter_number(body, name);
    any = true;
  }
  if (!any)
    wrong_spec("none of the bodies that are meant has a meter '" + name + "'", where,
               known.empty() ? "give them one" : advice(name, known));
  return numbers;
}

EventTriggerPlan compile_event(const GamePlan& game, const EventTrigger& on,
                               std::span<const EntityId> own, const std::string& where) {
  EventTriggerPlan plan;
  plan.kind = on.event;
  plan.detail = told_event(game, on, where);
  plan.as = on.as;
  plan.of = bodies_or_none(game, on.of, where + ".of");
  plan.bears = bears_of(game, on.of);
  plan.any_thing = on.with.empty();
  plan.tags = tag_mask(game, on.with, where + ".with");
  plan.harder_than = static_cast<float>(on.harder_than);
  if (on.softer_than) plan.softer_than = static_cast<float>(*on.softer_than);
  plan.zones = zones_of(game, on.inside, where + ".inside");
  plan.from = on.from;
  if ((on.from == Approach::above || on.from == Approach::below) && !game.arena.has_height())
    wrong_spec("nothing is above or below in an arena without height", where + ".from",
               "choose ahead, behind or beside, or give the arena `heights`");
  plan.standing = standing(game, on, meant_by(plan.of, own), where);
  plan.by_strength = on.by_strength;
  plan.counts = on.counts;
  plan.nth = static_cast<std::uint64_t>(on.nth);
  return plan;
}

std::size_t words_of(const GamePlan& game, const EventTrigger& on) {
  const std::size_t seen = on.counts == Counts::first ? 1
                           : on.counts == Counts::first_of_each
                               ? words_for_bits(game.arena.entities().size())
                               : 0;
  return seen + (on.nth > 0 ? 1 : 0);  // how many there were; before what `counts` remembers
}

ConditionPlan compile_condition(const GamePlan& game, const Condition& when,
                                std::span<const EntityId> own, const std::string& where) {
  if (when.inside.empty() && when.near.empty() && when.touching.empty() && when.meter.empty() &&
      !when.slower_than && !when.faster_than && !when.above && !when.below)
    wrong_spec("the condition is empty", where, "say what must hold");
  ConditionPlan plan;
  plan.of = bodies_or_none(game, when.of, where + ".of");
  plan.bears = bears_of(game, when.of);
  if (when.slower_than) plan.slower_than = static_cast<float>(*when.slower_than);
  if (when.faster_than) plan.faster_than = static_cast<float>(*when.faster_than);
  if (!when.near.empty()) {
    plan.near = placed_tag(game, when.near, where + ".near");
    plan.within = static_cast<float>(when.within);
  }
  if (!when.touching.empty()) plan.touching = tag_mask(game, when.touching, where + ".touching");
  plan.zones = zones_of(game, when.inside, where + ".inside");
  plan.standing = standing(game, when, meant_by(plan.of, own), where);
  return plan;
}

}  // namespace zithercraft::game_internal
