#include <algorithm>

#include "match/scripts.hpp"
#include "zithercraft/game/seat.hpp"

// A simple script for bats: it keeps abreast of a ball, as late and as idle as its limits say.

namespace zithercraft::match_internal {
namespace {

constexpr float full_from = 1.2f;  // metres beside the ball from which on it does all it may

class Follower {
 public:
  Follower(const Game& game, std::size_t r) {
    const RoleSpec& spec = game.spec().roles[r];
    const Role& role = game.roles()[r];
    for (const Sense& sense : spec.senses)
      if (const auto* compass = std::get_if<Compass>(&sense); compass != nullptr && to_.empty())
        to_ = compass->to;
    if (to_.empty()) lacks("follow", role, "a compass to what it follows");
    along_ = dial_of("follow", role, "along");
    delay_ = static_cast<float>(spec.script_limits.delay);
    effort_ = static_cast<float>(spec.script_limits.effort);
  }

  void operator()(const SeatView& seat, std::span<float> controls) const {
    std::fill(controls.begin(), controls.end(), 0.0f);
    const Bearing to = seat.nearest(to_);
    if (!to.entity || !seat.present()) return;
    const Pose own = seat.pose(), there = seat.view().pose(to.entity);
    const Velocity v = seat.game().arena().bodies().holds(to.entity)
                           ? seat.view().velocity(to.entity)
                           : Velocity{};
    // Where it was when it was seen. The rail runs to the right of where the bat looks.
    const float x = there.x - delay_ * v.x - own.x, y = there.y - delay_ * v.y - own.y;
    const float right = own.sin * x - own.cos * y;
    controls[along_] = effort_ * std::clamp(right / full_from, -1.0f, 1.0f);
  }

 private:
  std::string to_;
  std::size_t along_ = 0;
  float delay_ = 0.0f, effort_ = 1.0f;
};

}  // namespace

Script::Function follow(const Game& game, std::size_t role) { return Follower(game, role); }

}  // namespace zithercraft::match_internal
