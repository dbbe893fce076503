#include <algorithm>
#include <array>
#include <cmath>

#include "match/fan_reading.hpp"
#include "match/scripts.hpp"
#include "zithercraft/game/seat.hpp"

// A simple script for rivers with gates: it goes where the upper fan sees the longest free course;
// what only the lower fan sees is low enough to be leapt over.

namespace zithercraft::match_internal {
namespace {

constexpr float look_ahead = 18.0f;   // metres of free way a heading is credited with at most
constexpr float hull_room = 1.3f;     // metres to either side of a heading
constexpr float leap_before = 2.8f;   // metres to what is leapt over
constexpr float straight_on = 0.10f;  // radians within which no rudder is given

class Raftsman {
 public:
  Raftsman(const Game& game, std::size_t r) : Raftsman(game.roles()[r], fans_of(game, r)) {}

  void operator()(const SeatView& seat, std::span<float> controls) const {
    const auto see = seat.observation();
    const float heading = low_.clearest(see, 0.0f, look_ahead, look_ahead, hull_room);
    const float low = low_.free_way(see, low_.nearest_ray(0.0f), look_ahead);
    const float high = high_.free_way(see, high_.nearest_ray(0.0f), look_ahead);
    std::size_t option = on;
    if (low < leap_before && high > low + 1.5f) {
      option = leap;
    } else if (std::fabs(heading) > straight_on) {
      option = heading > 0.0f ? left : right;
    }
    controls[choice_] = static_cast<float>(options_[option]);
  }

 private:
  enum : std::size_t { on, left, right, leap };

  Raftsman(const Role& role, std::array<const RayFan*, 2> fans)
      : low_(role, *fans[0]), high_(role, *fans[1]) {
    constexpr std::array<const char*, 4> wanted{"on", "left", "right", "leap"};
    for (std::size_t c = 0; c < role.controls.size(); ++c) {
      const auto& names = role.controls[c].options;
      std::size_t found = 0;
      for (std::size_t k = 0; k < wanted.size(); ++k) {
        const auto at = std::find(names.begin(), names.end(), wanted[k]);
        options_[k] = static_cast<std::size_t>(at - names.begin());
        if (at != names.end()) ++found;
      }
      choice_ = c;
      if (found == wanted.size()) return;
    }
    lacks("run_gates", role, "a choice with the options on, left, right and leap");
  }

  static std::array<const RayFan*, 2> fans_of(const Game& game, std::size_t r) {
    std::array<const RayFan*, 2> fans{};
    std::size_t found = 0;
    for (const Sense& sense : game.spec().roles[r].senses)
      if (const auto* fan = std::get_if<RayFan>(&sense); fan != nullptr && found < 2)
        fans[found++] = fan;
    if (found < 2) lacks("run_gates", game.roles()[r], "two ray fans, the lower first");
    return fans;
  }

  FanReading low_, high_;
  std::array<std::size_t, 4> options_{};
  std::size_t choice_ = 0;
};

}  // namespace

Script::Function run_gates(const Game& game, std::size_t role) { return Raftsman(game, role); }

}  // namespace zithercraft::match_internal
