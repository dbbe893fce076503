#include <algorithm>
#include <cmath>

#include "scripts.hpp"
#include "zithercraft/game/seat.hpp"

// A simple pilot for walkers that shove something: round it to its far side, then against it towards its goal. It knows
// where things are without seeing them.

namespace zithercraft {
namespace {

constexpr float standing_room = 6.0f;  // metres behind the thing from where to shove
constexpr float wide_berth = 5.0f;     // metres beside it to go round it
constexpr float beside_each_other = 1.2f;

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
    ahead_ = choice_of(role, "ahead", {"astern", "stop", "ahead"});
    aside_ = choice_of(role, "aside", {"starboard", "straight", "port"});
    turn_ = choice_of(role, "turn", {"right", "hold", "left"});
  }

  void operator()(const SeatView& seat, std::span<float> controls) const {
    const Bearing thing = seat.nearest(thing_), goal = seat.nearest(goal_);
    if (thing.entity < 0 || goal.entity < 0 || !seat.present()) return rest(controls);
    // In the seat's own frame: where the thing is, and which way it has to go.
    const Spot at = spot(thing), aim = spot(goal);
    const float way = std::max(0.1f, std::hypot(aim.ahead - at.ahead, aim.left - at.left));
    const Spot on{(aim.ahead - at.ahead) / way, (aim.left - at.left) / way}, across{-on.left, on.ahead};
    const float behind = at.ahead * on.ahead + at.left * on.left,
                beside = -(at.ahead * across.ahead + at.left * across.left);
    const float own_lane = (seat.number() % 2 == 0 ? 0.5f : -0.5f) * beside_each_other;
    float along = 2.0f, over = own_lane;  // of the thing, from where it is: through it
    if (behind < 1.5f) {
      along = -standing_room;
      over = std::fabs(beside) < wide_berth && behind > -standing_room ? std::copysign(wide_berth, beside) : beside;
    } else if (std::fabs(beside - own_lane) > 1.0f) {
      along = -standing_room;
    }
    go({at.ahead + along * on.ahead + over * across.ahead, at.left + along * on.left + over * across.left}, controls);
  }

 private:
  struct Spot {
    float ahead, left;
  };
  struct Choice {
    std::size_t control = 0;
    float back = 0.0f, middle = 1.0f, forth = 2.0f;  // option numbers
  };

  static Spot spot(const Bearing& b) { return {b.distance * b.ahead, b.distance * b.left}; }

  static Choice choice_of(const Role& role, const std::string& name, const std::vector<std::string>& options) {
    for (std::size_t c = 0; c < role.controls.size(); ++c)
      if (role.controls[c].name == name && role.controls[c].options == options) return {c};
    lacks("shove_home", role, "a choice '" + name + "' of " + options[0] + ", " + options[1] + " and " + options[2]);
  }

  void rest(std::span<float> controls) const {
    for (const Choice& choice : {ahead_, aside_, turn_}) controls[choice.control] = choice.middle;
  }

  void go(Spot to, std::span<float> controls) const {
    const float far = std::max(0.1f, std::hypot(to.ahead, to.left));
    const auto set = [&](const Choice& choice, float share, float least) {
      controls[choice.control] = share > least ? choice.forth : share < -least ? choice.back : choice.middle;
    };
    set(ahead_, to.ahead / far, 0.3f);
    set(aside_, to.left / far, 0.3f);
    set(turn_, to.ahead < 0.0f ? std::copysign(1.0f, to.left) : to.left / far, 0.15f);
  }

  std::string thing_, goal_;
  Choice ahead_, aside_, turn_;
};

}  // namespace

Script::Function shove_home(const Game& game, std::size_t role) { return Shover(game, role); }

}  // namespace zithercraft
