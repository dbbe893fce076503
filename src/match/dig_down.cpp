#include <algorithm>
#include <numbers>

#include "match/scripts.hpp"
#include "zithercraft/game/seat.hpp"

// A simple diver: looks down and turns round while it digs, so that the ground under all of it
// goes, and it sinks.

namespace zithercraft::match_internal {
namespace {

// Looks past its feet, not between them.
constexpr float steep_enough = -70.0f * std::numbers::pi_v<float> / 180.0f;

class ShaftDigger {
 public:
  explicit ShaftDigger(const Role& role)
      : down_(find(role, "down")), left_(find(role, "left")), dig_(find(role, "dig")) {}

  void operator()(const SeatView& seat, std::span<float> controls) const {
    std::fill(controls.begin(), controls.end(), 0.0f);
    if (seat.pose().pitch > steep_enough) decide(down_, controls);
    decide(left_, controls);
    decide(dig_, controls);
  }

 private:
  struct Option {
    std::size_t control = 0, number = 0;
  };
  static void decide(const Option& option, std::span<float> controls) {
    controls[option.control] = static_cast<float>(option.number);
  }
  static Option find(const Role& role, const char* name) {
    for (std::size_t c = 0; c < role.controls.size(); ++c) {
      const auto& names = role.controls[c].options;
      const auto at = std::find(names.begin(), names.end(), name);
      if (at != names.end()) return {c, static_cast<std::size_t>(at - names.begin())};
    }
    lacks("dig_down", role, std::string("a choice with the option ") + name);
  }

  Option down_, left_, dig_;
};

}  // namespace

Script::Function dig_down(const Game& game, std::size_t role) {
  return ShaftDigger(game.roles()[role]);
}

}  // namespace zithercraft::match_internal
