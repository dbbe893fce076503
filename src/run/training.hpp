#pragma once

// One training, update by update: see train.hpp.

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "run/checkpoint_pieces.hpp"
#include "run/clock.hpp"
#include "run/recent_episodes.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/learn/demonstrations.hpp"
#include "zithercraft/run/metrics.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft::run_internal {

// How a training begins, and the checkpoint that it takes up.
struct Beginning {
  enum How : std::uint8_t { afresh, continued, resumed };
  How how = afresh;
  std::vector<std::byte> checkpoint{};
  // Its file if it is resumed; processes other than the first know the folder only.
  std::string source{};
};

inline bool is_first(const TrainOptions& options) {
  return options.processes == nullptr || options.processes->number() == 0;
}

class Training {
 public:
  // The options must outlive it.
  Training(Run run, const TrainOptions& options);

  void begin(const Beginning& beginning);
  void go();

 private:
  bool stopped() const;
  double done() const;
  void update();
  MetricsRow row_of(const CollectReport& played, const LearnerReport& learned) const;
  void report(const MetricsRow& row, const LearnerReport& learned);
  std::string report_games();
  // `previous`: the share that was done at the checkpoint before.
  void save(double previous);

  Run run_;
  const TrainOptions& options_;
  Game game_;
  Budget budget_;
  WorkerPool pool_;
  std::optional<Demonstrations> demonstrations_;
  std::unique_ptr<Learner> learner_;
  CheckpointPieces pieces_;
  std::size_t first_role_ = 0;      // of those that learn
  std::optional<Metrics> metrics_;  // of the first process
  std::vector<std::string> stage_names_;
  RecentEpisodes recent_;
  Plateau plateau_;
  std::shared_ptr<CustomHost> host_;  // of a game in other processes
  Clock::time_point begun_, last_update_, games_told_{};
  double seconds_before_ = 0.0, speed_ = 0.0;
  bool continued_ = false;
};

}  // namespace zithercraft::run_internal
