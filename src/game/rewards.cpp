#include "game/rewards.hpp"

#include <algorithm>
#include <cmath>

#include "game/cell_paths.hpp"
#include "game/triggers.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {
using namespace game_internal;
namespace {

constexpr float shortest_start = 0.01f;  // metres; who begins on the spot has nothing to close

using Memory = std::span<std::uint64_t>;

template <class T>
T& in(Memory memory) {
  static_assert(sizeof(T) % sizeof(std::uint64_t) == 0 || sizeof(T) <= sizeof(std::uint64_t));
  return *reinterpret_cast<T*>(memory.data());
}

// The way from a body to the nearest thing of a tag, or to the one that is paired with the seat.
Bearing way_from(const SeatView& seat, EntityId body, std::size_t tag, bool paired) {
  if (body == seat.body()) return paired ? seat.paired(tag) : seat.nearest(tag);
  const ArenaView view = seat.view();
  const Pose from = view.pose(body);
  Bearing to;
  if (paired) {
    to.entity = seat.paired(tag).entity;
    if (!to.entity) return {};
    const Pose at = view.pose(to.entity);
    const float x = at.x - from.x, y = at.y - from.y, z = at.z - from.z;
    to.distance = std::sqrt(x * x + y * y + z * z);
  } else {
    const NearestHit hit = view.nearest(from.x, from.y, TagSet::of(tag), body,
                                        from.z + 0.5f * view.arena().height_of(body, view.state()));
    to.distance = hit.distance;
    to.entity = hit.entity;
  }
  return to;
}

// Where a progress term's subject is from its aim.
Bearing aim(const ProgressPlan& progress, const SeatView& seat, EntityId body) {
  Bearing to = way_from(seat, body, progress.tag, progress.paired);
  if (!progress.along_path || !to.entity) return to;
  const Pose from = seat.view().pose(body);
  const auto path =
      path_over_cells(seat.game().arena(), seat.arena_state(), from.x, from.y, to.entity);
  if (path) to.distance = path->distance;
  return to;
}

// The subject is the seat's own body, or the first of the named ones that is there.
Bearing aim(const ProgressPlan& progress, const SeatView& seat) {
  if (progress.of.empty()) return aim(progress, seat, seat.body());
  for (const EntityId body : progress.of)
    if (seat.view().present(body) && bears(seat.view(), body, progress.bears))
      return aim(progress, seat, body);
  return {};
}

// What the term would have given in all for going this far away: in coarse enough steps that
// differences are exact, so that what is gained on the way there is taken back to the last bit on
// the way back.
float potential(const ProgressPlan& progress, float distance, float start) {
  if (progress.weight == 0.0f) return 0.0f;
  const float step = std::ldexp(1.0f, std::ilogb(progress.weight) - 20);
  return std::round(progress.weight * (distance / std::max(start, shortest_start)) / step) * step;
}

float amount(const ProgressPlan& progress, const SeatView& seat, Memory memory) {
  Distance& d = in<Distance>(memory);
  const Bearing now = aim(progress, seat);
  if (!now.entity) return 0.0f;  // all of them are gone for now
  // What was aimed at is gone (collected, say): the way to the next one is no step back.
  const bool lost = !d.thing || !seat.view().present(d.thing);
  if (d.start <= 0.0f) d.start = now.distance;
  const float ahead = potential(progress, now.distance, d.start),
              closed = lost ? 0.0f : d.potential - ahead;
  d.potential = ahead;
  d.thing = now.entity;
  return closed;
}

float amount(const EventTriggerPlan& trigger, const SeatView& seat, Memory memory) {
  const EntityId body = seat.body();
  const auto own = trigger.of.empty() ? std::span(&body, 1) : std::span(trigger.of);
  const ArenaView view = seat.view();
  float sum = 0.0f;
  for (const Event& event : seat.events())
    if (const auto found = fit(trigger, own, view, event))
      if (counts(trigger, found->other, memory)) sum += trigger.by_strength ? event.strength : 1.0f;
  return sum;
}

// What is paired with the seat.
bool holds_paired(const ConditionPlan& condition, const SeatView& seat, EntityId body) {
  if (!moves_and_touches(condition, seat.view(), body)) return false;
  if (condition.near) {
    const Bearing to = way_from(seat, body, *condition.near, true);
    if (!to.entity || !(to.distance <= condition.within)) return false;
  }
  return condition.zones.empty() || seat.view().inside(body, condition.zones[seat.number()]);
}

float amount(const ConditionPlan& condition, const SeatView& seat, Memory) {
  const auto fulfils = [&](EntityId body) {
    return condition.paired ? holds_paired(condition, seat, body)
                            : holds(condition, seat.view(), body);
  };
  const bool any = condition.of.empty()
                       ? fulfils(seat.body())
                       : std::any_of(condition.of.begin(), condition.of.end(), fulfils);
  return any ? 1.0f : 0.0f;
}

double meters_of(const MeterTriggerPlan& change, const SeatView& seat) {
  double sum = 0.0;
  for (const std::size_t meter : change.meters[seat.number()])
    sum += static_cast<double>(seat.view().meter(meter));
  return sum;
}

float amount(const MeterTriggerPlan& change, const SeatView& seat, Memory memory) {
  double& last = in<double>(memory);
  const double now = meters_of(change, seat), before = last;
  last = now;
  return static_cast<float>(now - before);
}

float amount(const NearMissTriggerPlan& near_miss, const SeatView& seat, Memory memory) {
  double& best = in<double>(memory);
  float sum = 0.0f;
  for (const Event& event : seat.events()) {
    if (event.kind != EventKind::pass || event.who != seat.body() || !event.whom) continue;
    if (!near_miss.tags.holds(seat.view().tag_of(event.whom))) continue;
    const double close = std::max(
        0.0, 1.0 - static_cast<double>(event.strength) / static_cast<double>(near_miss.within));
    sum += static_cast<float>(near_miss.over == Over::sum ? close : std::max(0.0, close - best));
    best = std::max(best, close);
  }
  return sum;
}

float amount(const ExplorationTriggerPlan& visits, const SeatView& seat, Memory memory) {
  const Pose pose = seat.pose();
  const auto square = [&](float v) {
    const auto number =
        static_cast<std::int64_t>(std::floor(std::clamp(v * visits.inverse_square, -1e15f, 1e15f)));
    return static_cast<std::size_t>(number) % visited_side;
  };
  std::uint64_t& row = memory[square(pose.y - visits.origin_y)];
  const std::uint64_t bit = std::uint64_t{1} << square(pose.x - visits.origin_x);
  const bool is_new = (row & bit) == 0;
  row |= bit;
  return is_new ? 1.0f : 0.0f;
}

float amount(const EachPlan& each, const SeatView& seat, Memory) {
  if (!each.measure.custom()) return each.times;
  return each.measure.function() ? each.times * static_cast<float>(each.measure.function()(seat))
                                 : 0.0f;
}

// Is in place already.
float amount(const PaidPlan&, const SeatView&, Memory) { return 0.0f; }

void begin(const ProgressPlan& progress, const SeatView& seat, Memory memory) {
  const Bearing to = aim(progress, seat);
  in<Distance>(memory) = {to.distance, potential(progress, to.distance, to.distance), to.entity, 0};
}
void begin(const MeterTriggerPlan& change, const SeatView& seat, Memory memory) {
  in<double>(memory) = meters_of(change, seat);
}
void begin(const ExplorationTriggerPlan& visits, const SeatView& seat, Memory memory) {
  amount(visits, seat, memory);
}
template <class Other>
void begin(const Other&, const SeatView&, Memory) {}

}  // namespace

