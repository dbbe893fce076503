#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/base/work_count.hpp"
#include "zithercraft/evaluate/statistics.hpp"
#include "zithercraft/game/episode.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/run/player_source.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {

/// What one player reached.
struct PlayerScore {
  std::string name{};  ///< "trained", "random", "script", or the run that it was played against
  Interval success{}, episode_return{}, length{};         ///< with 95% intervals; length in steps
  std::vector<std::pair<std::string, Interval>> terms{};  ///< reward of each term per episode
  std::vector<EpisodeResult> episodes{};                  ///< of every seat, in order
  /// The trained one minus this one, episode by episode.
  Interval success_behind{}, return_behind{};
};

/// How players did on the same episodes.
struct Score {
  std::string game{}, run{};                ///< the game's name; the run's folder
  std::uint64_t seed = 0;                   ///< of the episodes
  std::int64_t episodes = 0;                ///< of each player
  ActionMode actions = ActionMode::greedy;  ///< of the trained one, never `usual`
  TrainedAs as = TrainedAs::latest;         ///< who played for the run
  std::vector<PlayerScore> players{};       ///< the trained one first

  /// All of it as JSON.
  std::string to_json() const;
  /// A line for each episode of each player: what it returned, how it ended, reward of each term.
  std::string to_csv() const;
};

/// Against whom, and how long.
struct EvaluationOptions {
  std::int64_t episodes = 500;             ///< at least 1
  std::uint64_t seed = 0;                  ///< of the episodes; they are never those of training
  ActionMode actions = ActionMode::usual;  ///< of trained policies
  TrainedAs as = TrainedAs::latest;        ///< who plays for the run
  /// "random", "script" or the folder of another run of a game that its policy fits. A script is
  /// left out where the role has none to play, unless it is all that is asked for.
  std::vector<std::string> against{"random", "script"};
  std::size_t threads = 0;   ///< 0 for one per processor; has no influence on the result
  OnProgress on_progress{};  ///< in episodes
};

/// Throws Error (usage) if it is no player that a policy can be compared with; see
/// EvaluationOptions::against.
void check_opponent(const std::string& name);

/// The share of episodes that ended in success, and their mean return.
Interval success_interval(const std::vector<EpisodeResult>& episodes);
/// Of the mean return, with its 95% interval.
Interval return_interval(const std::vector<EpisodeResult>& episodes);

/// Plays the run's newest policy and the players to compare it with.
Score evaluate(const Run& run, const EvaluationOptions& options = {});
/// The same in another game, to which the policy must fit: how far a skill carries.
Score evaluate(const Run& run, const GameSpec& game, const EvaluationOptions& options = {});

/// A kept checkpoint on episodes that are the same for all.
struct CheckpointScore {
  std::string checkpoint{};              ///< its name, like at-000001000000
  std::int64_t steps = 0;                ///< of the training, at which it was written
  Interval success{}, episode_return{};  ///< with 95% intervals
};
/// Evaluates every kept checkpoint of a run, the oldest first, the newest policy last. `against` is
/// not used.
std::vector<CheckpointScore> evaluate_checkpoints(const Run& run,
                                                  const EvaluationOptions& options = {});

/// What to record.
struct RecordOptions {
  std::int64_t episodes = 5;        ///< at least 1
  std::uint64_t seed = 0;           ///< the episodes are those that `evaluate` plays with this seed
  std::string checkpoint = "last";  ///< whose policy plays (see Run::checkpoint_names)
  ActionMode actions = ActionMode::usual;  ///< how the policy takes its actions
};

/// Records episodes of a policy of the run into a replay file.
void record(const Run& run, const std::filesystem::path& file, const RecordOptions& options = {});

}  // namespace zithercraft
