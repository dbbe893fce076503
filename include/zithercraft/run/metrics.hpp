#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/learn/method.hpp"

namespace zithercraft {

/// What an update brought to a further policy that learns beside the first.
struct RoleMetrics {
  std::string role{};                       ///< the first of those that the policy plays
  std::int64_t episodes = 0;                ///< that ended, of all seats of that role
  double mean_return = 0.0, success = 0.0;  ///< of those; not stored if there were none
  std::vector<std::pair<std::string, double>> terms{};  ///< mean reward per episode
  std::vector<Metric> learner{};                        ///< what its method reports
};

/// One update of a training; of an evolution one generation, whose episodes are those of the
/// leader.
struct MetricsRow {
  std::int64_t steps = 0;         ///< of the game, so far
  double seconds = 0.0;           ///< of training so far, over all sittings
  double steps_per_second = 0.0;  ///< since the row before
  std::int64_t episodes = 0;      ///< that ended in this update
  /// Means over those episodes; not stored if there were none.
  double mean_return = 0.0, mean_length = 0.0, success = 0.0;
  double recent_success = 0.0;  ///< over the last episodes of the stage, at most 100
  std::size_t stage = 0;        ///< of the curriculum; see Game::stages
  double wall_seconds = 0.0;    ///< of this update, by the clock
  double busy_share = 0.0;      ///< of the threads' time that they worked in, 0 to 1
  std::vector<std::pair<std::string, double>> terms{};  ///< mean reward per episode
  std::vector<Metric> learner{};                        ///< what its method reports
  std::vector<RoleMetrics> roles{};                     ///< of further policies that learn

  /// A number that the method reports; nothing if this update does not have it.
  std::optional<double> of_learner(const std::string& name) const {
    return metric_in(learner, name);
  }
};

/// A number of an update, as it is kept under its name.
struct MetricsColumn {
  MetricInfo info{};                    ///< what it is
  double MetricsRow::*value = nullptr;  ///< where a row has it
  bool of_episodes = false;             ///< known if episodes ended in the update
};
/// Those that all methods have, but `steps`, `episodes` and `stage`, which are whole numbers.
const std::vector<MetricsColumn>& metrics_columns();

/// The metrics as comma-separated values: a header, then a line for each update. First what all
/// methods have, then what the method reports; terms have columns of their own, `term.NAME`, and
/// what further roles have follows as `ROLE.`, and the column's name. Numbers of parts are left
/// out.
std::string metrics_csv(const std::vector<MetricsRow>& rows);
/// The newest update in the OpenMetrics text format, as monitoring programs read it. `infos`: of
/// what the method reports; `labels` name the run.
std::string open_metrics(const MetricsRow& row, const std::vector<MetricInfo>& infos,
                         const std::vector<std::pair<std::string, std::string>>& labels);

/// The metrics of a run: an SQLite database that other programs may read while it grows. See
/// docs/formats/run.md.
class Metrics {
 public:
  /// Opens or creates. `infos`: of what the method reports, for a training that writes; readers
  /// find them in the database. Throws Error (file).
  explicit Metrics(const std::filesystem::path& path, const std::vector<MetricInfo>& infos = {});
  ~Metrics();
  Metrics(const Metrics&) = delete;
  Metrics& operator=(const Metrics&) = delete;

  /// Forgets what came after the checkpoint that the run continues from.
  void forget_after(std::int64_t steps);
  /// Throws Error (usage) if the method reports what was not described.
  void add(const MetricsRow& row);
  /// Updates after `steps`, in order.
  std::vector<MetricsRow> rows(std::int64_t after = -1) const;
  /// The last update, if there is any.
  std::optional<MetricsRow> newest() const;
  /// Of what the method reports, in the order in which it described them.
  const std::vector<MetricInfo>& infos() const noexcept;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft
