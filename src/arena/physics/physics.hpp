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
// rails.cpp: what slides along a line or an arc
void ride_rails(const Tick& tick);
/// Where `ride_rails` said.
void arrive_on_rails(const Tick& tick);
/// Metres from the rail's beginning to the point of it that is nearest.
float along_rail(const RailData& rail, Vec at);
Pose pose_on_rail(const RailData& rail, float along);
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
// tails.cpp: what follows a leader's path
void lay_tails(const Tick& tick);
/// How many pieces there are to be.
std::size_t wanted_pieces(const StateArrays& state, const TailData& tail);
/// Whether the next move draws out another piece.
bool grows(const ArenaPlan& plan, const StateArrays& state, const TailData& tail);
/// Pieces beyond those that are wanted are gone.
void shorten_tail(const ArenaPlan& plan, StateArrays& state, const TailData& tail);
/// A piece and all behind it are gone; the leader's meter says so.
void cut_tail(const ArenaPlan& plan, StateArrays& state, std::size_t piece);
/// The leader begins its path where it is.
void roll_up_tails(const ArenaPlan& plan, StateArrays& state, std::size_t leader);
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
/// A free body goes ahead as fast as one that begins.
void set_off(const ArenaPlan& plan, StateArrays& state, std::size_t body);
/// Something that is where it belongs is in the arena again, with its meters as at the beginning.
void report_back(const ArenaPlan& plan, StateArrays& state, std::size_t posed, EventSink& events);
void run_meters(const Tick& tick);
void bring_back(const Tick& tick);

}  // namespace zithercraft::arena_internal
