#include "sense.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

void sense(const FanPlan& fan, const GamePlan& plan, const SeatView& seat, const RayRoom& room, std::span<float> row) {
  cast_fan(fan, plan, seat, room);
  float* out = row.data() + fan.first_column;
  const float inverse_reach = 1.0f / fan.reach;
  for (std::size_t i = 0; i < fan.rays; ++i, out += fan.flags + 1) {
    std::fill_n(out, fan.flags, 0.0f);
    if (const auto hit = room.entity[i]; hit >= 0)
      out[static_cast<std::size_t>(fan.flag_of[static_cast<std::size_t>(hit)])] = 1.0f;
    out[fan.flags] = room.distance[i] * inverse_reach;
  }
}

void sense(const CompassPlan& compass, const GamePlan&, const SeatView& seat, const RayRoom&, std::span<float> row) {
  const Bearing to = seat.nearest(compass.tag);
  float* out = row.data() + compass.first_column;
  out[0] = to.ahead;
  out[1] = to.left;
  out[2] = std::min(1.0f, to.distance * compass.inverse_reach);
}

void sense(const OwnMotionPlan& own, const GamePlan&, const SeatView& seat, const RayRoom&, std::span<float> row) {
  const Pose pose = seat.pose();
  const Velocity v = seat.velocity();
  float* out = row.data() + own.first_column;
  out[0] = std::clamp((pose.cos * v.x + pose.sin * v.y) * own.inverse_top_speed, -1.0f, 1.0f);
  out[1] = std::clamp((pose.cos * v.y - pose.sin * v.x) * own.inverse_top_speed, -1.0f, 1.0f);
  out[2] = std::clamp(v.turn * own.inverse_top_turn_rate, -1.0f, 1.0f);
}

}  // namespace

void cast_fan(const FanPlan& fan, const GamePlan& plan, const SeatView& seat, const RayRoom& room) {
  const Pose pose = seat.pose();
  for (std::size_t i = 0; i < fan.rays; ++i) {
    room.x[i] = pose.cos * fan.cos[i] - pose.sin * fan.sin[i];
    room.y[i] = pose.sin * fan.cos[i] + pose.cos * fan.sin[i];
  }
  const RayFanQuery rays{.x = pose.x,
                         .y = pose.y,
                         .direction_x = room.x.first(fan.rays),
                         .direction_y = room.y.first(fan.rays),
                         .reach = fan.reach,
                         .thickness = fan.thickness,
                         .tags = fan.tags,
                         .exclude = static_cast<std::int32_t>(seat.body())};
  plan.arena.cast(seat.arena_state(), rays, room.distance.first(fan.rays), room.entity.first(fan.rays));
}

void sense_seat(const GamePlan& plan, const RolePlan& role, const SeatView& seat, const RayRoom& room,
                std::span<float> row) {
  for (const SensePlan& part : role.senses)
    std::visit([&](const auto& kind) { sense(kind, plan, seat, room, row); }, part);
  for (std::size_t i = 0; i < row.size(); ++i)
    if (!std::isfinite(row[i]))
      throw Error(Fault::numbers, "the column '" + seat.role().columns[i].name + "' is not a finite number",
                  "role '" + seat.role().name + "'", "look for forces or speeds without bound in the game");
}

}  // namespace zithercraft
