#pragma once

#include <string>
#include <vector>

#include "zithercraft/game/game.hpp"

namespace zithercraft::show_internal {

struct Colour {
  double r, g, b;
};

/// Of words and lines in all pictures, and of what they are drawn on.
constexpr Colour ink{0.12, 0.14, 0.18}, faint{0.62, 0.67, 0.72}, paper{1.0, 1.0, 1.0};

/// A colour for each tag of the game's arena, the same in all pictures and pages.
std::vector<Colour> tag_colours(const Game& game);

/// As "#rrggbb".
std::string web_colour(Colour colour);

}  // namespace zithercraft::show_internal
