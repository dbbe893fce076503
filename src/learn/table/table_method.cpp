#include <algorithm>

#include "learn/dqn/exploration_fields.hpp"
#include "learn/play/make_training.hpp"
#include "learn/play/occasion.hpp"
#include "learn/play/training_metrics.hpp"
#include "learn/settings_model.hpp"
#include "learn/table/table_trainee.hpp"
#include "zithercraft/learn/q_table.hpp"

namespace zithercraft {
using namespace learn_internal;

template <>
struct config::Words<Binning> {
  static constexpr std::array list{std::pair{"range", Binning::range},
                                   std::pair{"quantiles", Binning::quantiles}};
};

template <class V>
void describe(V& v, QTableSettings& s) {
  const Rule share{.low = 0.0, .high = 1.0, .above_low = true};
  v("bins", s.bins, between(1, 256));
  v("binning", s.binning);
  v("column_bins", s.column_bins);
  v("most_states", s.most_states, at_least(1));
  v("lanes", s.lanes, between(1, 65536));
  v("horizon", s.horizon, between(1, 65536));
  v("discount", s.discount, between(0, 1));
  v("exploration", s.exploration);
  v("epsilon", s.epsilon, between(0, 1));
  v("last_epsilon", s.last_epsilon, between(0, 1));
  v("temperature", s.temperature, positive());
  v("last_temperature", s.last_temperature, positive());
  v("explore_until", s.explore_until, share);
  v("teacher_share", s.teacher_share, between(0, 1));
  v("teacher_fades_by", s.teacher_fades_by, share);
  v("first_value", s.first_value);
  v("double_q", s.double_q);
  v("on_policy", s.on_policy);
  v("trace_decay", s.trace_decay, between(0, 1));
  v("learning_rate", s.learning_rate, share);
  v("last_learning_rate", s.last_learning_rate, between(0, 1));
}

namespace {

std::vector<MetricInfo> table_infos() {
  std::vector<MetricInfo> list{
      {"states", "", "that were met so far", "states"},
      {"td_error", "", "absolute temporal-difference error, mean", "td_error"},
      {"epsilon", "", "probability of any option", "epsilon"},
      {"learning_rate", "", "of this update", ""}};
  const std::vector<MetricInfo> common = training_infos();
  list.insert(list.end(), common.begin(), common.end());
  return list;
}

std::vector<ChartInfo> table_charts() {
  std::vector<ChartInfo> list = roster_charts();
  list.insert(
      list.end(),
      {{.name = "states", .title = "States that were met", .least = 0.0, .live = true},
       {.name = "td_error", .title = "Temporal-difference error, absolute, mean", .least = 0.0},
       {.name = "epsilon", .title = "Share of options taken at random", .least = 0.0}});
  return list;
}

TrainingSettings table_training(const QTableSettings& s) {
  return {.method = "q_table",
          .lanes = static_cast<std::size_t>(*s.lanes),
          .horizon = static_cast<std::size_t>(*s.horizon),
          .roster = {.used = false},
          .processes = false,
          .asks_teachers = s.teacher_share > 0.0};
}

std::unique_ptr<Learner> make_table(LearnerContext c) {
  return make_training<QTableSettings, TableTrainee>(std::move(c), table_training);
}

std::vector<std::string> table_forecast(const LearnerContext& c) {
  std::vector<std::string> lines;
  const QTableSettings all =
      settled(c.settings.as<QTableSettings>(), c.game, c.budget.steps, c.players);
  for (std::size_t r = 0; r < c.players.size(); ++r)
    if (c.players[r].player == nullptr && c.game.roles()[r].mirrors == r)
      lines.push_back(size_text(c.game.roles()[r], c.players[r].settings
                                                       ? c.players[r].settings->as<QTableSettings>()
                                                       : all));
  return lines;
}

}  // namespace

QTableSettings settled(QTableSettings s, const Game& game, std::int64_t total_steps,
                       std::span<const RolePlayer> players) {
  const Occasion o = occasion_of(game, total_steps, players);
  const auto seats = static_cast<double>(o.seats);
  if (!s.lanes) {
    const double rows = std::clamp(static_cast<double>(power_below(o.steps / 5000.0)), 4.0, 64.0);
    s.lanes = o.copies ? static_cast<std::int64_t>(*o.copies)
                       : std::max<std::int64_t>(1, static_cast<std::int64_t>(rows / seats));
  }
  const double rows = static_cast<double>(std::max<std::int64_t>(1, *s.lanes)) * seats;
  if (!s.horizon)
    s.horizon = std::clamp<std::int64_t>(power_below(o.steps / (400.0 * rows)), 4, 256);
  constexpr double shortest = 20.0, longest = 500.0;
  if (!s.discount)
    s.discount = 1.0 - 1.0 / std::clamp(static_cast<double>(o.episode), shortest, longest);
  return s;
}

std::shared_ptr<const SettingsModel> settings_model(const QTableSettings& settings) {
  return std::make_shared<StructModel<QTableSettings>>("q_table", settings);
}

LearningMethod q_table_method() {
  return {.name = "q_table",
          .about = "Q-learning or SARSA in a table of few states",
          .controls = "choices; masks",
          .senses = "few columns, in bins",
          .settings = QTableSettings{},
          .role_settings = true,
          .metrics = table_infos(),
          .charts = table_charts(),
          .against_collapse = "lower the learning rate, or explore for longer (explore_until)",
          .against_plateau = "give columns more bins, or explore for longer (explore_until)",
          .teachers =
              [](const LearnerSettings& s) {
                const bool asked = s.as<QTableSettings>().teacher_share > 0.0;
                return TeacherUse{.asked = asked, .needed = asked};
              },
          .settle = settle_training<QTableSettings>,
          .forecast = table_forecast,
          .make = make_table};
}

}  // namespace zithercraft
