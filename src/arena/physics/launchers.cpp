#include <algorithm>
#include <limits>

#include "arena/casts/cast.hpp"
#include "arena/generate/placement.hpp"
#include "arena/physics/physics.hpp"
#include "zithercraft/base/exact.hpp"

namespace zithercraft::arena_internal {
namespace {

class Shots {
 public:
  Shots(const Tick& t, const LauncherData& launcher, std::size_t number)
      : t_(t), s_(t.s), launcher_(launcher), number_(number) {}

  void fly() {
    for (std::size_t i = 0; i < launcher_.shots; ++i)
      if (s_.present[launcher_.first_shot + i] != 0) fly_one(i);
  }

  void launch() {
    const float fire = s_.inputs[launcher_.fire_input];
    if (s_.present[launcher_.body] == 0 || !(fire > 0.5f) || s_.header->tick < s_.ready_at[number_])
      return;
    std::size_t free = 0;
    while (free < launcher_.shots && s_.present[launcher_.first_shot + free] != 0) ++free;
    if (free == launcher_.shots) return;
    if (launcher_.cost_meter != nowhere) {
      const MeterData& meter = t_.plan.meters[launcher_.cost_meter];
      float& change = t_.memory.meter_change[launcher_.cost_meter];
      if (s_.meters[launcher_.cost_meter] + change < meter.low + launcher_.cost) return;
      change -= launcher_.cost;
    }
    s_.ready_at[number_] = s_.header->tick + launcher_.reload;
    const std::size_t shot = launcher_.first_shot + free, body = launcher_.body;
    double bearing = static_cast<double>(s_.heading[body]);
    if (launcher_.bearing_input != nowhere)
      bearing += static_cast<double>(launcher_.swing *
                                     std::clamp(s_.inputs[launcher_.bearing_input], -1.0f, 1.0f));
    set_pose(s_, shot, s_.x[body], s_.y[body], bearing);
    float level_speed = launcher_.speed;
    if (t_.plan.heights.used) {
      const auto [sin, cos] = exact::sin_cos(static_cast<double>(elevation()));
      level_speed *= cos;
      s_.vz[shot] = s_.vz[body] + launcher_.speed * sin;
      s_.z[shot] = s_.z[body] + launcher_.muzzle - launcher_.radius;
    }
    s_.vx[shot] = s_.vx[body] + level_speed * s_.cos[shot];
    s_.vy[shot] = s_.vy[body] + level_speed * s_.sin[shot];
    s_.present[shot] = 1;
    s_.ends_at[shot - t_.plan.bodies] = s_.header->tick + launcher_.life;
    std::fill_n(closest(free), launcher_.target_list.size(), std::numeric_limits<float>::max());
    report(EventKind::launch, shot, EntityId(shot), launcher_.speed);
  }

 private:
  float elevation() const {
    float share = 0.0f;
    if (launcher_.rise_input != nowhere)
      share = 0.5f + 0.5f * std::clamp(s_.inputs[launcher_.rise_input], -1.0f, 1.0f);
    return s_.pitch[launcher_.body] + launcher_.lowest +
           share * (launcher_.highest - launcher_.lowest);
  }

  float* closest(std::size_t i) const {
    return s_.closest + launcher_.first_closest + i * launcher_.target_list.size();
  }

  void report(EventKind kind, std::size_t shot, EntityId whom, float strength) const {
    t_.events.push_at(shot, kind, EntityId(launcher_.body), whom, strength,
                      static_cast<std::int32_t>(shot));
  }

  void fly_one(std::size_t i) {
    const std::size_t shot = launcher_.first_shot + i;
    if (t_.plan.heights.used) return fly_in_space(i);
    const Vec from{s_.x[shot], s_.y[shot]}, v{s_.vx[shot], s_.vy[shot]};
    const float speed = length(v);
    float way = speed * t_.plan.dt;
    std::int32_t met = -1;
    if (speed > 1e-6f) {
      const Vec d = (1.0f / speed) * v;
      const RayFanQuery ray{.x = from.x,
                            .y = from.y,
                            .direction_x = {&d.x, 1},
                            .direction_y = {&d.y, 1},
                            .reach = way,
                            .thickness = 2.0f * launcher_.radius,
                            .exclude = EntityId(launcher_.body)};
      cast_rays(t_.plan, s_, ray, {&way, 1}, {&met, 1}, CastScope::solids);
      approach(i, from, d, way);
      s_.x[shot] = from.x + way * d.x;
      s_.y[shot] = from.y + way * d.y;
    }
    arrive(i, met, speed);
  }

  void arrive(std::size_t i, std::int32_t met, float speed) {
    const std::size_t shot = launcher_.first_shot + i;
    if (met >= 0) {
      report(EventKind::hit, shot, EntityId::of(met), speed);
      if (static_cast<std::size_t>(met) < t_.plan.bodies)
        strike(static_cast<std::size_t>(met), shot, speed);
    }
    if (met < 0 && s_.header->tick < s_.ends_at[shot - t_.plan.bodies]) return;
    for (std::size_t k = 0; k < launcher_.target_list.size(); ++k)
      if (closest(i)[k] < std::numeric_limits<float>::max() &&
          launcher_.targets.holds(tag_now(t_.plan, s_, launcher_.target_list[k])))
        report(EventKind::pass, shot, EntityId(launcher_.target_list[k]), closest(i)[k]);
    s_.present[shot] = 0;
  }

