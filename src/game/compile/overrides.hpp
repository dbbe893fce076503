#pragma once

#include <cstddef>

#include "zithercraft/game/overrides.hpp"

namespace zithercraft::game_internal {

/// The game as it is on a listed stage, without stages of its own.
GameSpec at_stage(const GameSpec& game, std::size_t stage);

/// Gives a spec that came from a file the code of the same game as a program defines it.
void adopt_code(GameSpec& to, const GameSpec& from);

}  // namespace zithercraft::game_internal
