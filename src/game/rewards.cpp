#include "rewards.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

constexpr float shortest_start = 0.01f;  // metres; who begins on the spot has nothing to close

// Where a progress term's subject is from its aim: the seat's own body, or the first of the named ones that is there.
Bearing aim(const ProgressPlan& progress, const SeatView& seat) {
  if (progress.of.empty()) return progress.paired ? seat.paired(progress.tag) : seat.nearest(progress.tag);
  const Arena& arena = seat.game().arena();
  for (const std::size_t body : progress.of) {
    if (!arena.present(seat.arena_state(), body)) continue;
    const Pose from = arena.pose(seat.arena_state(), body);
    Bearing to;
    if (progress.paired) {
      to.entity = seat.paired(progress.tag).entity;
      if (to.entity < 0) return {};
      const Pose at = arena.pose(seat.arena_state(), static_cast<std::size_t>(to.entity));
      const float x = at.x - from.x, y = at.y - from.y, z = at.z - from.z;
      to.distance = std::sqrt(x * x + y * y + z * z);
    } else {
      const NearestHit hit =
          arena.nearest(seat.arena_state(), from.x, from.y, std::uint64_t{1} << progress.tag,
                        static_cast<std::int32_t>(body), from.z + 0.5f * arena.tall(body, seat.arena_state()));
      to.distance = hit.distance;
      to.entity = hit.entity;
    }
    return to;
  }
  return {};
}

float amount(const ProgressPlan& progress, const SeatView& seat, std::span<Distance> distances) {
  Distance& d = distances[progress.slot];
  const Bearing now = aim(progress, seat);
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
  const auto entities = seat.game().arena().entities();
  const auto meant = [&](std::int32_t entity) {
    if (happening.of.empty()) return entity == static_cast<std::int32_t>(seat.body());
    return entity >= 0 &&
           std::find(happening.of.begin(), happening.of.end(), static_cast<std::size_t>(entity)) != happening.of.end();
  };
  float sum = 0.0f;
  for (const Event& event : seat.events()) {
    if (event.kind != happening.kind || event.strength < happening.harder_than) continue;
    const bool who = happening.as != Part::whom && meant(event.who);
    const bool whom = !who && happening.as != Part::who && meant(event.whom);
    if (!who && !whom) continue;
    const std::int32_t other = who ? event.whom : event.who;
    const bool tagged = other >= 0 && ((happening.tags >> entities[static_cast<std::size_t>(other)].tag) & 1u) != 0;
    if (happening.any_thing || tagged) sum += happening.by_strength ? event.strength : 1.0f;
  }
  return sum;
}

float amount(const ConditionPlan& condition, const SeatView& seat, std::span<Distance>) {
  const Arena& arena = seat.game().arena();
  const auto holds = [&](std::size_t body) {
    if (!arena.present(seat.arena_state(), body)) return false;
    if (condition.slower_than) {
      const Velocity v = arena.velocity(seat.arena_state(), body);
      if (!(std::sqrt(v.x * v.x + v.y * v.y) < *condition.slower_than)) return false;
    }
    const auto in = [&](std::size_t zone) { return arena.inside(seat.arena_state(), body, zone); };
    if (condition.paired) return in(condition.zones[seat.number()]);
    return condition.zones.empty() || std::any_of(condition.zones.begin(), condition.zones.end(), in);
  };
  const bool any =
      condition.of.empty() ? holds(seat.body()) : std::any_of(condition.of.begin(), condition.of.end(), holds);
  return any ? 1.0f : 0.0f;
}

float amount(const Measure& measure, const SeatView& seat, std::span<Distance>) {
  if (!measure.coded()) return 1.0f;
  return measure.function() ? static_cast<float>(measure.function()(seat)) : 0.0f;
}

}  // namespace

void begin_progress(const RolePlan& role, const SeatView& seat, std::span<Distance> distances) {
  for (const TermPlan& term : role.terms)
    if (const auto* progress = std::get_if<ProgressPlan>(&term.trigger)) {
      const Bearing to = aim(*progress, seat);
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
