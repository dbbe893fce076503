#include <algorithm>

#include "arena/physics/physics.hpp"
#include "zithercraft/base/exact.hpp"

namespace zithercraft {
using namespace arena_internal;
namespace {

float clamped(float input) { return std::clamp(input, -1.0f, 1.0f); }

/// A body's velocity in its own frame.
struct OwnFrame {
  StateArrays& s;
  std::size_t i;
  float c, sn, ahead, abeam;
  OwnFrame(StateArrays& state, std::size_t body)
      : s(state),
        i(body),
        c(s.cos[i]),
        sn(s.sin[i]),
        ahead(c * s.vx[i] + sn * s.vy[i]),
        abeam(c * s.vy[i] - sn * s.vx[i]) {}
  void apply() {
    s.vx[i] = c * ahead - sn * abeam;
    s.vy[i] = sn * ahead + c * abeam;
  }
};

void drive(const BoatData& boat, const float* inputs, const Tick& t, std::size_t i) {
  StateArrays& s = t.s;
  const float dt = t.plan.dt;
  const float throttle = clamped(inputs[0]), rudder = clamped(inputs[1]);
  OwnFrame own(s, i);
  const float turn_push = rudder * (boat.rudder_flow * own.ahead + boat.rudder_wash * throttle);
  own.ahead = boat.drag_ahead * own.ahead + boat.thrust * throttle * dt;
  own.abeam = boat.drag_abeam * own.abeam;
  own.apply();
  s.turn[i] = boat.drag_turn * s.turn[i] + turn_push * dt;
}

// Changes the velocity towards the wanted share of `speed`, by at most `step`.
void walk(const float* inputs, float speed, float step, StateArrays& s, std::size_t i) {
  Vec wanted{clamped(inputs[0]), clamped(inputs[1])};
  const float square = dot(wanted, wanted);
  if (square > 1.0f) wanted = (1.0f / std::sqrt(square)) * wanted;
  OwnFrame own(s, i);
  const Vec change = speed * wanted - Vec{own.ahead, own.abeam};
  const float size = length(change);
  const float share = size > step ? step / size : 1.0f;
  own.ahead += share * change.x;
  own.abeam += share * change.y;
  own.apply();
}

void turn_up(const PitchData& data, float input, const Tick& t, std::size_t i) {
  t.s.pitch[i] =
      std::clamp(t.s.pitch[i] + data.rate * clamped(input) * t.plan.dt, -data.limit, data.limit);
}

void drive(const WalkerData& walker, const float* inputs, const Tick& t, std::size_t i) {
  StateArrays& s = t.s;
  s.turn[i] = walker.turn_rate * clamped(inputs[2]);
  if (!t.plan.heights.used) return walk(inputs, walker.speed, walker.step, s, i);
  // What moves underfoot carries it along.
  const Vec along = velocity_underfoot(t, i);
  const bool stands = s.stands_on[i] != 0;
  s.vx[i] -= along.x;
  s.vy[i] -= along.y;
  walk(inputs, walker.speed, stands ? walker.step : walker.in_air * walker.step, s, i);
  s.vx[i] += along.x;
  s.vy[i] += along.y;
  const float* more = inputs + 3;
  if (walker.jump > 0.0f && *more++ > 0.5f && stands) s.vz[i] = walker.jump;
  if (walker.pitch.rate > 0.0f) turn_up(walker.pitch, *more, t, i);
}

void drive(const FlyerData& flyer, const float* inputs, const Tick& t, std::size_t i) {
  StateArrays& s = t.s;
  walk(inputs, flyer.speed, flyer.step, s, i);
  const float change = flyer.climb * clamped(inputs[2]) - s.vz[i];
  s.vz[i] += std::clamp(change, -flyer.step, flyer.step);
  s.turn[i] = flyer.turn_rate * clamped(inputs[3]);
  if (flyer.pitch.rate > 0.0f) turn_up(flyer.pitch, inputs[4], t, i);
}

// The body turns about a point on the line through its rear axle, as far away as the front wheels
// point.
void drive(const CarData& car, const float* inputs, const Tick& t, std::size_t i) {
  StateArrays& s = t.s;
  const float dt = t.plan.dt;
  const float throttle = clamped(inputs[0]), steering = clamped(inputs[1]);
  OwnFrame own(s, i);
  own.ahead *= car.keep;
  own.abeam *= car.keep_side;
  if (throttle * own.ahead < 0.0f) {  // against the motion: brakes, which stop at a standstill
    const float less = car.brakes * std::fabs(throttle) * dt;
    own.ahead =
        own.ahead > 0.0f ? std::max(0.0f, own.ahead - less) : std::min(0.0f, own.ahead + less);
  } else {
    own.ahead += car.engine * throttle * dt;
  }
  own.apply();
  const auto [sin, cos] = exact::sin_cos(static_cast<double>(steering * car.steer));
  s.turn[i] = own.ahead * sin / (cos * car.wheelbase);
}

CarriedPose pose_on_path(const CarriedData& path, const CarriedPose& start, double seconds) {
  double at = seconds - path.length * std::floor(seconds / path.length);
  bool back = false;
  if (!path.closed) {
    const double round = 2.0 * path.length;
    at = seconds - round * std::floor(seconds / round);
    if (at > path.length) {
      at = round - at;
      back = true;
    }
  }
  std::size_t leg = 1;
  while (leg + 1 < path.until.size() && path.until[leg] < at) ++leg;
  const double from = path.until[leg - 1], to = path.until[leg];
  const double share = to > from ? (at - from) / (to - from) : 1.0;
  const Vec a = path.points[leg - 1], b = path.points[leg];
  CarriedPose pose{start.x + static_cast<double>(a.x) + share * static_cast<double>(b.x - a.x),
                   start.y + static_cast<double>(a.y) + share * static_cast<double>(b.y - a.y),
                   start.heading,
                   start.z + static_cast<double>(path.levels[leg - 1]) +
                       share * static_cast<double>(path.levels[leg] - path.levels[leg - 1])};
  if (path.turns) {
    const Vec d = back ? a - b : b - a;
    pose.heading = exact::atan2(static_cast<double>(d.y), static_cast<double>(d.x));
  }
  return pose;
}

}  // namespace

// The velocity leads to the pose at the end of the tick, so that contacts feel it.
void arena_internal::carry_bodies(const Tick& t) {
  StateArrays& s = t.s;
  const double seconds = static_cast<double>(s.header->tick) * t.plan.spec.tick;
  const float per_second = 1.0f / t.plan.dt;
  t.memory.carried_to.resize(t.plan.carried.size());
  for (std::size_t k = 0; k < t.plan.carried.size(); ++k) {
    const CarriedData& carried = t.plan.carried[k];
    const std::size_t i = carried.body;
    const Home& home = s.home[carried.home];
    const CarriedPose start{
        static_cast<double>(home.x), static_cast<double>(home.y), static_cast<double>(home.heading),
        t.plan.heights.used ? static_cast<double>(s.home_z[carried.home]) : 0.0};
    const CarriedPose next =
        carried.code ? carried.code(seconds, start) : pose_on_path(carried, start, seconds);
    const double turned = exact::wrap_angle(next.heading - static_cast<double>(s.heading[i]));
    s.vx[i] = (static_cast<float>(next.x) - s.x[i]) * per_second;
    s.vy[i] = (static_cast<float>(next.y) - s.y[i]) * per_second;
    s.turn[i] = static_cast<float>(turned) * per_second;
    if (t.plan.heights.used) s.vz[i] = (static_cast<float>(next.z) - s.z[i]) * per_second;
    t.memory.carried_to[k] = next;
  }
}

void arena_internal::drive_movers(const Tick& t) {
  for (const MoverData& mover : t.plan.movers) {
    if (t.s.present[mover.body] == 0) continue;
    const float* inputs = t.s.inputs + t.plan.body[mover.body].first_input;
    std::visit([&](const auto& kind) { drive(kind, inputs, t, mover.body); }, mover.kind);
  }
}

}  // namespace zithercraft
