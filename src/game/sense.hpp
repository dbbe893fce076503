#pragma once

#include <cstdint>
#include <span>
#include <utility>
#include <vector>

#include "game/plan.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft::game_internal {

/// Memory that one thread senses with.
struct SenseRoom {
  explicit SenseRoom(const GamePlan& plan);

  ArenaScratch scratch;
  std::vector<float> ray_x, ray_y, ray_z, ray_distance;
  std::vector<EntityId> ray_entity;
  std::vector<TagSet> cells;
  std::vector<float> pixels;
  std::vector<float> shades;                       // of a camera, where tags change
  std::vector<std::uint8_t> bytes;                 // of a picture that a custom game hands over
  std::vector<float> told;                         // what a custom game writes of one seat
  std::vector<std::pair<float, EntityId>> others;  // of a crowd: distance and entity
  std::vector<std::uint64_t> order;                // of these
};

/// What a seat's senses need beside the arena: the controls given last, and columns kept of earlier
/// steps.
struct SeatMemory {
  std::span<const float> given;
  std::span<const float> kept;
  const CustomGame* custom = nullptr;  // none: an arena is sensed
  std::size_t role = 0;                // the seat's
  const std::byte* block = nullptr;    // of the lane
};

/// Who of a crowd is in reach of a seat, the nearest first, in `others` of the room; returns how
/// many are listed.
std::size_t list_crowd(const CrowdPlan& crowd, const SeatView& seat, SenseRoom& room);

/// Casts the seat's fan for some tags; the directions stay in the room.
void cast_fan(const FanPlan& fan, const GamePlan& plan, const SeatView& seat, TagSet tags,
              SenseRoom& room);

/// Draws what a camera sees: all its pixels before cropping.
void take_picture(const CameraPlan& camera, const GamePlan& plan, const SeatView& seat,
                  SenseRoom& room, std::span<float> pixels);

/// Writes everything the seat senses into `row`. Throws Error (numbers) naming the column if a
/// value is not finite.
void sense_seat(const GamePlan& plan, const RolePlan& role, const SeatView& seat,
                const SeatMemory& memory, SenseRoom& room, std::span<float> row);

/// Noise and drop-out of a part, for the step the seat is at.
void disturb(const SensePart& part, std::size_t number, const SeatView& seat, std::span<float> row);
/// Before a step: moves what is sensed now into the kept columns.
void keep_columns(const RolePlan& role, std::span<const float> row, std::span<float> kept);
/// At an episode's beginning: as if what is sensed now had been sensed before.
void fill_kept_columns(const RolePlan& role, std::span<const float> row, std::span<float> kept);

}  // namespace zithercraft::game_internal
