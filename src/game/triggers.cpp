#include "game/triggers.hpp"

#include <algorithm>
#include <cmath>

namespace zithercraft::game_internal {
namespace {

bool contains(std::span<const EntityId> list, EntityId entity) {
  return std::find(list.begin(), list.end(), entity) != list.end();
}

bool comes_from(Approach from, Seen seen) {
  switch (from) {
    case Approach::any: return true;
    case Approach::ahead: return seen.way == Way::ahead;
    case Approach::behind: return seen.way == Way::behind;
    case Approach::beside: return seen.way == Way::left || seen.way == Way::right;
    case Approach::above: return seen.rise == Rise::above;
    case Approach::below: return seen.rise == Rise::below;
  }
  return false;
}

}  // namespace

std::optional<Fit> fit(const EventTriggerPlan& trigger, std::span<const EntityId> own,
                       const ArenaView& view, const Event& event) {
  if (event.kind != trigger.kind || event.strength < trigger.harder_than) return {};
  if (trigger.softer_than && event.strength >= *trigger.softer_than) return {};
  if (trigger.detail && event.detail != *trigger.detail) return {};
  // What a rule tells that waits for a time is nobody's doing, and so concerns everybody.
  const bool nobodys = event.kind == EventKind::custom && !event.who && !event.whom;
  if (nobodys && trigger.any_thing && stands(trigger.standing, view, own.front()))
    return Fit{own.front(), {}};
  const auto meant = [&](EntityId body) {
    return contains(own, body) && bears(view, body, trigger.bears);
  };
  const bool who = trigger.as != Part::whom && meant(event.who);
  const bool whom = !who && trigger.as != Part::who && meant(event.whom);
  if (!who && !whom) return {};
  const Fit found{who ? event.who : event.whom, who ? event.whom : event.who};
  const bool tagged = found.other && trigger.tags.holds(view.tag_of(found.other));
  if (!trigger.any_thing && !tagged) return {};
  if (!trigger.zones.empty() &&
      std::none_of(trigger.zones.begin(), trigger.zones.end(),
                   [&](EntityId zone) { return view.inside(found.own, zone); }))
    return {};
  if (!comes_from(trigger.from, who ? event.by_who : event.by_whom)) return {};
  if (!stands(trigger.standing, view, found.own)) return {};
  return found;
}

bool counts(const EventTriggerPlan& trigger, EntityId other, std::span<std::uint64_t> memory) {
  if (trigger.counts != Counts::every) {
    const bool each = trigger.counts == Counts::first_of_each && other;
    const std::size_t bit = each ? other.index() : 0;
    std::uint64_t& word = memory[bit / 64 + (trigger.nth > 0 ? 1 : 0)];
    if (((word >> (bit % 64)) & 1u) != 0) return false;
    word |= std::uint64_t{1} << (bit % 64);
  }
  return trigger.nth == 0 || ++memory[0] == trigger.nth;
}

bool stands(const StandingPlan& standing, const ArenaView& view, EntityId body) {
  if (standing.above || standing.below) {
    const float foot = view.pose(body).z;
    if (standing.above && !(foot >= *standing.above)) return false;
    if (standing.below && !(foot < *standing.below)) return false;
  }
  if (standing.meters.empty()) return true;
  const auto meter = standing.meters[body.index()];
  if (!meter) return false;
  const float level = view.meter(*meter);
  return level >= standing.least && level <= standing.most;
}

bool moves_and_touches(const ConditionPlan& condition, const ArenaView& view, EntityId body) {
  if (!view.present(body) || !bears(view, body, condition.bears)) return false;
  if (condition.slower_than || condition.faster_than) {
    const Velocity v = view.velocity(body);
    const float speed = std::sqrt(v.x * v.x + v.y * v.y);
    if (condition.slower_than && !(speed < *condition.slower_than)) return false;
    if (condition.faster_than && !(speed > *condition.faster_than)) return false;
  }
  if (!condition.touching.empty() && !view.arena().touches(view.state(), body, condition.touching))
    return false;
  return stands(condition.standing, view, body);
}

bool holds(const ConditionPlan& condition, const ArenaView& view, EntityId body) {
  if (!moves_and_touches(condition, view, body)) return false;
  if (condition.near) {
    const Pose from = view.pose(body);
    const NearestHit hit = view.nearest(from.x, from.y, TagSet::of(*condition.near), body,
                                        from.z + 0.5f * view.arena().height_of(body, view.state()));
    if (!hit.entity || !(hit.distance <= condition.within)) return false;
  }
  return condition.zones.empty() ||
         std::any_of(condition.zones.begin(), condition.zones.end(),
                     [&](EntityId zone) { return view.inside(body, zone); });
}

}  // namespace zithercraft::game_internal
