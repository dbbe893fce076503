#include <algorithm>

#include "scripts.hpp"
#include "zithercraft/game/seat.hpp"

// The simplest of divers: looks down and digs, whatever lies there.

namespace zithercraft {
namespace {

class ShaftDigger {
 public:
  explicit ShaftDigger(const Role& role) {
    find(role, "down");
    find(role, "dig");
  }

  void operator()(const SeatView&, std::span<float> controls) const {
    std::fill(controls.begin(), controls.end(), 0.0f);
    for (const auto& [control, option] : decided_) controls[control] = static_cast<float>(option);
  }

 private:
  void find(const Role& role, const char* option) {
    for (std::size_t c = 0; c < role.controls.size(); ++c) {
      const auto& names = role.controls[c].options;
      const auto at = std::find(names.begin(), names.end(), option);
      if (at == names.end()) continue;
      decided_.emplace_back(c, static_cast<std::size_t>(at - names.begin()));
      return;
    }
    lacks("dig_down", role, std::string("a choice with the option ") + option);
  }

  std::vector<std::pair<std::size_t, std::size_t>> decided_;
};

}  // namespace

Script::Function dig_down(const Game& game, std::size_t role) { return ShaftDigger(game.roles()[role]); }

}  // namespace zithercraft
