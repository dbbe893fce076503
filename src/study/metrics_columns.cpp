#include <fmt/format.h>
#include <algorithm>
#include <array>
#include <cmath>

#include "../base/csv_field.hpp"
#include "zithercraft/study/metrics.hpp"

namespace zithercraft {
namespace {

using Row = MetricsRow;

constexpr std::array columns{
    MetricsColumn{"seconds", "of training so far, over all sittings", [](Row& r) -> double& { return r.seconds; }},
    MetricsColumn{"decisions_per_second", "trained in this update",
                  [](Row& r) -> double& { return r.decisions_per_second; }},
    MetricsColumn{"mean_return", "of the episodes that ended", [](Row& r) -> double& { return r.mean_return; }, true},
    MetricsColumn{"mean_length", "decisions of the episodes that ended",
                  [](Row& r) -> double& { return r.mean_length; }, true},
    MetricsColumn{"success", "share of the episodes that ended", [](Row& r) -> double& { return r.success; }, true},
    MetricsColumn{"recent_success", "share of the last 100 episodes of the stage",
                  [](Row& r) -> double& { return r.recent_success; }},
    MetricsColumn{"policy_loss", "of the last epoch, mean over samples",
                  [](Row& r) -> double& { return r.learner.policy_loss; }},
    MetricsColumn{"value_loss", "of the last epoch, in the value network's scale",
                  [](Row& r) -> double& { return r.learner.value_loss; }},
    MetricsColumn{"entropy", "of the policy, in nats", [](Row& r) -> double& { return r.learner.entropy; }},
    MetricsColumn{"kl", "divergence from the policy that played", [](Row& r) -> double& { return r.learner.kl; }},
    MetricsColumn{"clip_share", "of samples whose ratio was clipped",
                  [](Row& r) -> double& { return r.learner.clip_share; }},
    MetricsColumn{"explained_variance", "share of the returns' variance that values explained before the update",
                  [](Row& r) -> double& { return r.learner.explained_variance; }},
    MetricsColumn{"gradient_norm", "of the policy network before the limit",
                  [](Row& r) -> double& { return r.learner.gradient_norm; }},
    MetricsColumn{"value_gradient_norm", "of the value network before the limit",
                  [](Row& r) -> double& { return r.learner.value_gradient_norm; }},
    MetricsColumn{"learning_rate", "of this update", [](Row& r) -> double& { return r.learner.learning_rate; }},
    MetricsColumn{"spread", "of dials, mean, as a share of half their range",
                  [](Row& r) -> double& { return r.learner.spread; }},
    MetricsColumn{"play_seconds", "of all threads: stepping lanes", [](Row& r) -> double& { return r.times.play; }},
    MetricsColumn{"decide_seconds", "of all threads: deciding while playing",
                  [](Row& r) -> double& { return r.times.decide; }},
    MetricsColumn{"learn_seconds", "of all threads: gradients", [](Row& r) -> double& { return r.times.learn; }},
    MetricsColumn{"step_seconds", "adding gradients up and stepping against them",
                  [](Row& r) -> double& { return r.times.step; }},
    MetricsColumn{"wall_seconds", "by the clock", [](Row& r) -> double& { return r.times.wall; }},
    MetricsColumn{"busy_share", "of the threads' time that they worked in",
                  [](Row& r) -> double& { return r.busy_share; }},
    MetricsColumn{"rating", "in points, of opposed sides against their past selves",
                  [](Row& r) -> double& { return r.rating; }},
    MetricsColumn{"rating_spread", "standard error of the rating", [](Row& r) -> double& { return r.rating_spread; }},
    MetricsColumn{"past_selves", "in the roster", [](Row& r) -> double& { return r.past_selves; }},
    MetricsColumn{"forgotten", "past selves that beat the present one", [](Row& r) -> double& { return r.forgotten; }},
    MetricsColumn{"cycles", "of three selves each of which beats the next",
                  [](Row& r) -> double& { return r.cycles; }}};

std::string in_quotes(const std::string& text) {
  std::string result;
  for (const char c : text) {
    if (c == '\\' || c == '"') result += '\\';
    result += c == '\n' ? ' ' : c;
  }
  return '"' + result + '"';
}

}  // namespace

std::span<const MetricsColumn> metrics_columns() { return columns; }

std::string metrics_csv(const std::vector<MetricsRow>& rows) {
  // Terms are the same in all updates in which episodes ended.
  const auto with_terms = std::find_if(rows.begin(), rows.end(), [](const Row& r) { return !r.terms.empty(); });
  const std::size_t terms = with_terms == rows.end() ? 0 : with_terms->terms.size();
  std::string text = "decisions,episodes,stage";
  for (const auto& column : columns) text += fmt::format(",{}", column.name);
  for (std::size_t t = 0; t < terms; ++t) text += "," + csv_field("term." + with_terms->terms[t].first);
  text += '\n';
  for (MetricsRow row : rows) {
    text += fmt::format("{},{},{}", row.decisions, row.episodes, row.stage);
    for (const auto& column : columns)
      text += column.of_episodes && row.episodes == 0 ? "," : fmt::format(",{}", column.of(row));
    for (std::size_t t = 0; t < terms; ++t) text += row.terms.empty() ? "," : fmt::format(",{}", row.terms[t].second);
    text += '\n';
  }
  return text;
}

std::string open_metrics(const MetricsRow& given, const std::vector<std::pair<std::string, std::string>>& labels) {
  MetricsRow row = given;
  std::string all;
  for (const auto& [key, value] : labels) all += fmt::format("{}{}={}", all.empty() ? "" : ",", key, in_quotes(value));
  std::string text;
  const auto add = [&](const std::string& name, const char* type, const char* about, const std::string& more,
                       double value) {
    if (type != nullptr) text += fmt::format("# TYPE {0} {1}\n# HELP {0} {2}.\n", name, type, about);
    text += fmt::format("{}{}{{{}{}}} {}\n", name, type == nullptr || std::string_view(type) == "gauge" ? "" : "_total",
                        all, more, value);
  };
  add("zithercraft_decisions", "counter", "taken so far", "", static_cast<double>(row.decisions));
  add("zithercraft_stage", "gauge", "of the curriculum, from 0", "", static_cast<double>(row.stage));
  for (const auto& column : columns)
    if (!column.of_episodes || row.episodes > 0)
      add(fmt::format("zithercraft_{}", column.name), "gauge", column.about, "", column.of(row));
  for (std::size_t t = 0; t < row.terms.size(); ++t)
    add("zithercraft_term", t == 0 ? "gauge" : nullptr, "what a term paid per episode",
        (all.empty() ? "term=" : ",term=") + in_quotes(row.terms[t].first), row.terms[t].second);
  return text + "# EOF\n";
}

}  // namespace zithercraft
