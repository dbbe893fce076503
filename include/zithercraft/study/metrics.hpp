#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/evolve/evolution.hpp"
#include "zithercraft/learn/ppo.hpp"

namespace zithercraft {

/// What an update brought to a further policy that learns beside the first.
struct RoleMetrics {
  std::string role{};                       ///< the first of those that the policy plays
  std::int64_t episodes = 0;                ///< that ended, of all seats of that role
  double mean_return = 0.0, success = 0.0;  ///< of those; not stored if there were none
  ImproveReport learner{};
  GenerationReport evolution{};                         ///< of an evolution, in place of `learner`
  std::vector<std::pair<std::string, double>> terms{};  ///< mean reward per episode
};

/// One update of a training; of an evolution one generation, whose episodes are those of the
/// leader.
struct MetricsRow {
  std::int64_t steps = 0;
  double seconds = 0.0;  ///< of training so far, over all sittings
  double steps_per_second = 0.0;
  std::int64_t episodes = 0;  ///< that ended in this update
  double mean_return = 0.0, mean_length = 0.0,
         success = 0.0;         ///< of those; not stored if there were none
  double recent_success = 0.0;  ///< over the last episodes of the stage, at most 100
  std::size_t stage = 0;        ///< of the curriculum; see Game::stages
  ImproveReport learner{};
  GenerationReport evolution{};  ///< of an evolution, in place of `learner`
  double generation = 0.0, species = 0.0,
         led_since = 0.0;   ///< of an evolution: see GenerationReport
  PhaseTimes times{};       ///< of rollout and update together
  double busy_share = 0.0;  ///< of the threads' time that they worked in, 0 to 1
  /// Against past policies, where opposed sides learn: points of the present policies and their
  /// standard error; how many past policies there are, how many of them beat the present ones, and
  /// in how many cycles three beat each other.
  double rating = 0.0, rating_standard_error = 0.0, past_policies = 0.0, forgotten = 0.0,
         cycles = 0.0;
  std::vector<std::pair<std::string, double>> terms{};  ///< mean reward per episode
  std::vector<RoleMetrics> roles{};                     ///< of further policies that learn
};

/// Which updates know a number.
enum class Known : std::uint8_t {
  always,
  with_episodes,  ///< in which episodes ended
  by_gradients,   ///< of trainings by gradients
  by_evolution
};

/// A number of an update that is kept in the metrics, by its name there.
struct MetricsColumn {
  const char* name;
  const char* about;  ///< one line for people
  double& (*of)(MetricsRow&);
  Known known = Known::always;
};
/// All of them but `steps`, `episodes` and `stage`, which are whole numbers, in their order.
std::span<const MetricsColumn> metrics_columns();
/// A number of a further role, likewise.
struct RoleColumn {
  const char* name;
  double& (*of)(RoleMetrics&);
  Known known = Known::always;
};
std::span<const RoleColumn> role_columns();
/// Whether a row knows a number.
template <class Row>
bool knows(const Row& row, Known known) {
  const bool evolves = row.evolution.generation > 0;
  return known == Known::always || (known == Known::with_episodes && row.episodes > 0) ||
         (known == Known::by_gradients && !evolves) || (known == Known::by_evolution && evolves);
}

/// The metrics as comma-separated values: a header, then a line for each update, of the numbers
/// that such a training knows; terms have columns of their own, `term.NAME`, and what further roles
/// have follows as `ROLE.`, and the column's name.
std::string metrics_csv(const std::vector<MetricsRow>& rows);
/// The newest update in the OpenMetrics text format, as monitoring programs read it. `labels` name
/// the run.
std::string open_metrics(const MetricsRow& row,
                         const std::vector<std::pair<std::string, std::string>>& labels);

/// The metrics of a run: an SQLite database that other programs may read while it grows. See
/// docs/formats/run.md.
class Metrics {
 public:
  /// Opens or creates. Throws Error (file).
  explicit Metrics(const std::filesystem::path& path);
  ~Metrics();
  Metrics(const Metrics&) = delete;
  Metrics& operator=(const Metrics&) = delete;

  /// Forgets what came after the checkpoint that the run continues from.
  void forget_after(std::int64_t steps);
  void add(const MetricsRow& row);
  /// Updates after `steps`, in order.
  std::vector<MetricsRow> rows(std::int64_t after = -1) const;
  /// The last update, if there is any.
  std::optional<MetricsRow> newest() const;

 private:
  void add_role(std::int64_t steps, RoleMetrics role);
  std::vector<RoleMetrics> roles_at(std::int64_t steps) const;
  std::vector<SpeciesReport> species_at(std::int64_t steps) const;

  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft
