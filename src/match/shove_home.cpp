#include <algorithm>
#include <cmath>

#include "match/scripts.hpp"
#include "zithercraft/game/seat.hpp"

// A simple script for boats that shove something: round it to its far side, then against it towards
// its goal. It knows where things are without seeing them.

namespace zithercraft::match_internal {
namespace {

constexpr float run_up = 6.0f;      // metres behind the thing from where to shove
constexpr float wide_berth = 5.5f;  // metres beside it on the way round
constexpr float abreast = 1.8f;     // metres between the courses of neighbours that shove together

class Shover {
 public:
  Shover(const Game& game, std::size_t r) {
    const Role& role = game.roles()[r];
    for (const Term& term : game.spec().roles[r].rewards)
      if (term.progress && !term.progress->of.empty() && goal_.empty()) {
        thing_ = term.progress->of;
        goal_ = term.progress->to;
      }
    if (goal_.empty()) lacks("shove_home", role, "a progress term `of` what it shoves");
    throttle_ = dial_of("shove_home", role, "throttle");
    rudder_ = dial_of("shove_home", role, "rudder");
    middle_seat_ = 0.5f * static_cast<float>(role.seats.size() - 1);
  }

  void operator()(const SeatView& seat, std::span<float> controls) const {
    std::fill(controls.begin(), controls.end(), 0.0f);
    const Bearing thing = seat.nearest(thing_), goal = seat.nearest(goal_);
    if (thing.entity < 0 || goal.entity < 0 || !seat.present()) return;
    // In the seat's own frame: where the thing is, and which way it has to go.
    const Spot at = spot(thing), aim = spot(goal);
    const float far = std::max(0.1f, std::hypot(aim.ahead - at.ahead, aim.left - at.left));
    const Spot on{(aim.ahead - at.ahead) / far, (aim.left - at.left) / far},
        across{-on.left, on.ahead};
    const float behind = at.ahead * on.ahead + at.left * on.left,
                beside = -(at.ahead * across.ahead + at.left * across.left);
    const float own_course = (static_cast<float>(seat.number()) - middle_seat_) * abreast;
    float along = 2.0f, over = own_course;  // of the thing, from where it is: through it
    if (behind < 1.5f) {
      along = -run_up;
      over = std::fabs(beside) < wide_berth && behind > -run_up ? std::copysign(wide_berth, beside)
                                                                : beside;
    } else if (std::fabs(beside - own_course) > 1.5f) {
      along = -run_up;
    }
    steer({at.ahead + along * on.ahead + over * across.ahead,
           at.left + along * on.left + over * across.left},
          seat.velocity().turn, controls);
  }

 private:
  struct Spot {
    float ahead, left;
  };

  static Spot spot(const Bearing& b) { return {b.distance * b.ahead, b.distance * b.left}; }

  // A boat cannot go sideways: what lies abeam or astern is turned to first, with the propeller's
  // wash on the rudder.
  void steer(Spot to, float turn_rate, std::span<float> controls) const {
    const float bearing = std::atan2(to.left, to.ahead);
    controls[rudder_] = std::clamp(2.0f * bearing - 0.8f * turn_rate, -1.0f, 1.0f);
    controls[throttle_] = std::max(0.4f, std::cos(bearing));
  }

  std::string thing_, goal_;
  std::size_t throttle_ = 0, rudder_ = 0;
  float middle_seat_ = 0.0f;
};

}  // namespace

Script::Function shove_home(const Game& game, std::size_t role) { return Shover(game, role); }

}  // namespace zithercraft::match_internal
