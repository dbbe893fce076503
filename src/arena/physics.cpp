#include "physics.hpp"

#include <algorithm>
#include <utility>

#include "zithercraft/base/exact.hpp"

// Sequential impulses with split push-out: E. Catto, "Iterative dynamics with temporal coherence" (2005), solved in the
// plane. Everything is float arithmetic in a fixed order.

namespace zithercraft {
namespace {

constexpr int solver_rounds = 10;
constexpr float allowed_overlap = 0.005f;  // metres left alone, so that resting contacts keep touching
constexpr float push_share = 0.2f;         // share of the overlap undone per tick
constexpr float bounce_from = 0.5f;        // m/s of approach below which nothing bounces

void drive(const MoverData& mover, const BodyData& body, StateArrays& s, float dt) {
  const std::size_t i = mover.body;
  const BoatData& boat = mover.boat;
  const float throttle = std::clamp(s.inputs[body.first_input], -1.0f, 1.0f);
  const float rudder = std::clamp(s.inputs[body.first_input + 1], -1.0f, 1.0f);
  const float c = s.cos[i], sn = s.sin[i];
  float ahead = c * s.vx[i] + sn * s.vy[i];
  float abeam = c * s.vy[i] - sn * s.vx[i];
  const float turn_push = rudder * (boat.rudder_flow * ahead + boat.rudder_wash * throttle);
  ahead = boat.drag_ahead * ahead + boat.thrust * throttle * dt;
  abeam = boat.drag_abeam * abeam;
  s.vx[i] = c * ahead - sn * abeam;
  s.vy[i] = sn * ahead + c * abeam;
  s.turn[i] = boat.drag_turn * s.turn[i] + turn_push * dt;
}

// Velocity arrays seen through a choice of "real" or "push" velocities; fixed things stand still.
struct Motions {
  float *x, *y, *turn;
};

Vec velocity_at(const Motions& m, const ArenaPlan& plan, std::size_t entity, Vec arm) {
  if (entity >= plan.bodies) return {};
  return {m.x[entity] - m.turn[entity] * arm.y, m.y[entity] + m.turn[entity] * arm.x};
}

void apply(const Motions& m, const ArenaPlan& plan, const Contact& c, Vec impulse) {
  const auto push = [&](std::size_t entity, Vec arm, float sign) {
    if (entity >= plan.bodies) return;
    const BodyData& body = plan.body[entity];
    m.x[entity] += sign * body.inverse_mass * impulse.x;
    m.y[entity] += sign * body.inverse_mass * impulse.y;
    m.turn[entity] += sign * body.inverse_inertia * cross(arm, impulse);
  };
  push(c.a, c.arm_a, -1.0f);
  push(c.b, c.arm_b, 1.0f);
}

float inverse_mass_along(const ArenaPlan& plan, std::size_t entity, Vec arm, Vec direction) {
  if (entity >= plan.bodies) return 0.0f;
  const float lever = cross(arm, direction);
  return plan.body[entity].inverse_mass + plan.body[entity].inverse_inertia * lever * lever;
}

class ContactSolver {
 public:
  ContactSolver(const ArenaPlan& plan, StateArrays& s, ArenaScratch::Memory& memory)
      : plan_(plan),
        s_(s),
        contacts_(memory.contacts),
        real_{s.vx, s.vy, s.turn},
        push_{memory.push_x.data(), memory.push_y.data(), memory.push_turn.data()} {}

  void find() {
    contacts_.clear();
    for (const std::size_t a : plan_.free_bodies) {
      core_ready_ = false;
      for (std::size_t b = 0; b < plan_.bodies; ++b)
        if (b != a && (b > a || !plan_.entities[b].free)) meet_body(a, b);
      for (const WallPiece& piece : plan_.pieces) meet_wall(a, piece);
    }
  }

  void solve() {
    if (contacts_.empty()) return;
    for (int round = 0; round < solver_rounds; ++round)
      for (Contact& c : contacts_) {
        solve_normal(c);
        solve_tangent(c);
        solve_overlap(c);
      }
  }