void game_internal::begin_terms(const RolePlan& role, const SeatView& seat,
                                std::span<std::uint64_t> memory) {
  for (const TermPlan& term : role.terms)
    std::visit([&](const auto& kind) { begin(kind, seat, memory.subspan(term.memory)); },
               term.trigger);
}

Verdict game_internal::measure_terms(const RolePlan& role, const SeatView& seat,
                                     std::span<std::uint64_t> memory, std::span<float> amounts) {
  Verdict verdict = Verdict::none;
  const bool present = seat.present();
  for (std::size_t t = 0; t < role.terms.size(); ++t) {
    const TermPlan& term = role.terms[t];
    if (std::holds_alternative<PaidPlan>(term.trigger)) continue;
    // A seat that has left the arena is rewarded for events alone.
    const bool pays = present || std::holds_alternative<EventTriggerPlan>(term.trigger) ||
                      std::holds_alternative<NearMissTriggerPlan>(term.trigger);
    amounts[t] =
        pays
            ? std::visit(
                  [&](const auto& kind) { return amount(kind, seat, memory.subspan(term.memory)); },
                  term.trigger)
            : 0.0f;
    if (term.ends != Verdict::none && amounts[t] != 0.0f && verdict != Verdict::failure)
      verdict = term.ends;
  }
  return verdict;
}

float game_internal::reward_of(const TermPlan& term, float amount, double so_far) {
  float pay = term.weight * amount;
  if (term.most_per_step > 0.0f) pay = std::clamp(pay, -term.most_per_step, term.most_per_step);
  if (term.most_per_episode > 0.0) {
    const double sum = std::clamp(so_far + static_cast<double>(pay), -term.most_per_episode,
                                  term.most_per_episode);
    pay = static_cast<float>(sum - so_far);
  }
  return pay;
}

void game_internal::check_term_rewards(const SeatView& seat, std::span<const float> rewards) {
  for (std::size_t t = 0; t < rewards.size(); ++t)
    if (!std::isfinite(rewards[t]))
      throw Error(
          ErrorKind::numbers,
          "the term '" + seat.role().terms[t] + "' gave a reward that is not a finite number",
          "role '" + seat.role().name + "', step " + std::to_string(seat.steps()),
          "look for a division by zero or an overflow in it");
}

}  // namespace zithercraft
