#include "rewards.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

constexpr float shortest_start = 0.01f;  // metres; who begins on the spot has nothing to close

float amount(const ProgressPlan& progress, const SeatView& seat, std::span<Distance> distances) {
  Distance& d = distances[progress.slot];
  const float now = seat.nearest(progress.tag).distance;
  const float closed = (d.last - now) / std::max(d.start, shortest_start);
  d.last = now;
  return closed;
}

float amount(const HappeningPlan& happening, const SeatView& seat, std::span<Distance>) {
  const auto body = static_cast<std::int32_t>(seat.body());
  const auto entities = seat.game().arena().entities();
  const auto counts = [&](const Event& event) {
    if (event.kind != happening.kind || event.strength < happening.harder_than) return false;
    if (event.who != body && event.whom != body) return false;
    const auto other = static_cast<std::size_t>(event.who == body ? event.whom : event.who);
    return ((happening.tags >> entities[other].tag) & 1u) != 0;
  };
  return static_cast<float>(std::count_if(seat.events().begin(), seat.events().end(), counts));
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
      const float distance = seat.nearest(progress->tag).distance;
      distances[progress->slot] = {distance, distance};
    }
}

Verdict pay_seat(const RolePlan& role, const SeatView& seat, std::span<Distance> distances, std::span<float> payments) {
  Verdict verdict = Verdict::none;
  for (std::size_t t = 0; t < role.terms.size(); ++t) {
    const TermPlan& term = role.terms[t];
    const float triggered = std::visit([&](const auto& kind) { return amount(kind, seat, distances); }, term.trigger);
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
