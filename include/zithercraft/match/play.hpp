#pragma once

#include <cstdint>
#include <functional>
#include <span>
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

/// Looks on while episodes are played. Each lane's calls come from one thread at a time.
class Onlooker {
 public:
  virtual ~Onlooker() = default;
  /// Before a step, once all seats of a lane have decided; may change what they decided.
  virtual void decided(Environment& environment, std::size_t lane) = 0;
  /// After it.
  virtual void stepped(const Environment& environment, std::size_t lane) = 0;
  /// An episode of a lane has ended: which one, of those that are played.
  virtual void ended(const Environment& environment, std::size_t lane, std::size_t episode) = 0;
};

/// Plays any episodes, and lets somebody look on.
void play_watched(const Game& game, const std::vector<const Player*>& players,
                  std::span<const EpisodeKey> episodes, WorkerPool& pool, Onlooker& onlooker);

/// Plays one episode and calls `moment` with the environment, which has one lane, at its start and
/// after each step.
void play_one(const Game& game, const std::vector<Player*>& players, EpisodeKey key,
              const std::function<void(const Environment&)>& moment);

}  // namespace zithercraft
