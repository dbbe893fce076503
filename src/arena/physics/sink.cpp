#include "arena/physics/sink.hpp"

#include <cmath>

#include "arena/physics/standing.hpp"

namespace zithercraft::arena_internal {
namespace {

Rise rise_of(const ArenaPlan& plan, const StateArrays& s, std::size_t looker, std::size_t other) {
  if (!plan.heights.used || plan.tall[looker] == boundless) return Rise::level;
  const Band own = band_of(plan, s, looker), seen = band_of(plan, s, other);
  const float middle = 0.5f * (own.low + own.high);
  return seen.low >= middle ? Rise::above : seen.high <= middle ? Rise::below : Rise::level;
}

Seen seen_by(const ArenaPlan& plan, const StateArrays& s, std::size_t looker, std::size_t other) {
  return {way_to(s, looker, {s.x[other], s.y[other]}), rise_of(plan, s, looker, other)};
}

}  // namespace

Way way_to(const StateArrays& s, std::size_t looker, Vec point) {
  const Vec d = point - Vec{s.x[looker], s.y[looker]};
  const float ahead = s.cos[looker] * d.x + s.sin[looker] * d.y,
              left = s.cos[looker] * d.y - s.sin[looker] * d.x;
  if (ahead == 0.0f && left == 0.0f) return Way::none;
  if (std::fabs(left) > std::fabs(ahead)) return left > 0.0f ? Way::left : Way::right;
  return ahead > 0.0f ? Way::ahead : Way::behind;
}

Event event_at(const ArenaPlan& plan, const StateArrays& s, std::size_t posed, EventKind kind,
               EntityId who, EntityId whom, float strength, std::int32_t detail) {
  Event event{.tick = s.header->tick,
              .kind = kind,
              .who = who,
              .whom = whom,
              .x = s.x[posed],
              .y = s.y[posed],
              .z = plan.heights.used ? s.z[posed] : 0.0f,
              .strength = strength,
              .detail = detail};
  const auto has_pose = [&](EntityId id) { return id && id.index() < plan.posed; };
  if (has_pose(who) && has_pose(whom)) {
    event.by_who = seen_by(plan, s, who.index(), whom.index());
    event.by_whom = seen_by(plan, s, whom.index(), who.index());
  }
  return event;
}

}  // namespace zithercraft::arena_internal
