#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/game/game.hpp"
#include "zithercraft/game/overrides.hpp"
#include "zithercraft/learn/learner.hpp"
#include "zithercraft/net/policy.hpp"

namespace zithercraft {

/// The version of the library, "major.minor.patch".
const char* library_version() noexcept;

/// A role that learns has this in place of a player's name.
inline constexpr const char* learns = "learns";

/// How a role is played in a training.
struct RoleTraining {
  std::string role{};              ///< its name
  std::string played_by = learns;  ///< or its player; see PlayerSource
  KeyValues learner{};             ///< settings of its own, if it learns
  bool operator==(const RoleTraining&) const = default;
};

/// Everything that decides how a training goes, bit for bit.
struct RunSettings {
  std::int64_t steps = 10'000'000;          ///< to train for, over all seats, at least 1
  std::uint64_t seed = 1;                   ///< of everything random
  std::int64_t checkpoint_every = 250'000;  ///< steps between checkpoints, at least 1
  LearnerSettings learner{};                ///< of whichever method
  /// to train for in place of `steps`, of a method that has them; 0: steps count
  std::int64_t generations = 0;
  std::string from{};  ///< checkpoint or run that was continued from, empty for a fresh start
  /// Of roles that are not played as usual: the first one and its mirror images learn, others are
  /// played by their scripts, or at random.
  std::vector<RoleTraining> roles{};
  /// Whom the roles that learn learn from beside their own play, if the method does: players as
  /// PlayerSource finds them, recordings among them, or files of demonstrations.
  std::vector<std::string> teachers{};
  /// that teachers play before the training, in all, at least 1; recordings and files show all that
  /// they hold
  std::int64_t teacher_episodes = 200;
  bool operator==(const RunSettings&) const = default;
};

/// The folder of one training: resolved configuration, metrics, checkpoints. Its layout is
/// described in docs/formats/run.md.
class Run {
 public:
  /// Throws Error (file) if there is no run in the folder, Error (spec) if its configuration is
  /// damaged.
  static Run open(const std::filesystem::path& folder);
  /// A run of a game that may hold custom parts, which a folder cannot. Files that the game names
  /// are read now.
  Run(std::filesystem::path folder, const GameSpec& game, RunSettings settings);

  /// Where it lives.
  const std::filesystem::path& folder() const noexcept { return folder_; }
  /// What is learned.
  const GameSpec& game_spec() const noexcept { return game_; }
  /// Throws Error (spec) if the game has custom parts and was read from a folder.
  Game game() const;
  /// How it is learned.
  const RunSettings& settings() const noexcept { return settings_; }

  /// File of the settings.
  std::filesystem::path configuration() const { return folder_ / "run.toml"; }
  /// File of the curves.
  std::filesystem::path metrics() const { return folder_ / "metrics.db"; }
  /// Who plays its game, if it is played in other processes.
  std::filesystem::path games() const { return folder_ / "games.json"; }
  /// What its teachers showed, of a training that learns from that.
  std::filesystem::path demonstrations() const { return folder_ / "demonstrations.safetensors"; }
  /// Folder of the checkpoints.
  std::filesystem::path checkpoints() const { return folder_ / "checkpoints"; }
  /// File of the last checkpoint.
  std::filesystem::path last_checkpoint() const { return checkpoints() / "last.safetensors"; }

  /// The last checkpoint, or if it is missing the newest of those kept; nothing if there is none.
  std::optional<std::filesystem::path> newest_checkpoint() const;
  /// Whether this is one of the run's own files: configuration, metrics, lock and checkpoints.
  bool owns(const std::filesystem::path& file) const;
  /// Throws Error (usage) if something is to be written over one of the run's own files.
  void refuse_own_file(const std::filesystem::path& output) const;

  /// The newest policy. Throws Error (file) if there is no checkpoint yet or it is damaged.
  Policy policy() const;
  /// That of a kept checkpoint by its name, which is one of `checkpoint_names`, or "last".
  Policy policy(const std::string& checkpoint) const;
  /// The file of a kept checkpoint, or of "last". Throws Error (usage) with advice if there is
  /// none.
  std::filesystem::path checkpoint_file(const std::string& checkpoint) const;
  /// Kept checkpoints without their endings, the oldest first: "at-000001000000" after a million
  /// steps.
  std::vector<std::string> checkpoint_names() const;
  /// How far the newest checkpoint is; zeros without one.
  Counters counters() const;
  /// Steps trained so far, 0 without a checkpoint.
  std::int64_t steps_done() const { return counters().steps; }
  /// Whether training reached its end.
  bool finished() const;

  /// Writes run.toml atomically.
  void save_configuration() const;

 private:
  std::filesystem::path folder_;
  GameSpec game_;
  RunSettings settings_;
};

/// The steps after which a kept checkpoint was written, by its name: at-000001000000.
std::int64_t steps_of(const std::string& checkpoint);

/// Whether the folder holds a run.
bool holds_run(const std::filesystem::path& folder);

}  // namespace zithercraft
