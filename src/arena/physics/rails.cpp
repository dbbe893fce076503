#include <algorithm>

#include "arena/generate/placement.hpp"
#include "arena/physics/physics.hpp"
#include "zithercraft/base/exact.hpp"

// Where a body is on its rail follows from its pose, so that whatever puts it elsewhere needs to
// know nothing of rails.

namespace zithercraft::arena_internal {
namespace {

// The way towards the end of the rail, of length 1.
Vec direction_at(const RailData& rail, const Pose& pose) {
  if (!rail.arc) return (1.0f / rail.length) * (rail.to - rail.from);
  return {pose.sin, -pose.cos};  // it heads to the centre
}

}  // namespace

float along_rail(const RailData& rail, Vec at) {
  if (!rail.arc)
    return std::clamp(dot(at - rail.from, (1.0f / rail.length) * (rail.to - rail.from)), 0.0f,
                      rail.length);
  const Vec out = at - rail.centre;
  double angle = exact::atan2(static_cast<double>(out.y), static_cast<double>(out.x)) - rail.begins;
  angle -= 2.0 * exact::pi * std::floor(angle / (2.0 * exact::pi));
  const float along = static_cast<float>(angle) * rail.radius;
  if (along <= rail.length) return along;
  // Beside the rail: the nearer end of it.
  const float round = static_cast<float>(2.0 * exact::pi) * rail.radius;
  return along - rail.length < round - along ? rail.length : 0.0f;
}

Pose pose_on_rail(const RailData& rail, float along) {
  Pose pose;
  double heading = 0.0;
  if (rail.arc) {
    const double angle = rail.begins + static_cast<double>(along / rail.radius);
    const auto [sin, cos] = exact::sin_cos(angle);
    pose.x = rail.centre.x + rail.radius * cos;
    pose.y = rail.centre.y + rail.radius * sin;
    heading = angle + exact::pi;
  } else {
    const Vec way = rail.to - rail.from, at = rail.from + (along / rail.length) * way;
    pose.x = at.x;
    pose.y = at.y;
    heading = exact::atan2(static_cast<double>(way.x), static_cast<double>(-way.y));
  }
  heading = exact::wrap_angle(heading);
  const auto [sin, cos] = exact::sin_cos(heading);
  pose.heading = static_cast<float>(heading);
  pose.sin = sin;
  pose.cos = cos;
  return pose;
}

// The velocity leads to the pose at the end of the tick, so that contacts feel it.
void ride_rails(const Tick& t) {
  StateArrays& s = t.s;
  const float dt = t.plan.dt, per_second = 1.0f / dt;
  t.memory.rail_to.resize(t.plan.rails.size());
  for (std::size_t k = 0; k < t.plan.rails.size(); ++k) {
    const RailData& rail = t.plan.rails[k];
    const std::size_t i = rail.body;
    if (s.present[i] == 0) continue;
    const float input = std::clamp(s.inputs[t.plan.body[i].first_input], -1.0f, 1.0f);
    float speed = dot({s.vx[i], s.vy[i]}, direction_at(rail, s.pose(i)));
    speed += std::clamp(rail.speed * input - speed, -rail.step, rail.step);
    const float along = along_rail(rail, {s.x[i], s.y[i]}) + speed * dt;
    const Pose to = pose_on_rail(rail, std::clamp(along, 0.0f, rail.length));
    s.vx[i] = per_second * (to.x - s.x[i]);
    s.vy[i] = per_second * (to.y - s.y[i]);
    s.turn[i] =
        per_second * static_cast<float>(exact::wrap_angle(static_cast<double>(to.heading) -
                                                          static_cast<double>(s.heading[i])));
    t.memory.rail_to[k] = to;
  }
}

void arrive_on_rails(const Tick& t) {
  for (std::size_t k = 0; k < t.plan.rails.size(); ++k) {
    const std::size_t i = t.plan.rails[k].body;
    const Pose& to = t.memory.rail_to[k];
    if (t.s.present[i] == 0) continue;
    t.s.x[i] = to.x;
    t.s.y[i] = to.y;
    t.s.heading[i] = to.heading;
    t.s.cos[i] = to.cos;
    t.s.sin[i] = to.sin;
  }
}

}  // namespace zithercraft::arena_internal
