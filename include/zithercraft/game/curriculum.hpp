#pragma once

#include <cstddef>
#include <cstdint>
#include <deque>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/game/episode.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft {

/// Which stage of a game's curriculum a training is on. It hears of episodes in a fixed order and
/// says which stage each new episode plays, so that a training goes the same way on any number of
/// threads.
class Curriculum {
 public:
  explicit Curriculum(const Game& game);

  /// The stage that is learned now, from 0; the last is the game itself.
  std::size_t stage() const noexcept { return stage_; }
  /// With the game itself, which is the last.
  std::size_t stages() const noexcept { return stages_.size() + 1; }
  /// The stage that an episode plays: the present one, or for the share that the present one asks
  /// for an earlier one.
  std::size_t stage_of(EpisodeKey episode) const;

  /// Notes an episode of the first role that ended.
  void add(const EpisodeResult& episode);
  /// Goes on to the next stage if the present one has been learned; to be asked between rollouts.
  /// Whether it did.
  bool advance(std::int64_t steps);

  /// All it remembers, for checkpoints.
  std::vector<double> numbers() const;
  /// Throws Error (refused) if the numbers are not those of such a curriculum.
  void restore(std::span<const double> numbers);

 private:
  double metric_of(const EpisodeResult& episode) const;

  std::vector<Stage> stages_;
  std::vector<std::string> terms_;
  std::size_t stage_ = 0;
  std::int64_t begun_ = 0;  // steps taken when the stage began
  std::deque<double> lately_;
};

}  // namespace zithercraft
