#pragma once

// A compiled arena: everything that stays the same for all lanes and episodes, in flat arrays.
//
// A state block is: header | per body-or-zone x, y, heading, cos, sin | per body vx, vy, turn_rate | mover inputs |
// touching flags | inside flags. Each array starts on an 8-byte boundary; bodies come before zones in the pose arrays,
// so that an entity's number is also its pose index.

#include <cstdint>
#include <string>
#include <vector>

#include "geometry.hpp"
#include "zithercraft/arena/arena.hpp"

namespace zithercraft {

struct StateHeader {
  std::uint64_t seed = 0;
  std::uint32_t lane = 0, episode = 0;
  std::uint32_t tick = 0, unused = 0;
};

/// Pointers to the arrays of one state block.
struct StateArrays {
  StateHeader* header;
  float *x, *y, *heading, *cos, *sin;
  float *vx, *vy, *turn;
  float* inputs;
  std::uint8_t* touching;  // [free body][entity]
  std::uint8_t* inside;    // [free body][zone]

  Pose pose(std::size_t i) const { return {x[i], y[i], heading[i], cos[i], sin[i]}; }
};

struct BodyData {
  float inverse_mass = 0.0f, inverse_inertia = 0.0f;  // 0 for fixed bodies
  float keep = 1.0f;                                  // share of the speed kept per tick under the body's own drag
  std::int32_t mover = -1;                            // index into movers
  std::size_t first_input = 0;
};

struct BoatData {
  float thrust, drag_ahead, drag_abeam, rudder_flow, rudder_wash, drag_turn;
};

struct MoverData {
  std::size_t body = 0;
  BoatData boat;
};

struct Surface {
  float bounce = 0.0f, grip = 0.0f;
};

struct WallPiece {
  Core core;
  Vec from, to;
  std::size_t entity = 0;
};

struct ArenaPlan {
  ArenaSpec spec;
  std::vector<std::string> tags;
  std::vector<Entity> entities;
  std::size_t bodies = 0, zones = 0;

  float dt = 0.0f;
  std::vector<ShapeData> shapes;  // per body, then per zone
  std::vector<BodyData> body;     // per body
  std::vector<Surface> surface;   // per entity
  std::vector<std::size_t> free_bodies;
  std::vector<MoverData> movers;
  std::vector<std::vector<std::string>> input_names;  // per body
  std::vector<WallPiece> pieces;
  std::vector<std::size_t> placing_order;  // entities to place, in order

  std::vector<StateField> fields;
  std::size_t state_bytes = 0;

  StateArrays arrays(std::byte* state) const;
  const Placement& placement_of(std::size_t entity) const;
  std::string key_path_of(std::size_t entity) const;  // "arena.bodies[0]"
};

ArenaPlan compile_arena(const ArenaSpec& spec);

struct Contact {
  std::size_t a, b;  // entities; b may be a wall
  Vec normal, arm_a, arm_b;
  float depth, approach;
  float normal_mass, tangent_mass, bounce_speed, grip;
  float normal_impulse, tangent_impulse, push_impulse;
};

struct ArenaScratch::Memory {
  std::vector<Contact> contacts;
  std::vector<float> push_x, push_y, push_turn;  // velocities that only undo overlap and are forgotten after the tick
  std::vector<float> approach;                   // per entity: fastest approach in this tick, below 0 for no touch
  std::vector<Core> placed;
};

}  // namespace zithercraft