  void strike(std::size_t body, std::size_t shot, float speed) {
    if (launcher_.push > 0.0f && speed > 0.0f) {
      const float change = launcher_.push * t_.plan.body[body].inverse_mass / speed;
      s_.vx[body] += change * s_.vx[shot];
      s_.vy[body] += change * s_.vy[shot];
      if (t_.plan.heights.used) s_.vz[body] += change * s_.vz[shot];
    }
    affect(t_, body, shot, Dose::once);
  }

  void fly_in_space(std::size_t i) {
    const std::size_t shot = launcher_.first_shot + i;
    s_.vz[shot] -= launcher_.fall;
    const Vec3 from{s_.x[shot], s_.y[shot], s_.z[shot] + launcher_.radius},
        v{s_.vx[shot], s_.vy[shot], s_.vz[shot]};
    const float speed = length(v);
    float way = speed * t_.plan.dt;
    std::int32_t met = -1;
    if (speed > 1e-6f) {
      const Vec3 d = (1.0f / speed) * v;
      const RayFanQuery ray{.x = from.x,
                            .y = from.y,
                            .z = from.z,
                            .direction_x = {&d.x, 1},
                            .direction_y = {&d.y, 1},
                            .direction_z = {&d.z, 1},
                            .reach = way,
                            .thickness = 2.0f * launcher_.radius,
                            .exclude = EntityId(launcher_.body)};
      cast_in_space(t_.plan, s_, ray, {&way, 1}, {&met, 1}, CastScope::solids);
      for (std::size_t k = 0; k < launcher_.target_list.size(); ++k) {
        const std::size_t target = launcher_.target_list[k];
        if (s_.present[target] == 0) continue;
        const float gap = closest_to(target, from, way * d) - launcher_.radius;
        closest(i)[k] = std::min(closest(i)[k], std::max(0.0f, gap));
      }
      const Vec3 to = from + way * d;
      s_.x[shot] = to.x;
      s_.y[shot] = to.y;
      s_.z[shot] = to.z - launcher_.radius;
    }
    arrive(i, met, speed);
  }

  float distance_to(std::size_t target, Vec3 p) const {
    const ArenaPlan& plan = t_.plan;
    if (plan.shapes[target].form == Form::ball)
      return length(p - Vec3{s_.x[target], s_.y[target], s_.z[target] + plan.radius[target]}) -
             plan.radius[target];
    Core point;
    point.corners = 1;
    point.corner[0] = {p.x, p.y};
    const Band band = band_of(plan, s_, target);
    const float beside =
        std::max(0.0f, gap_between(point, core_of(plan.shapes[target], s_.pose(target))).distance);
    const float over = p.z - std::clamp(p.z, band.low, band.high);
    return std::sqrt(beside * beside + over * over);
  }

  // The distance to a convex thing is a convex function along a line: thirds close in on the least.
  float closest_to(std::size_t target, Vec3 from, Vec3 way) const {
    float low = 0.0f, high = 1.0f;
    for (int round = 0; round < 24; ++round) {
      const float a = low + (high - low) / 3.0f, b = high - (high - low) / 3.0f;
      if (distance_to(target, from + a * way) <= distance_to(target, from + b * way)) {
        high = b;
      } else {
        low = a;
      }
    }
    return distance_to(target, from + 0.5f * (low + high) * way);
  }

  // Distance from each target's outline to this tick's stretch of the way, 0 at a hit.
  void approach(std::size_t i, Vec from, Vec d, float way) {
    if (launcher_.target_list.empty()) return;
    const Core track = way > 1e-4f ? core_of_segment(from, from + way * d)
                                   : core_of(ShapeData{}, {.x = from.x, .y = from.y});
    for (std::size_t k = 0; k < launcher_.target_list.size(); ++k) {
      const std::size_t target = launcher_.target_list[k];
      if (s_.present[target] == 0) continue;
      const float gap =
          gap_between(track, core_of(t_.plan.shapes[target], s_.pose(target))).distance -
          launcher_.radius;
      closest(i)[k] = std::min(closest(i)[k], std::max(0.0f, gap));
    }
  }

  const Tick& t_;
  StateArrays& s_;
  const LauncherData& launcher_;
  std::size_t number_;
};

}  // namespace

void fly_shots(const Tick& t) {
  for (std::size_t l = 0; l < t.plan.launchers.size(); ++l) Shots(t, t.plan.launchers[l], l).fly();
}

void launch_shots(const Tick& t) {
  for (std::size_t l = 0; l < t.plan.launchers.size(); ++l)
    Shots(t, t.plan.launchers[l], l).launch();
}

}  // namespace zithercraft::arena_internal
