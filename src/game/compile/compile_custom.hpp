#pragma once

#include "zithercraft/game/spec.hpp"

namespace zithercraft::game_internal {

/// Checks what a custom game can and cannot have, and gives it an arena of bodies that stand in for
/// its seats. Doing it again changes nothing.
void settle_custom(GameSpec& game);

}  // namespace zithercraft::game_internal
