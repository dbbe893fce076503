#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "zithercraft/base/work_count.hpp"
#include "zithercraft/evaluate/statistics.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {

/// Runs that differ by nothing but their seeds.
struct RunGroup {
  std::string name{};                         ///< as tables name it
  std::vector<std::filesystem::path> runs{};  ///< their folders
};

/// Groups what is named: the folder of a study gives a group for each of its variants, a folder of
/// runs named `seed-N` one group, and single runs whose names differ by an ending `-N` or `seed-N`
/// are one too. Throws Error (file) for a folder that holds none, Error (refused) if runs of a
/// group differ by more than their seeds.
std::vector<RunGroup> group_runs(const std::vector<std::filesystem::path>& named);

/// On what, and how long.
struct CompareOptions {
  std::int64_t episodes = 200;  ///< that each run is scored on, at least 1
  std::uint64_t seed = 0;       ///< of the episodes
  double target = 0.9;          ///< of the success of the last 100 episodes in training, 0 to 1
  std::size_t threads = 0;      ///< 0 for one per processor; has no influence on the result
  OnProgress on_progress{};     ///< in episodes
};

/// A group's curve: interquartile mean over its runs with its 95% interval, where all have got so
/// far.
struct Curve {
  /// At each of some steps: the mean over the runs, with its 95% interval.
  std::vector<double> steps{}, mean{}, low{}, high{};
  std::vector<double> seconds{};  ///< that the runs had taken by then, their mean
};

/// What a group of runs reached.
struct GroupScore {
  std::string name{}, game{};                       ///< the group's; the game's
  std::vector<double> success{}, episode_return{};  ///< by run
  Interval mean_success{}, mean_return{};           ///< interquartile means over the runs
  std::size_t reached = 0;                          ///< runs that reached the target
  /// Of those that reached it: interquartile means. Without any, infinite.
  double steps_to_target = 0.0, seconds_to_target = 0.0;
  /// Against the first group: difference of success, and the chance that a run of this group does
  /// better.
  Interval difference{}, improvement{};
  Curve curve{};  ///< of the success of the last 100 episodes
};

/// Groups of runs side by side.
struct Comparison {
  CompareOptions options{};          ///< as they were given
  std::vector<GroupScore> groups{};  ///< in their order
  /// All of it as JSON.
  std::string to_json() const;
};

/// Evaluates all runs on the same episodes. Throws Error (usage) if they cannot be compared.
Comparison compare(const std::vector<RunGroup>& groups, const CompareOptions& options = {});

}  // namespace zithercraft
