#pragma once

#include <cstddef>

#include "zithercraft/game/overrides.hpp"

namespace zithercraft::game_internal {

/// The game as it is on a listed stage, without stages of its own.
GameSpec at_stage(const GameSpec& game, std::size_t stage);

}  // namespace zithercraft::game_internal
