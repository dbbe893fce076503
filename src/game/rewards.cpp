#include "rewards.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

constexpr float shortest_start = 0.01f;  // metres; who begins on the spot has nothing to close

float amount(const ProgressPlan& progress, const SeatView& seat, std::span<Distance> distances) {
  Distance& d = distances[progress.slot];
  const Bearing now = seat.nearest(progress.tag);
  if (now.entity < 0) return 0.0f;  // all of them are gone for now
  // What was aimed at is gone (collected, say): the way to the next one is no step back.
  const bool lost = d.thing < 0 || !seat.game().arena().present(seat.arena_state(), static_cast<std::size_t>(d.thing));
  if (d.start <= 0.0f) d.start = now.distance;
  const float closed = lost ? 0.0f : (d.last - now.distance) / std::max(d.start, shortest_start);
  d.last = now.distance;
  d.thing = now.entity;
  return closed;
}

float amount(const HappeningPlan& happening, const SeatView& seat, std::span<Distance>) {
  const auto body = static_cast<std::int32_t>(seat.body());
  const auto entities = seat.game().arena().entities();
  float sum = 0.0f;
  for (const Event& event : seat.events()) {
    if (event.kind != happening.kind || event.strength < happening.harder_than) continue;
    const bool who = event.who == body && happening.as != Part::whom;
    const bool whom = event.whom == body && happening.as != Part::who;
    if (!who && !whom) continue;
    const std::int32_t other = who ? event.whom : event.who;
    const bool tagged =
        other >= 0 && ((happening.tags >> entities[static_cast<std::size_t>(other)].tag) & 1u) != 0;
    if (happening.any_thing || tagged) sum += happening.by_strength ? event.strength : 1.0f;
  }
  return sum;
}

float amount(const ConditionPlan& condition, const SeatView& seat, std::span<Distance>) {
  if (condition.slower_than && !(seat.speed() < *condition.slower_than)) return 0.0f;
  const auto in = [&](std::size_t zone) { return seat.game().arena().inside(seat.arena_state(), seat.body(), zone); };
  return condition.zones.empty() || std::any_of(condition.zones.begin(), condition.zones.end(), in) ? 1.0f : 0.0f;
}

float amount(const Measure& measure, const SeatView& seat, std::span<Distance>) {
  if (!measure.coded()) return 1.0f;
  return measure.function() ? static_cast<float>(measure.function()(seat)) : 0.0f;
}

}  // namespace

void begin_progress(const RolePlan& role, const SeatView& seat, std::span<Distance> distances) {
  for (const TermPlan& term : role.terms)
    if (const auto* progress = std::get_if<ProgressPlan>(&term.trigger)) {
      const Bearing to = seat.nearest(progress->tag);
      distances[progress->slot] = {to.distance, to.distance, to.entity};
    }
}

Verdict pay_seat(const RolePlan& role, const SeatView& seat, std::span<Distance> distances, std::span<float> payments) {
  Verdict verdict = Verdict::none;
  const bool present = seat.present();
  for (std::size_t t = 0; t < role.terms.size(); ++t) {
    const TermPlan& term = role.terms[t];
    // Who has left the arena is only paid for what happened.
    const bool pays = present || std::holds_alternative<HappeningPlan>(term.trigger);
    const float triggered =
        pays ? std::visit([&](const auto& kind) { return amount(kind, seat, distances); }, term.trigger) : 0.0f;
    payments[t] = term.weight * triggered;
    if (!std::isfinite(payments[t]))
      throw Error(Fault::numbers, "the term '" + seat.role().terms[t] + "' paid a value that is not a finite number",
                  "role '" + seat.role().name + "', decision " + std::to_string(seat.decisions()),
                  "look for a division by zero or an overflow in it");
    if (term.ends != Verdict::none && triggered != 0.0f && verdict != Verdict::failure) verdict = term.ends;
  }
  return verdict;
}

}  // namespace zithercraft
