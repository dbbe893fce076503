#pragma once

#include <span>
#include <vector>

#include "plan.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {

/// Room for the rays of one fan and the cells of one window.
struct RayRoom {
  std::span<float> x, y, z, distance;
  std::span<std::int32_t> entity;
  std::span<std::uint64_t> cells{};
};

/// Casts the seat's fan; the directions stay in the room.
void cast_fan(const FanPlan& fan, const GamePlan& plan, const SeatView& seat, const RayRoom& room);

/// Writes everything the seat senses into `row`. Throws Error (numbers) naming the column if a value is not finite.
void sense_seat(const GamePlan& plan, const RolePlan& role, const SeatView& seat, const RayRoom& room,
                std::span<float> row);

}  // namespace zithercraft
