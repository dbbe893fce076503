#include "zithercraft/game/custom_rules.hpp"

#include "game/plan.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/game/lanes.hpp"

namespace zithercraft {
using namespace game_internal;

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

void RuleView::end(Verdict verdict) const { lanes_.end(lane_, verdict); }

}  // namespace zithercraft
