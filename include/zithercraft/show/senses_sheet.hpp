#pragma once

#include <cstdint>
#include <filesystem>

#include "zithercraft/game/game.hpp"

namespace zithercraft {

/// Draws one moment of random play as the first seat of a role senses it: the arena beside each of
/// its senses. Throws Error (file) if the picture cannot be written.
void draw_senses(const std::filesystem::path& png, const Game& game, std::size_t role = 0,
                 std::uint64_t seed = 0);

}  // namespace zithercraft
