#include "zithercraft/game/seat.hpp"

#include <cmath>
#include <utility>

#include "game/cell_paths.hpp"
#include "game/lane_block.hpp"
#include "game/plan.hpp"
#include "game/sense.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/game/custom_fitness.hpp"

namespace zithercraft {
using namespace game_internal;

CustomFitness seat_fitness(std::function<double(const SeatView&)> fitness) {
  return [fitness = std::move(fitness)](const Environment& environment, std::size_t role,
                                        std::size_t row) {
    const std::size_t seats = environment.seats(role);
    return fitness(SeatView(environment, row / seats, role, row % seats));
  };
}

Pose SeatView::pose() const { return view().pose(body()); }
Velocity SeatView::velocity() const { return view().velocity(body()); }

float SeatView::speed() const {
  const Velocity v = velocity();
  return std::sqrt(v.x * v.x + v.y * v.y);
}

std::span<const double> SeatView::numbers(std::string_view rule) const {
  const GamePlan& plan = game().plan();
  std::size_t first = first_rule_number;
  for (const RuleSpec& own : plan.spec.rules) {
    const auto count = static_cast<std::size_t>(own.numbers);
    if (own.name == rule)
      return {
          reinterpret_cast<const double*>(lanes_.state(lane_).data() + plan.rules_offset) + first,
          count};
    first += count;
  }
  throw Error(ErrorKind::spec, "the game has no rule '" + std::string(rule) + "'", "rules",
              "name one of its rules");
}

Bearing SeatView::nearest(std::size_t tag) const {
  const Pose own = pose();
  const NearestHit hit = view().nearest(own.x, own.y, TagSet::of(tag), body(), middle_of(body()));
  return hit.entity ? bearing_to(hit.entity) : Bearing{};
}

Bearing SeatView::paired(std::size_t tag) const {
  const auto& things = game().plan().things_of_tag[tag];
  const EntityId thing = things[seat_ % things.size()];
  return view().present(thing) ? bearing_to(thing) : Bearing{};
}

// The level of the middle of a thing; unbounded zones are level with the seat.
float SeatView::middle_of(EntityId thing) const {
  const Arena& arena = game().arena();
  const EntityId at = std::isfinite(arena.height_of(thing, arena_state())) ? thing : body();
  return view().pose(at).z + 0.5f * arena.height_of(at, arena_state());
}

Bearing SeatView::bearing_to(EntityId thing) const {
  const Pose own = pose(), other = view().pose(thing);
  const float dx = other.x - own.x, dy = other.y - own.y;
  const float dz = game().arena().has_height() ? middle_of(thing) - middle_of(body()) : 0.0f;
  const float level = std::sqrt(dx * dx + dy * dy);
  const float distance = dz == 0.0f ? level : std::sqrt(dx * dx + dy * dy + dz * dz);
  if (level < 1e-6f) return {distance, 1.0f, 0.0f, distance > 1e-6f ? dz / distance : 0.0f, thing};
  return {distance, (own.cos * dx + own.sin * dy) / level, (own.cos * dy - own.sin * dx) / level,
          dz / distance, thing};
}

Bearing SeatView::path_to(EntityId thing) const {
  Bearing to = bearing_to(thing);
  const Pose own = pose();
  const auto path = path_over_cells(game().arena(), arena_state(), own.x, own.y, thing);
  if (!path) return to;
  to.distance = path->distance;
  const float dx = path->x - own.x, dy = path->y - own.y, straight = std::sqrt(dx * dx + dy * dy);
  if (straight < 1e-6f) return to;
  to.ahead = (own.cos * dx + own.sin * dy) / straight;
  to.left = (own.cos * dy - own.sin * dx) / straight;
  return to;
}

std::vector<SeenRay> SeatView::rays() const {
  std::vector<SeenRay> seen;
  const Pose own = pose();
  SenseRoom room(game().plan());
  for (const SensePart& part : game().plan().role_plans[role_].senses) {
    const auto* fan = std::get_if<FanPlan>(&part.what);
    if (fan == nullptr) continue;
    cast_fan(*fan, game().plan(), *this, fan->tags, room);
    for (std::size_t i = 0; i < fan->rays; ++i) {
      const float distance = room.ray_distance[i];
      seen.push_back({own.x, own.y, own.x + distance * room.ray_x[i],
                      own.y + distance * room.ray_y[i], own.z + fan->eye,
                      own.z + fan->eye + distance * room.ray_z[i], room.ray_entity[i]});
    }
  }
  return seen;
}

Bearing SeatView::nearest(std::string_view tag) const {
  return nearest(game().arena().tag(tag, "role '" + role().name + "'"));
}

}  // namespace zithercraft
