#pragma once

#include <string>
#include <vector>

#include "zithercraft/game/game.hpp"

namespace zithercraft::show_internal {

struct Colour {
  double r, g, b;
};

/// A colour for each tag of the game's arena, the same in all pictures and pages.
std::vector<Colour> tag_colours(const Game& game);

/// As "#rrggbb".
std::string web_colour(Colour colour);

}  // namespace zithercraft::show_internal
