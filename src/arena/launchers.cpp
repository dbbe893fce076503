#include <algorithm>
#include <limits>

#include "cast.hpp"
#include "physics.hpp"
#include "placement.hpp"
#include "zithercraft/base/exact.hpp"

namespace zithercraft {
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
    if (s_.present[launcher_.body] == 0 || !(fire > 0.5f) || s_.header->tick < s_.ready_at[number_]) return;
    std::size_t free = 0;
    while (free < launcher_.shots && s_.present[launcher_.first_shot + free] != 0) ++free;
    if (free == launcher_.shots) return;
    s_.ready_at[number_] = s_.header->tick + launcher_.reload;
    const std::size_t shot = launcher_.first_shot + free, body = launcher_.body;
    double bearing = static_cast<double>(s_.heading[body]);
    if (launcher_.bearing_input != nowhere)
      bearing += static_cast<double>(launcher_.swing * std::clamp(s_.inputs[launcher_.bearing_input], -1.0f, 1.0f));
    set_pose(s_, shot, s_.x[body], s_.y[body], bearing);
    s_.vx[shot] = s_.vx[body] + launcher_.speed * s_.cos[shot];
    s_.vy[shot] = s_.vy[body] + launcher_.speed * s_.sin[shot];
    s_.present[shot] = 1;
    s_.ends_at[shot - t_.plan.bodies] = s_.header->tick + launcher_.life;
    std::fill_n(closest(free), launcher_.target_list.size(), std::numeric_limits<float>::max());
    report(EventKind::launch, shot, static_cast<std::int32_t>(shot), launcher_.speed);
  }

 private:
  float* closest(std::size_t i) const {
    return s_.closest + launcher_.first_closest + i * launcher_.target_list.size();
  }

  void report(EventKind kind, std::size_t shot, std::int32_t whom, float strength) const {
    t_.events.push({s_.header->tick, kind, static_cast<std::int32_t>(launcher_.body), whom, s_.x[shot], s_.y[shot],
                    strength, static_cast<std::int32_t>(shot)});
  }

  void fly_one(std::size_t i) {
    const std::size_t shot = launcher_.first_shot + i;
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
                            .exclude = static_cast<std::int32_t>(launcher_.body)};
      cast_rays(t_.plan, s_, ray, {&way, 1}, {&met, 1}, CastScope::solids);
      approach(i, from, d, way);
      s_.x[shot] = from.x + way * d.x;
      s_.y[shot] = from.y + way * d.y;
    }
    if (met >= 0) {
      report(EventKind::hit, shot, met, speed);
      if (static_cast<std::size_t>(met) < t_.plan.bodies) affect(t_, static_cast<std::size_t>(met), shot, Dose::once);
    }
    if (met < 0 && s_.header->tick < s_.ends_at[shot - t_.plan.bodies]) return;
    for (std::size_t k = 0; k < launcher_.target_list.size(); ++k)
      if (closest(i)[k] < std::numeric_limits<float>::max())
        report(EventKind::pass, shot, static_cast<std::int32_t>(launcher_.target_list[k]), closest(i)[k]);
    s_.present[shot] = 0;
  }

  // Distance from each target's outline to this tick's stretch of the way, 0 at a hit.
  void approach(std::size_t i, Vec from, Vec d, float way) {
    if (launcher_.target_list.empty()) return;
    const Core track =
        way > 1e-4f ? core_of_segment(from, from + way * d) : core_of(ShapeData{}, {.x = from.x, .y = from.y});
    for (std::size_t k = 0; k < launcher_.target_list.size(); ++k) {
      const std::size_t target = launcher_.target_list[k];
      if (s_.present[target] == 0) continue;
      const float gap =
          gap_between(track, core_of(t_.plan.shapes[target], s_.pose(target))).distance - launcher_.radius;
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
  for (std::size_t l = 0; l < t.plan.launchers.size(); ++l) Shots(t, t.plan.launchers[l], l).launch();
}

}  // namespace zithercraft
