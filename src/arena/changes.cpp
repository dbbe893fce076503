// What rules change between two ticks.

#include <algorithm>
#include <vector>

#include "arena/generate/placement.hpp"
#include "arena/physics/physics.hpp"
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
  EventSink sink(events, EventMask::everything());
  change_meter({plan, s, *scratch.memory_, sink}, meter, by);
}

void Arena::take_out(std::byte* state, EntityId posed) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  StateArrays s = plan.arrays(state);
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
  if (s.present[i] != 0) return true;
  if (in_tail(posed)) return false;
  if (i < plan.bodies && !is_free_for(plan, s, i, s.pose(i))) return false;
  EventSink sink(events, EventMask::everything());
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
  EventSink sink(events, EventMask::everything());
  report_back(plan, s, i, sink);
  return true;
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
