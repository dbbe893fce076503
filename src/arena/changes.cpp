// What rules change between two ticks.

#include <algorithm>
#include <vector>

#include "arena/generate/placement.hpp"
#include "arena/geometry.hpp"
#include "arena/physics/physics.hpp"
#include "arena/physics/standing.hpp"
#include "arena/scratch.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft {
using namespace arena_internal;

void Arena::add_to_meter(std::byte* state, std::size_t meter, float by, ArenaScratch& scratch,
                         std::vector<Event>& events) const {
  const ArenaPlan& plan = plan_of(state);
  StateArrays s = plan.arrays(state);
  EventSink sink(plan, s, events, EventMask::everything());
  change_meter({plan, s, *scratch.memory_, sink}, meter, by);
}

Event Arena::event_at(const std::byte* state, EntityId posed, EventKind kind, EntityId who,
                      EntityId whom, float strength, std::int32_t detail) const {
  const ArenaPlan& plan = plan_of(state);
  const StateArrays s = reading_of(plan, state);
  if (posed)
    return arena_internal::event_at(plan, s, posed.index(), kind, who, whom, strength, detail);
  return {.tick = s.header->tick,
          .kind = kind,
          .who = who,
          .whom = whom,
          .strength = strength,
          .detail = detail};
}

namespace {

// Puts a wall back, unless a body stands in its place.
bool close(const ArenaPlan& plan, StateArrays& s, std::size_t wall) {
  for (const WallPiece& piece : plan.pieces) {
    if (piece.entity != wall) continue;
    for (std::size_t b = 0; b < plan.bodies; ++b)
      if (s.present[b] != 0 && overlap(band_of(plan, s, b), {piece.low, piece.high}) &&
          gap_between(piece.core, core_of(plan.shapes[b], s.pose(b))).distance <= 0.0f)
        return false;
  }
  s.opened[wall - plan.first_wall] = 0;
  return true;
}

}  // namespace

void Arena::take_out(std::byte* state, EntityId posed) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  StateArrays s = plan.arrays(state);
  if (opens(posed)) {
    s.opened[posed.index() - plan.first_wall] = 1;
    return;
  }
  if (in_tail(posed) && s.present[posed.index()] != 0) {
    cut_tail(plan, s, posed.index());
    return;
  }
  arena_internal::take_out(plan, s, posed.index());
  s.back_at[posed.index()] = 0;
}

bool Arena::bring_back(std::byte* state, EntityId posed, std::vector<Event>& events) const {
  const std::size_t i = posed.index();
  const ArenaPlan& plan = plan_of(state);
  StateArrays s = plan.arrays(state);
  if (present(state, posed)) return true;
  if (opens(posed)) return close(plan, s, i);
  if (in_tail(posed)) return false;
  if (i < plan.bodies && !is_free_for(plan, s, i, s.pose(i))) return false;
  EventSink sink(plan, s, events, EventMask::everything());
  report_back(plan, s, i, sink);
  return true;
}

bool Arena::place_again(std::byte* state, EntityId posed, ArenaScratch& scratch,
                        std::vector<Event>& events) const {
  const std::size_t i = posed.index();
  const ArenaPlan& plan = plan_of(state);
  StateArrays s = plan.arrays(state);
  if (in_tail(posed)) return false;
  RandomStream random(s.header->seed, s.header->lane, s.header->episode, Purpose::come_back);
  random.jump(s.header->tick, static_cast<std::uint32_t>(i));
  if (!arena_internal::place_again(plan, s, i, random, *scratch.memory_)) return false;
  const bool was_there = s.present[i] != 0;
  arena_internal::take_out(plan, s, i);  // at rest, and in no zone yet
  s.present[i] = 1;
  if (was_there) {
    set_off(plan, s, i);
    return true;
  }
  EventSink sink(plan, s, events, EventMask::everything());
  report_back(plan, s, i, sink);
  return true;
}

void Arena::give_tag(std::byte* state, EntityId body, std::size_t tag) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  plan.arrays(state).tag_now[body.index()] = static_cast<std::uint8_t>(tag);
}

namespace {

// The number of a body among wanderers, or `nowhere`.
std::size_t wanderer_number(const ArenaPlan& plan, EntityId body) {
  const auto found = std::find_if(plan.wanderers.begin(), plan.wanderers.end(),
                                  [&](const WandererData& w) { return w.body == body.index(); });
  return found == plan.wanderers.end() ? nowhere
                                       : static_cast<std::size_t>(found - plan.wanderers.begin());
}

}  // namespace

bool Arena::hostile(const std::byte* state, EntityId body) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  const std::size_t number = wanderer_number(plan, body);
  return number != nowhere &&
         is_hostile(plan.wanderers[number], reading_of(plan, state).wander[number]);
}

void Arena::set_hostile(std::byte* state, EntityId body, bool hostile) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  const std::size_t number = wanderer_number(plan, body);
  if (number == nowhere) return;
  WanderState& own = plan.arrays(state).wander[number];
  own.leg &= ~WanderState::switched;
  if (hostile != plan.wanderers[number].hostile) own.leg |= WanderState::switched;
}

std::uint32_t Arena::phase_number(std::string_view name, const std::string& where) const {
  std::vector<std::string> known;
  for (const Phase& phase : plans_->spec.phases) {
    known.push_back(phase.name);
    if (phase.name == name) return static_cast<std::uint32_t>(known.size());
  }
  if (name.empty()) return 0;
  throw Error(ErrorKind::spec, "the arena has no phase '" + std::string(name) + "'", where,
              known.empty() ? "give it `phases`" : advice(name, known));
}

std::uint32_t Arena::phase(const std::byte* state) const noexcept {
  return reinterpret_cast<const StateHeader*>(state)->variant % plans_->phases;
}

void Arena::enter_phase(std::byte* state, std::uint32_t phase) const noexcept {
  std::uint32_t& variant = reinterpret_cast<StateHeader*>(state)->variant;
  variant = variant - variant % plans_->phases + phase;
}

void Arena::turn_cells(std::byte* state, EntityId from, EntityId into) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  const CellPlan& cells = plan.cells;
  const auto kind = [&](EntityId id) {
    return id ? static_cast<std::uint8_t>(id.index() - cells.first_kind + 1) : std::uint8_t{0};
  };
  std::uint8_t* const all = plan.arrays(state).cells;
  std::replace(all, all + cells.layers * cells.cells(), kind(from), kind(into));
}

}  // namespace zithercraft
