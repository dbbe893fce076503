#pragma once

#include <utility>
#include <vector>

#include "arena/generate/generate.hpp"
#include "arena/plan.hpp"

namespace zithercraft {
using namespace arena_internal;

struct ArenaScratch::Memory {
  std::vector<Contact> contacts;
  std::vector<float> push_x, push_y,
      push_turn;           // velocities that only undo overlap and are forgotten after the tick
  std::vector<float> way;  // share of this tick's motion that is free, for swept bodies
  std::vector<CarriedPose> carried_to;  // per carried body: where it is at the end of the tick
  std::vector<Pose> rail_to;            // likewise, per body on a rail
  std::vector<float> approach;  // per entity: fastest approach in this tick, below 0 for no touch
  std::vector<Vec> arm;         // per entity that is touched: from the body's centre to the contact
  std::vector<Core> placed;
  std::vector<std::size_t> placed_entity;
  std::vector<std::uint32_t> candidates;  // cells to place on
  std::vector<std::int32_t> occupant;     // per cell: 1 + the body that stands there
  std::vector<std::int32_t> own, wish;    // per stepper: the cell it is on, and the one it wants
  std::vector<std::uint32_t> contenders;  // per cell: how many want to enter it
  // Per stepper: entity it was stopped by, or one of the marks of steppers.cpp.
  std::vector<std::int32_t> bumped;
  std::vector<std::int32_t>
      piece;  // per stepper: the piece of a tail that it wants to step on, or -1
  std::vector<std::int32_t> pusher;  // per stepper: the stepper that pushes it, -1 for none
  // Steppers whose wish is taken back, and because of whom.
  std::vector<std::pair<std::size_t, std::int32_t>> dropped;
  // In arenas with height:
  std::vector<Vec> from;      // per body: where it was before this tick
  std::vector<float> from_z;  // likewise
  struct Stood {
    std::size_t body, entity;
    float speed;
  };
  // Who landed or stands on what, or hit its head, in this tick; body by body.
  std::vector<Stood> stood;
  std::vector<std::uint32_t> triangles;  // that lie near a body
  std::vector<float> meter_change;       // in this tick
  GeneratorMemory generator;
  std::vector<float> ground;  // what a map view shows of the cells or blocks in it
};

}  // namespace zithercraft