 private:
  const Core& core(std::size_t a) {
    if (!core_ready_) core_ = core_of(plan_.shapes[a], s_.pose(a));
    core_ready_ = true;
    return core_;
  }

  void meet_body(std::size_t a, std::size_t b) {
    const float reach = plan_.shapes[a].bound + plan_.shapes[b].bound;
    const Vec d{s_.x[b] - s_.x[a], s_.y[b] - s_.y[a]};
    if (dot(d, d) > reach * reach) return;
    Manifold manifold;
    if (collide(core(a), core_of(plan_.shapes[b], s_.pose(b)), manifold)) add(a, b, {s_.x[b], s_.y[b]}, manifold);
  }

  void meet_wall(std::size_t a, const WallPiece& piece) {
    const float reach = plan_.shapes[a].bound;
    const float x = s_.x[a], y = s_.y[a];
    if (x + reach < std::min(piece.from.x, piece.to.x) || x - reach > std::max(piece.from.x, piece.to.x) ||
        y + reach < std::min(piece.from.y, piece.to.y) || y - reach > std::max(piece.from.y, piece.to.y))
      return;
    Manifold manifold;
    if (collide(core(a), piece.core, manifold)) add(a, piece.entity, {}, manifold);
  }

  void add(std::size_t a, std::size_t b, Vec centre_b, const Manifold& manifold) {
    const Surface &on_a = plan_.surface[a], &on_b = plan_.surface[b];
    for (std::size_t p = 0; p < manifold.points; ++p) {
      Contact c{};
      c.a = a;
      c.b = b;
      c.normal = manifold.normal;
      c.arm_a = manifold.point[p] - Vec{s_.x[a], s_.y[a]};
      c.arm_b = manifold.point[p] - centre_b;
      c.depth = manifold.depth[p];
      const Vec tangent{-c.normal.y, c.normal.x};
      const auto mass = [&](Vec direction) {
        return 1.0f /
               (inverse_mass_along(plan_, a, c.arm_a, direction) + inverse_mass_along(plan_, b, c.arm_b, direction));
      };
      c.normal_mass = mass(c.normal);
      c.tangent_mass = mass(tangent);
      c.approach = -dot(relative(real_, c), c.normal);
      c.bounce_speed = c.approach > bounce_from ? std::max(on_a.bounce, on_b.bounce) * c.approach : 0.0f;
      c.grip = std::sqrt(on_a.grip * on_b.grip);
      contacts_.push_back(c);
    }
  }

  Vec relative(const Motions& m, const Contact& c) const {
    return velocity_at(m, plan_, c.b, c.arm_b) - velocity_at(m, plan_, c.a, c.arm_a);
  }

  void solve_normal(Contact& c) {
    const float wanted = c.normal_impulse + c.normal_mass * (c.bounce_speed - dot(relative(real_, c), c.normal));
    const float total = std::max(0.0f, wanted);
    apply(real_, plan_, c, (total - std::exchange(c.normal_impulse, total)) * c.normal);
  }

  void solve_tangent(Contact& c) {
    const Vec tangent{-c.normal.y, c.normal.x};
    const float most = c.grip * c.normal_impulse;
    const float wanted = c.tangent_impulse - c.tangent_mass * dot(relative(real_, c), tangent);
    const float total = std::clamp(wanted, -most, most);
    apply(real_, plan_, c, (total - std::exchange(c.tangent_impulse, total)) * tangent);
  }

  void solve_overlap(Contact& c) {
    const float speed = push_share / plan_.dt * std::max(0.0f, c.depth - allowed_overlap);
    const float wanted = c.push_impulse + c.normal_mass * (speed - dot(relative(push_, c), c.normal));
    const float total = std::max(0.0f, wanted);
    apply(push_, plan_, c, (total - std::exchange(c.push_impulse, total)) * c.normal);
  }

