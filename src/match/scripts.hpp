#pragma once

#include <string>
#include <vector>

#include "zithercraft/game/game.hpp"
#include "zithercraft/game/spec.hpp"

namespace zithercraft {

/// A hand-written boat pilot: steers for the compass target along the clearest heading its rays show, slows down where
/// it is narrow and stops when there. Needs a compass, a ray fan that also sees the target, own motion, and dials
/// `throttle` and `rudder`. Throws Error (spec) naming what the role lacks.
Script::Function steer_home(const Game& game, std::size_t role);

/// For steppers: a compass, a window and one choice of moves.
Script::Function step_home(const Game& game, std::size_t role);

/// For the scripts themselves: where a role's observations hold a column, and the error of a role that lacks something.
std::size_t column_of(const Role& role, const std::string& name);
[[noreturn]] void lacks(const std::string& script, const Role& role, const std::string& what);

}  // namespace zithercraft
