#include "zithercraft/game/custom_rules.hpp"

#include "game/plan.hpp"
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
  return static_cast<double>(lanes_.given(role, lane_ * lanes_.seats(role) + seat)[control]);
}

std::byte* RuleView::arena_state() const { return lanes_.arena_state(lane_); }

void RuleView::end(Verdict verdict) const { lanes_.end(lane_, verdict); }

}  // namespace zithercraft
