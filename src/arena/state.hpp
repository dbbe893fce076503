#pragma once

// A lane's state: one block of bytes. Each array starts on an 8-byte boundary.

#include <cstddef>
#include <cstdint>

#include "zithercraft/arena/arena.hpp"

namespace zithercraft::arena_internal {

struct StateHeader {
  std::uint64_t seed = 0;
  std::uint32_t lane = 0, episode = 0;
  std::uint32_t tick = 0, variant = 0;
};

struct DigState {
  std::uint32_t target = 0;    // 1 + the block that is worked on
  float work = 0.0f;           // done on it so far
  std::uint32_t ready_at = 0;  // tick from which a block can be placed
  std::uint32_t steep = 0;     // blocks dug steeply one after the other
};

struct WanderState {
  static constexpr std::uint32_t switched = 0x80000000u;  // it is hostile if the spec says not
  std::uint32_t leg = 0;                                  // of the route, and that bit
  float east = 0.0f, north = 0.0f;  // where a roaming one is going: a direction
};

struct TailState {
  std::uint32_t out = 0;                // pieces that follow now
  std::uint32_t knots = 0, newest = 0;  // of the leader's path
};

struct CausewayState {
  std::uint32_t made = 0;       // stones so far
  std::uint32_t platforms = 0;  // so far
  std::uint32_t left = 0;       // stones still to come of the newest platform
  std::uint32_t newest = 0;     // which of the stones was set up last
};

/// A point of a leader's path.
struct Knot {
  float x = 0.0f, y = 0.0f, z = 0.0f;
};

/// Where each array begins, in bytes from the block's start.
struct StateOffsets {
  std::size_t x = 0, y = 0, heading = 0, cos = 0, sin = 0, present = 0, back_at = 0, home = 0;
  std::size_t z = 0, vz = 0, pitch = 0, stands_on = 0, home_z = 0;
  std::size_t vx = 0, vy = 0, turn = 0, inputs = 0, meters = 0, ready_at = 0, ends_at = 0,
              closest = 0;
  std::size_t tails = 0, path = 0, causeway = 0, platform = 0, opened = 0, tag_now = 0;
  std::size_t wander = 0, gate = 0, touching = 0, inside = 0, on_cell = 0, cells = 0;
  std::size_t digging = 0, in_block = 0, block_mark = 0, block_top = 0, changed = 0, blocks = 0;
};

struct Home {
  float x = 0.0f, y = 0.0f, heading = 0.0f;
};

/// Pointers to the arrays of one state block.
struct StateArrays {
  StateArrays(std::byte* state, const StateOffsets& at)
      : header(reinterpret_cast<StateHeader*>(state)),
        x(in<float>(state, at.x)),
        y(in<float>(state, at.y)),
        heading(in<float>(state, at.heading)),
        cos(in<float>(state, at.cos)),
        sin(in<float>(state, at.sin)),
        z(in<float>(state, at.z)),
        vz(in<float>(state, at.vz)),
        pitch(in<float>(state, at.pitch)),
        stands_on(in<std::uint32_t>(state, at.stands_on)),
        home_z(in<float>(state, at.home_z)),
        present(in<std::uint8_t>(state, at.present)),
        back_at(in<std::uint32_t>(state, at.back_at)),
        home(in<Home>(state, at.home)),
        vx(in<float>(state, at.vx)),
        vy(in<float>(state, at.vy)),
        turn(in<float>(state, at.turn)),
        inputs(in<float>(state, at.inputs)),
        meters(in<float>(state, at.meters)),
        ready_at(in<std::uint32_t>(state, at.ready_at)),
        ends_at(in<std::uint32_t>(state, at.ends_at)),
        closest(in<float>(state, at.closest)),
        tails(in<TailState>(state, at.tails)),
        path(in<Knot>(state, at.path)),
        causeway(in<CausewayState>(state, at.causeway)),
        platform(in<std::uint32_t>(state, at.platform)),
        opened(in<std::uint8_t>(state, at.opened)),
        tag_now(in<std::uint8_t>(state, at.tag_now)),
        wander(in<WanderState>(state, at.wander)),
        gate(in<std::int32_t>(state, at.gate)),
        touching(in<std::uint8_t>(state, at.touching)),
        inside(in<std::uint8_t>(state, at.inside)),
        on_cell(in<std::uint32_t>(state, at.on_cell)),
        cells(in<std::uint8_t>(state, at.cells)),
        digging(in<DigState>(state, at.digging)),
        in_block(in<std::uint8_t>(state, at.in_block)),
        block_mark(in<std::uint64_t>(state, at.block_mark)),
        block_top(in<std::uint32_t>(state, at.block_top)),
        changed(in<std::uint64_t>(state, at.changed)),
        blocks(in<std::uint8_t>(state, at.blocks)) {}

  StateHeader* header;
  float *x, *y, *heading, *cos, *sin;  // [posed]
  // In arenas with height only:
  float* z;                  // [posed] metres, of the foot
  float* vz;                 // [bodies, shots]
  float* pitch;              // [bodies] radians above the level
  std::uint32_t* stands_on;  // [bodies] 1 + entity, 0 for nothing
  float* home_z;             // [homes]
  std::uint8_t* present;     // [posed] 0: it is not in the arena now
  std::uint32_t* back_at;    // [posed] tick at which it returns; 0 for never
  Home* home;                // [homes]
  float *vx, *vy, *turn;     // [bodies, shots]
  float* inputs;
  float* meters;
  std::uint32_t* ready_at;  // [launchers] tick from which it can launch
  std::uint32_t* ends_at;   // [shots] tick at which it ends by itself
  float* closest;           // [launcher's shots][its targets] metres
  TailState* tails;         // [tails]
  Knot* path;               // [tails][knots], a ring each
  CausewayState* causeway;  // [causeways]
  std::uint32_t* platform;  // [stones of causeways] which one begins with it, from 1; 0 for none
  std::uint8_t* opened;     // [walls] 1: it is out, where some can be
  std::uint8_t* tag_now;    // [bodies] where some can bear others than their own
  WanderState* wander;      // [wanderers]
  std::int32_t* gate;       // [gates of rivers] its number counted from the beginning of the river
  std::uint8_t* touching;   // [free bodies][entities]
  std::uint8_t* inside;     // [active bodies][zones]
  std::uint32_t* on_cell;   // [active bodies] 1 + the cell its centre was on; 0 for none
  std::uint8_t* cells;      // [layers][rows][columns] kind number, 0 for none
  DigState* digging;        // [diggers]
  std::uint8_t* in_block;   // [active bodies] kind of the block its middle was in
  // Blocks come last, and beginning an episode writes of them only what has changed.
  std::uint64_t* block_mark;  // [1] of the layout they began as
  std::uint32_t* block_top;   // [1] no block lies at or above this layer
  std::uint64_t* changed;     // a bit for each 64 blocks: something in them has changed
  std::uint8_t* blocks;       // [layers][rows][columns] kind number, 0 for none

  Pose pose(std::size_t i) const { return {x[i], y[i], heading[i], cos[i], sin[i]}; }

 private:
  template <class T>
  static T* in(std::byte* state, std::size_t offset) {
    return reinterpret_cast<T*>(state + offset);
  }
};

}  // namespace zithercraft::arena_internal
