#include "zithercraft/game/rules.hpp"

#include <algorithm>

#include "game/plan.hpp"
#include "game/rules.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/game/lanes.hpp"

namespace zithercraft {
using namespace game_internal;

void check_memory(std::size_t asked, std::size_t kept) {
  if (asked > kept)
    throw Error(ErrorKind::usage,
                "a struct of " + std::to_string(asked) +
                    " bytes is asked for, and the rule keeps " + std::to_string(kept),
                "a rule's memory", "call RuleSpec::keep with the same type");
}

EpisodeKey RuleView::episode() const { return lanes_.key(lane_); }

RandomStream RuleView::random() const {
  const EpisodeKey key = episode();
  return {derived_seed(key.seed, "own rule"), key.lane, key.episode, Purpose::user};
}

double RuleView::tick_seconds() const { return lanes_.game_of(lane_).spec().arena.tick; }

double RuleView::control(std::size_t control, std::size_t role, std::size_t seat) const {
  const Game& game = lanes_.game();
  const auto refuse = [](const std::string& what, std::size_t number, const std::string& of,
                         std::size_t count) {
    throw Error(ErrorKind::usage,
                "a rule asks for " + what + " " + std::to_string(number) + " of " + of +
                    ", which has " + std::to_string(count) + ", counted from 0",
                "RuleView::control", "ask for one that is there");
  };
  if (role >= game.roles().size()) refuse("role", role, "the game", game.roles().size());
  const std::string& name = game.roles()[role].name;
  if (seat >= lanes_.seats(role))
    refuse("seat", seat, "the role '" + name + "'", lanes_.seats(role));
  const auto given = lanes_.given(role, lane_ * lanes_.seats(role) + seat);
  const std::size_t controls = game.roles()[role].controls.size();
  if (control >= controls) refuse("control", control, "the role '" + name + "'", controls);
  return static_cast<double>(given[control]);
}

std::byte* RuleView::arena_state() const { return lanes_.arena_state(lane_); }

ArenaView RuleView::view() const { return lanes_.view(lane_); }

std::span<const Event> RuleView::events() const {
  return lanes_.events(lane_).subspan(moment_.first_event);
}

void RuleView::emit(std::string_view event, EntityId who, EntityId whom, float strength) const {
  const auto& told = lanes_.game_of(lane_).plan().told;
  const auto found = std::find(told.begin(), told.end(), event);
  if (found == told.end())
    throw Error(ErrorKind::usage, "no rule lists the event '" + std::string(event) + "'",
                "RuleView::emit", "name it in the rule's `emits`");
  tell(lanes_.rule_lane(lane_, moment_), static_cast<std::int32_t>(found - told.begin()), who, whom,
       strength);
}

void RuleView::change_meter(EntityId body, std::string_view meter, double by) const {
  const RuleLane lane = lanes_.rule_lane(lane_, moment_);
  const Arena& arena = lane.game.arena;
  arena.add_to_meter(lane.block, arena.meter_number(body, meter), static_cast<float>(by),
                     lane.scratch, lane.events);
}

bool RuleView::place_again(EntityId posed) const {
  const RuleLane lane = lanes_.rule_lane(lane_, moment_);
  return lane.game.arena.place_again(lane.block, posed, lane.scratch, lane.events);
}

void RuleView::end(Verdict verdict) const {
  if (verdict != Verdict::none) finish_as(lanes_.rule_lane(lane_, moment_), verdict);
}

void RuleView::cut_off() const { finish_as(lanes_.rule_lane(lane_, moment_), Verdict::none); }

}  // namespace zithercraft
