#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/study/run.hpp"
#include "zithercraft/study/statistics.hpp"

namespace zithercraft {

struct PilotScore {
  std::string name{};  ///< "trained", "random" or "script"
  Interval success{}, episode_return{}, length{};
  std::vector<std::pair<std::string, Interval>> terms{};  ///< what each term paid per episode
};

/// How pilots did on the same episodes.
struct Score {
  std::string game{}, run{};
  std::uint64_t seed = 0;
  std::int64_t episodes = 0;
  std::vector<PilotScore> pilots{};  ///< the trained one first

  std::string to_json() const;
};

struct ScoreOptions {
  std::int64_t episodes = 500;                           ///< at least 1
  std::uint64_t seed = 0;                                ///< of the episodes; they are never those of training
  std::vector<std::string> against{"random", "script"};  ///< a script is left out where the role has none to play
  std::size_t threads = 0;                               ///< 0 for one per processor; has no influence on the result
};

/// Plays the run's newest policy, deciding greedily, and the pilots to compare it with.
Score score(const Run& run, const ScoreOptions& options = {});

struct RecordOptions {
  std::int64_t episodes = 5;        ///< at least 1
  std::uint64_t seed = 0;           ///< the episodes are those that `score` plays with this seed
  std::string checkpoint = "last";  ///< whose policy plays (see Run::checkpoint_names)
};

/// Records episodes of a policy of the run, deciding greedily, into a replay file.
void record(const Run& run, const std::filesystem::path& file, const RecordOptions& options = {});

}  // namespace zithercraft
