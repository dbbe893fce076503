#include <algorithm>
#include <cmath>

#include "match/fan_reading.hpp"
#include "match/scripts.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/game/seat.hpp"

// A simple script for walkers: towards the target where the course is free. It has no memory, so it
// does not leave dead ends.

namespace zithercraft::match_internal {
namespace {

constexpr float far_sight = 4.0f;      // metres of free way a heading is credited with at most
constexpr float shoulder_room = 0.6f;  // metres to either side of a heading
constexpr float stop_before = 0.9f;    // metres

class Homeward {
 public:
  Homeward(const Game& game, std::size_t r) : rays_(reading(game, r)) {
    const RoleSpec& spec = game.spec().roles[r];
    const Role& role = game.roles()[r];
    compass_ = column_of(role, sense_of<Compass>(spec)->name, "ahead");
    reach_ = static_cast<float>(sense_of<Compass>(spec)->reach);
    ahead_ = dial_of("walk_home", role, "ahead");
    turn_ = dial_of("walk_home", role, "turn");
  }

  void operator()(const SeatView& seat, std::span<float> controls) const {
    const auto see = seat.observation();
    const float bearing = static_cast<float>(
        exact::atan2(static_cast<double>(see[compass_ + 1]), static_cast<double>(see[compass_])));
    const float far = std::min(far_sight, std::max(0.1f, see[compass_ + 2] * reach_));
    const float heading = rays_.clearest(see, bearing, far, far_sight, shoulder_room);
    const float free = rays_.free_way(see, rays_.nearest_ray(0.0f), far_sight);
    controls[turn_] = std::clamp(2.0f * heading, -1.0f, 1.0f);
    controls[ahead_] = free < stop_before ? 0.0f : std::max(0.0f, 1.0f - 1.5f * std::fabs(heading));
  }

 private:
  static FanReading reading(const Game& game, std::size_t r) {
    const RoleSpec& spec = game.spec().roles[r];
    const auto* compass = sense_of<Compass>(spec);
    const auto* fan = sense_of<RayFan>(spec);
    if (compass == nullptr || fan == nullptr || fan->rays < 3)
      lacks("walk_home", game.roles()[r], "a compass and a ray fan of three rays or more");
    return {game.roles()[r], *fan, compass->to};
  }

  FanReading rays_;
  std::size_t compass_ = 0, ahead_ = 0, turn_ = 0;
  float reach_ = 1.0f;
};

}  // namespace

Script::Function walk_home(const Game& game, std::size_t role) { return Homeward(game, role); }

}  // namespace zithercraft::match_internal
