#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/learn/dqn.hpp"
#include "zithercraft/learn/method.hpp"

namespace zithercraft {

/// Where the bins of a column that is no flag begin and end.
enum class Binning : std::uint8_t {
  range,     ///< equally wide, over the column's range
  quantiles  ///< equally often met, in play by chance before anything is learned
};

/// Settings of learning in a table; see `q_table_method`.
struct QTableSettings {
  // States
  std::int64_t bins = 4;             ///< of each column that is no flag, 1 to 256; 1 leaves it out
  Binning binning = Binning::range;  ///< where they begin and end
  /// Bins of some columns, by the beginning of their names, with or without an index:
  /// "compass.distance=8", "others.ahead=5". Of several that fit the last counts.
  std::vector<std::string> column_bins{};
  /// states that there may be at most; a table in which most of them are never met learns nothing
  double most_states = 1e8;

  // Playing
  std::optional<std::int64_t> lanes{};    ///< copies of the game played side by side, at least 1
  std::optional<std::int64_t> horizon{};  ///< steps per lane before it is learned again, at least 1
  std::optional<double> discount{};       ///< of a reward one step later, 0 to 1
  Exploration exploration = Exploration::epsilon;  ///< how what does not seem best is tried
  double epsilon = 1.0;            ///< probability of any option at the first step, 0 to 1
  double last_epsilon = 0.02;      ///< reached linearly when `explore_until` is done
  double temperature = 1.0;        ///< of softmax, in the units of rewards, above 0
  double last_temperature = 0.05;  ///< reached linearly when `explore_until` is done
  double explore_until = 0.5;      ///< share of the training, above 0, at most 1

  /// share of steps at first in which a teacher acts, 0 to 1
  double teacher_share = 0.0;
  double teacher_fades_by = 0.5;  ///< by when that has fallen to 0; above 0, at most 1

  // Learning
  double first_value = 0.0;  ///< of everything before it was tried; high makes it be tried
  bool double_q = false;     ///< two tables: what is best next by one is valued by the other
  /// what follows is worth what will be done then (SARSA), not what is best
  bool on_policy = false;
  double trace_decay = 0.0;          ///< lambda: how far back a surprise reaches, 0 to 1
  double learning_rate = 0.3;        ///< of the first update, above 0, at most 1
  double last_learning_rate = 0.02;  ///< of the last update, at most 1

  bool operator==(const QTableSettings&) const = default;
};

/// The settings with a value for each: some hundred rollouts of up to 64 rows make a training; the
/// discount looks as far ahead as an episode lasts, 20 to 500 steps.
QTableSettings settled(QTableSettings settings, const Game& game, std::int64_t total_steps,
                       std::span<const RolePlayer> players);
/// For LearnerSettings, which can hold these.
std::shared_ptr<const SettingsModel> settings_model(const QTableSettings& settings);

/// Q-learning in a table (Watkins and Dayan, 1992), SARSA (Rummery and Niranjan, 1994), both with
/// traces that replace each other (Singh and Sutton, 1996), and double Q-learning (van Hasselt,
/// 2010). A role has a table of its own; roles that mirror each other share one. Roles have choices
/// alone, and a row has a number for each combination of them.
LearningMethod q_table_method();

}  // namespace zithercraft
