#include "sense.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"

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
  const Bearing to = compass.paired ? seat.paired(compass.tag) : seat.nearest(compass.tag);
  float* out = row.data() + compass.first_column;
  if (to.entity < 0) {  // nothing to point at: no direction, as far as can be
    out[0] = out[1] = 0.0f;
    out[2] = 1.0f;
    if (compass.high) out[3] = 0.0f;
    return;
  }
  if (compass.high) out[3] = to.up;
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
  if (!own.high) return;
  constexpr float per_right_angle = 0.6366197723675814f;
  out[3] = std::clamp(v.z * own.inverse_top_speed, -1.0f, 1.0f);
  out[4] = pose.look * per_right_angle;
  out[5] = seat.game().arena().stands_on(seat.arena_state(), seat.body()) >= 0 ? 1.0f : 0.0f;
}

void sense(const GaugesPlan& gauges, const GamePlan&, const SeatView& seat, const RayRoom&, std::span<float> row) {
  const auto& numbers = gauges.numbers[seat.number()];
  for (std::size_t i = 0; i < numbers.size(); ++i) {
    const float value = seat.game().arena().meter(seat.arena_state(), numbers[i]);
    row[gauges.first_column + i] = (value - gauges.low[i]) * gauges.inverse_range[i];
  }
}

void sense(const WindowPlan& window, const GamePlan& plan, const SeatView& seat, const RayRoom& room,
           std::span<float> row) {
  const auto cells = room.cells.first(window.cells());
  plan.arena.window(seat.arena_state(), seat.body(), window.ahead, window.behind, window.left, window.right,
                    window.beyond, cells);
  float* out = row.data() + window.first_column;
  for (const std::uint64_t cell : cells)
    for (const std::size_t tag : window.tags) *out++ = static_cast<float>((cell >> tag) & 1u);
}

}  // namespace

void cast_fan(const FanPlan& fan, const GamePlan& plan, const SeatView& seat, const RayRoom& room) {
  const Pose pose = seat.pose();
  if (fan.up.empty()) {
    for (std::size_t i = 0; i < fan.rays; ++i) {
      room.x[i] = pose.cos * fan.cos[i] - pose.sin * fan.sin[i];
      room.y[i] = pose.sin * fan.cos[i] + pose.cos * fan.sin[i];
    }
  } else {
    const auto [sin, cos] = exact::sin_cos(fan.looks ? static_cast<double>(pose.look) : 0.0);
    for (std::size_t i = 0; i < fan.rays; ++i) {
      const float ahead = fan.cos[i] * cos - fan.up[i] * sin;
      room.x[i] = pose.cos * ahead - pose.sin * fan.sin[i];
      room.y[i] = pose.sin * ahead + pose.cos * fan.sin[i];
      room.z[i] = fan.cos[i] * sin + fan.up[i] * cos;
    }
  }
  const RayFanQuery rays{.x = pose.x,
                         .y = pose.y,
                         .z = pose.z + fan.eye,
                         .direction_x = room.x.first(fan.rays),
                         .direction_y = room.y.first(fan.rays),
                         .direction_z = room.z.first(fan.up.size()),
                         .reach = fan.reach,
                         .thickness = fan.thickness,
                         .tags = fan.tags,
                         .exclude = static_cast<std::int32_t>(seat.body()),
                         .exclude_side = fan.own_side ? -1 : plan.arena.side_of(seat.body())};
  plan.arena.cast(seat.arena_state(), rays, room.distance.first(fan.rays), room.entity.first(fan.rays));
}

void sense_seat(const GamePlan& plan, const RolePlan& role, const SeatView& seat, const RayRoom& room,
                std::span<float> row) {
  if (!seat.present()) {  // who has left the arena senses nothing
    std::fill(row.begin(), row.end(), 0.0f);
    return;
  }
  for (const SensePlan& part : role.senses)
    std::visit([&](const auto& kind) { sense(kind, plan, seat, room, row); }, part);
  for (std::size_t i = 0; i < row.size(); ++i)
    if (!std::isfinite(row[i]))
      throw Error(Fault::numbers, "the column '" + seat.role().columns[i].name + "' is not a finite number",
                  "role '" + seat.role().name + "'", "look for forces or speeds without bound in the game");
}

}  // namespace zithercraft
