#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <vector>

#include "zithercraft/match/player.hpp"

namespace zithercraft::evaluate_internal {

/// Plays one episode with copies of players, one for each role, and writes it as a replay. `seed`:
/// the one the user gave.
void record_episode(const std::filesystem::path& file, const Game& game,
                    const std::vector<std::unique_ptr<Player>>& players, EpisodeKey key,
                    std::uint64_t seed);

}  // namespace zithercraft::evaluate_internal
