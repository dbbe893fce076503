#include "arena/physics/physics.hpp"

#include <algorithm>

#include "arena/generate/placement.hpp"
#include "arena/physics/causeway.hpp"
#include "arena/physics/river.hpp"
#include "zithercraft/base/exact.hpp"

namespace zithercraft::arena_internal {
namespace {

void limit_speed(const Tick& t, std::size_t i) {
  const float top = t.plan.body[i].top_speed;
  const float square = t.s.vx[i] * t.s.vx[i] + t.s.vy[i] * t.s.vy[i];
  if (const float constant = t.plan.body[i].constant_speed; constant > 0.0f) {
    constexpr float stands = 1e-6f;  // m/s: there is no way that it goes
    const float size = std::sqrt(square);
    const bool moves = size > stands;
    t.s.vx[i] = constant * (moves ? t.s.vx[i] / size : t.s.cos[i]);
    t.s.vy[i] = constant * (moves ? t.s.vy[i] / size : t.s.sin[i]);
    return;
  }
  if (top == 0.0f || square <= top * top) return;
  const float share = top / std::sqrt(square);
  t.s.vx[i] *= share;
  t.s.vy[i] *= share;
}

// Drags and movers work on the velocity through the water. Without a current nothing is adrift.
void add_current(const Tick& t, float share) {
  for (const std::size_t i : t.plan.adrift) {
    t.s.vx[i] += share * t.plan.current.x;
    t.s.vy[i] += share * t.plan.current.y;
  }
}

void move(const Tick& t, std::size_t i) {
  StateArrays& s = t.s;
  const float dt = t.plan.dt, way = t.memory.way[i];
  s.x[i] += (s.vx[i] * way + t.memory.push_x[i]) * dt;
  s.y[i] += (s.vy[i] * way + t.memory.push_y[i]) * dt;
  const float turned = (s.turn[i] + t.memory.push_turn[i]) * dt;
  if (turned == 0.0f) return;
  const double heading =
      exact::wrap_angle(static_cast<double>(s.heading[i]) + static_cast<double>(turned));
  const auto [sin, cos] = exact::sin_cos(heading);
  s.heading[i] = static_cast<float>(heading);
  s.cos[i] = cos;
  s.sin[i] = sin;
}

}  // namespace

void step_physics(const Tick& t) {
  const ArenaPlan& plan = t.plan;
  StateArrays& s = t.s;
  ++s.header->tick;
  t.memory.push_x.assign(plan.bodies, 0.0f);
  t.memory.push_y.assign(plan.bodies, 0.0f);
  t.memory.push_turn.assign(plan.bodies, 0.0f);
  t.memory.way.assign(plan.bodies, 1.0f);
  t.memory.meter_change.assign(plan.meters.size(), 0.0f);
  add_current(t, -1.0f);
  for (const std::size_t i : plan.free_bodies) {
    s.vx[i] *= plan.body[i].keep;
    s.vy[i] *= plan.body[i].keep;
    s.turn[i] *= plan.body[i].keep;
  }
  pull_down(t);
  carry_bodies(t);
  ride_rails(t);
  guide_wanderers(t);
  drive_movers(t);
  add_current(t, 1.0f);
  solve_contacts(t);
  for (const std::size_t i : plan.free_bodies) limit_speed(t, i);
  sweep_bodies(t);
  for (const std::size_t i : plan.free_bodies)
    if (s.present[i] != 0) move(t, i);
  for (std::size_t k = 0; k < plan.carried.size(); ++k) {
    const CarriedPose& to = t.memory.carried_to[k];
    set_pose(s, plan.carried[k].body, static_cast<float>(to.x), static_cast<float>(to.y),
             to.heading);
    if (plan.heights.used) s.z[plan.carried[k].body] = static_cast<float>(to.z);
  }
  arrive_on_rails(t);
  settle_bodies(t);
  move_steppers(t);
  lay_tails(t);
  report_touches(t);
  report_zones(t);
  collect_items(t);
  feel_cells(t);
  feel_blocks(t);
  fly_shots(t);
  launch_shots(t);
  dig_and_place(t);
  run_meters(t);
  bring_back(t);
  flow_rivers(plan, s, t.events);
  extend_causeways(plan, s, t.events);
}

}  // namespace zithercraft::arena_internal
