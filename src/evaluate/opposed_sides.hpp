#pragma once

#include <string>
#include <vector>

#include "zithercraft/game/game.hpp"

namespace zithercraft::evaluate_internal {

/// The two sides that are opposed in a game. Throws Error (refused) if there are not two;
/// `for_what` needs them: "a match".
std::vector<std::string> opposed_sides(const Game& game, const std::string& for_what);

}  // namespace zithercraft::evaluate_internal
