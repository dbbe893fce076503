#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/learn/ppo.hpp"

namespace zithercraft {

/// One update of a training.
struct MetricsRow {
  std::int64_t decisions = 0;
  double seconds = 0.0;  ///< of training so far, over all sittings
  double decisions_per_second = 0.0;
  std::int64_t episodes = 0;                                   ///< that ended in this update
  double mean_return = 0.0, mean_length = 0.0, success = 0.0;  ///< of those; not stored if there were none
  double recent_success = 0.0;                                 ///< over the last episodes, at most 100
  ImproveReport learner{};
  std::vector<std::pair<std::string, double>> terms{};  ///< mean paid per episode
};

/// The metrics of a run: an SQLite database that other programs may read while it grows. See docs/formats/run.md.
class Metrics {
 public:
  /// Opens or creates. Throws Error (file).
  explicit Metrics(const std::filesystem::path& path);
  ~Metrics();
  Metrics(const Metrics&) = delete;
  Metrics& operator=(const Metrics&) = delete;

  /// Forgets what came after the checkpoint that is gone on from.
  void forget_after(std::int64_t decisions);
  void add(const MetricsRow& row);
  /// Updates after so many decisions, in order.
  std::vector<MetricsRow> rows(std::int64_t after = -1) const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft
