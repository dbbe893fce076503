#pragma once

// One tick, in parts by subject. Each part is a function of plan and state; they run in the order
// of `step_physics`.

#include "arena/physics/sink.hpp"
#include "arena/plan.hpp"
#include "arena/scratch.hpp"

namespace zithercraft::arena_internal {

struct Tick {
  const ArenaPlan& plan;
  StateArrays& s;
  ArenaScratch::Memory& memory;
  EventSink& events;
};

void step_physics(const Tick& tick);

// movers.cpp: what bodies want
void carry_bodies(const Tick& tick);
void drive_movers(const Tick& tick);
// standing.cpp: gravity, and what bodies stand on
void pull_down(const Tick& tick);
void settle_bodies(const Tick& tick);
/// How the thing under a body's foot moves.
Vec velocity_underfoot(const Tick& tick, std::size_t body);
// wanderers.cpp
inline bool is_hostile(const WandererData& wanderer, const WanderState& state) {
  return wanderer.hostile != ((state.leg & WanderState::switched) != 0);
}
void guide_wanderers(const Tick& tick);
// contacts.cpp: what bodies do to each other
void solve_contacts(const Tick& tick);
// sweep.cpp: how far fast bodies get before they meet something
void sweep_bodies(const Tick& tick);
// steppers.cpp
void move_steppers(const Tick& tick);
// meetings.cpp: touches, zones, items and cells, and what they do
void report_touches(const Tick& tick);
void report_zones(const Tick& tick);
void collect_items(const Tick& tick);
void feel_cells(const Tick& tick);
void feel_blocks(const Tick& tick);
// launchers.cpp
void fly_shots(const Tick& tick);
void launch_shots(const Tick& tick);
// digging.cpp
void dig_and_place(const Tick& tick);
// life.cpp: meters, death and return
enum class Dose { once, lasting };
/// What `source` does to a body that meets it.
void affect(const Tick& tick, std::size_t body, std::size_t source, Dose dose);
void kill(const Tick& tick, std::size_t body, EntityId killer);
/// All changes of a tick come together, so that a drain and a gain at once do not report a bound
/// again and again.
void change_meter(const Tick& tick, std::size_t meter, float by);
/// Takes something out of the arena, at rest.
void take_out(const ArenaPlan& plan, StateArrays& state, std::size_t posed);
/// Something that is where it belongs is in the arena again, with its meters as at the beginning.
void report_back(const ArenaPlan& plan, StateArrays& state, std::size_t posed, EventSink& events);
void run_meters(const Tick& tick);
void bring_back(const Tick& tick);

}  // namespace zithercraft::arena_internal
