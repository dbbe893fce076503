#pragma once

#include <atomic>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/base/process_group.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {

/// How a training stands, after each update.
struct TrainingProgress {
  std::int64_t steps = 0, total = 0;  ///< of the game; in all
  double seconds = 0.0;               ///< since this call began
  double steps_per_second = 0.0;      ///< lately
  double seconds_left = 0.0;          ///< until the end
  /// Means over the last episodes, at most 100.
  double mean_return = 0.0, mean_length = 0.0, success = 0.0;
  std::int64_t episodes = 0;          ///< how many those are
  std::size_t stage = 0, stages = 1;  ///< of the curriculum
  std::string stage_name{};           ///< empty without a curriculum
  double wall_seconds = 0.0;          ///< of the last update, its rollout included, by the clock
  double busy_share = 0.0;            ///< of the threads' time in it that they worked in
  /// Since when the mean return has not risen above its best, in steps; -1 while it rises or it is
  /// too early to say.
  std::int64_t plateau_since = -1;
  /// What the method reports of the last update, of the first role that learns.
  std::vector<Metric> learner{};
  std::string games{};  ///< of a game in other processes: how many there are, and were; else empty
  std::string note{};   ///< how the learning stands, in the method's own few words; may be empty
  /// What hinders the learning and what to change, in a few words each; empty if nothing does.
  std::vector<std::string> warnings{};
};

/// What to do with a folder that holds a run already.
enum class Existing {
  refuse,  ///< throw Error (refused)
  resume,  ///< continue from its last checkpoint; the game and all settings except `steps` and
           ///< `generations` must be the same
  fresh,   ///< delete the run and start again
};

/// What to train, and where.
struct TrainOptions {
  std::filesystem::path folder{};                                  ///< of the run; made if missing
  std::int64_t steps = RunSettings{}.steps;                        ///< of the game
  std::uint64_t seed = 1;                                          ///< of everything random
  std::int64_t checkpoint_every = RunSettings{}.checkpoint_every;  ///< steps between checkpoints
  LearnerSettings learner{};                                       ///< of whichever method
  std::int64_t generations = 0;                                    ///< see RunSettings
  /// see LearnerContext; not kept in the folder
  CustomFitness custom_fitness{};
  /// A checkpoint, or a run whose last one is meant, of a policy to continue from; see
  /// Learner::continue_from.
  std::filesystem::path from{};
  std::vector<RoleTraining>
      roles{};  ///< of roles that are not played as usual; see RunSettings::roles
  std::vector<std::string> teachers{};                             ///< see RunSettings::teachers
  std::int64_t teacher_episodes = RunSettings{}.teacher_episodes;  ///< that they play before
  std::size_t threads = 0;  ///< 0 for one per processor; has no influence on the result
  /// Processes that train together; null if this one is alone. All call `train` with the same
  /// options; the first alone reads and writes the run's folder and reports. Their number has no
  /// influence on the result.
  ProcessGroup* processes = nullptr;
  Existing existing = Existing::refuse;  ///< what to do with a run that is there
  std::function<void(const TrainingProgress&)> on_progress{};
  /// called once with what was taken from `from`
  std::function<void(const Continuation&)> on_continuation{};
  /// Called with sentences that are worth knowing: how large a table may become, or that a training
  /// does not continue as expected, since its last checkpoint is missing.
  std::function<void(const std::string&)> on_note{};
  const std::atomic<bool>* stop = nullptr;  ///< when it becomes true, training saves and returns
};

/// Trains the roles that learn, by the method whose settings are given, and returns the run.
/// A resumed run gives the same bits as one that was never interrupted. Throws Error: spec, file,
/// refused or numbers; the last checkpoint stays good.
Run train(const GameSpec& game, const TrainOptions& options);

/// Trains one run under each seed, in `options.folder`/seed-N, sharing the threads: as many at once
/// as there are threads, each on one; fewer seeds get several each. Progress is that of all
/// together, success and return of all in the mean. What `Existing` says holds for each run;
/// `resume` begins those that are not there yet. Returns the runs by seed.
std::vector<Run> train_seeds(const GameSpec& game, const TrainOptions& options,
                             const std::vector<std::uint64_t>& seeds);

}  // namespace zithercraft
