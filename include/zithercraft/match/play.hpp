#pragma once

#include <cstdint>
#include <functional>
#include <vector>

#include "zithercraft/game/episode.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {

class WorkCount;
class WorkerPool;

/// Plays episodes 0 to `episodes - 1` of `seed` with the given players, one per role, and returns
/// the results of role 0's seats in order of episode, then seat. The same seed gives the same
/// episodes to every player, on any number of threads. Every episode that ends is a piece of
/// `progress`, if there is one.
std::vector<EpisodeResult> play_episodes(const Game& game,
                                         const std::vector<const Player*>& players,
                                         std::int64_t episodes, std::uint64_t seed,
                                         WorkerPool& pool, WorkCount* progress = nullptr);

/// The same for all roles: their results one after the other.
std::vector<std::vector<EpisodeResult>> play_all_roles(const Game& game,
                                                       const std::vector<const Player*>& players,
                                                       std::int64_t episodes, std::uint64_t seed,
                                                       WorkerPool& pool,
                                                       WorkCount* progress = nullptr);

/// Plays one episode and calls `moment` with the environment, which has one lane, at its start and
/// after each step.
void play_one(const Game& game, const std::vector<Player*>& players, EpisodeKey key,
              const std::function<void(const Environment&)>& moment);

}  // namespace zithercraft