  const ArenaPlan& plan_;
  StateArrays& s_;
  std::vector<Contact>& contacts_;
  Motions real_, push_;
  Core core_;
  bool core_ready_ = false;
};

void move(const ArenaPlan& plan, StateArrays& s, const ArenaScratch::Memory& memory, std::size_t i) {
  s.x[i] += (s.vx[i] + memory.push_x[i]) * plan.dt;
  s.y[i] += (s.vy[i] + memory.push_y[i]) * plan.dt;
  const float turned = (s.turn[i] + memory.push_turn[i]) * plan.dt;
  if (turned == 0.0f) return;
  const double heading = exact::wrap_angle(static_cast<double>(s.heading[i]) + static_cast<double>(turned));
  const auto [sin, cos] = exact::sin_cos(heading);
  s.heading[i] = static_cast<float>(heading);
  s.cos[i] = cos;
  s.sin[i] = sin;
}

// Compares who touches whom now with the flags of the tick before.
void report_touches(const ArenaPlan& plan, StateArrays& s, ArenaScratch::Memory& memory, std::vector<Event>& events) {
  const std::size_t entities = plan.entities.size();
  for (std::size_t f = 0; f < plan.free_bodies.size(); ++f) {
    const std::size_t body = plan.free_bodies[f];
    std::uint8_t* flags = s.touching + f * entities;
    bool any = false;
    for (const Contact& c : memory.contacts) {
      if (c.a != body) continue;
      if (!any) std::fill(memory.approach.begin(), memory.approach.end(), -1.0f);
      any = true;
      memory.approach[c.b] = std::max({memory.approach[c.b], 0.0f, c.approach});
    }
    for (std::size_t e = 0; e < entities; ++e) {
      const bool now = any && memory.approach[e] >= 0.0f;
      if (now == (flags[e] != 0)) continue;
      flags[e] = now ? 1 : 0;
      events.push_back({s.header->tick, now ? EventKind::touch : EventKind::part, static_cast<std::int32_t>(body),
                        static_cast<std::int32_t>(e), s.x[body], s.y[body], now ? memory.approach[e] : 0.0f});
    }
  }
}

void report_zones(const ArenaPlan& plan, StateArrays& s, std::vector<Event>& events) {
  for (std::size_t f = 0; f < plan.free_bodies.size(); ++f) {
    const std::size_t body = plan.free_bodies[f];
    for (std::size_t z = 0; z < plan.zones; ++z) {
      const std::size_t entity = plan.bodies + z;
      std::uint8_t& flag = s.inside[f * plan.zones + z];
      const bool now = contains(plan.shapes[entity], s.pose(entity), {s.x[body], s.y[body]});
      if (now == (flag != 0)) continue;
      flag = now ? 1 : 0;
      events.push_back({s.header->tick, now ? EventKind::enter : EventKind::leave, static_cast<std::int32_t>(body),
                        static_cast<std::int32_t>(entity), s.x[body], s.y[body], 0.0f});
    }
  }
}

}  // namespace

void step_physics(const ArenaPlan& plan, StateArrays& s, ArenaScratch::Memory& memory, std::vector<Event>& events) {
  ++s.header->tick;
  memory.push_x.assign(plan.bodies, 0.0f);
  memory.push_y.assign(plan.bodies, 0.0f);
  memory.push_turn.assign(plan.bodies, 0.0f);
  memory.approach.resize(plan.entities.size());
  for (const std::size_t i : plan.free_bodies) {
    s.vx[i] *= plan.body[i].keep;
    s.vy[i] *= plan.body[i].keep;
    s.turn[i] *= plan.body[i].keep;
  }
  for (const MoverData& mover : plan.movers) drive(mover, plan.body[mover.body], s, plan.dt);
  ContactSolver solver(plan, s, memory);
  solver.find();
  solver.solve();
  for (const std::size_t i : plan.free_bodies) move(plan, s, memory, i);
  report_touches(plan, s, memory, events);
  report_zones(plan, s, events);
}

}  // namespace zithercraft
