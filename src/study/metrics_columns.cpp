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
    MetricsColumn{"seconds", "of training so far, over all sittings",
                  [](Row& r) -> double& { return r.seconds; }},
    MetricsColumn{"steps_per_second", "trained in this update",
                  [](Row& r) -> double& { return r.steps_per_second; }},
    MetricsColumn{"mean_return", "of the episodes that ended",
                  [](Row& r) -> double& { return r.mean_return; }, Known::with_episodes},
    MetricsColumn{"mean_length", "steps of the episodes that ended",
                  [](Row& r) -> double& { return r.mean_length; }, Known::with_episodes},
    MetricsColumn{"success", "share of the episodes that ended",
                  [](Row& r) -> double& { return r.success; }, Known::with_episodes},
    MetricsColumn{"recent_success", "share of the last 100 episodes of the stage",
                  [](Row& r) -> double& { return r.recent_success; }},
    MetricsColumn{"policy_loss", "of the last epoch, mean over samples",
                  [](Row& r) -> double& { return r.learner.policy_loss; }, Known::by_gradients},
    MetricsColumn{"value_loss", "of the last epoch, in the value network's scale",
                  [](Row& r) -> double& { return r.learner.value_loss; }, Known::by_gradients},
    MetricsColumn{"credit_loss",
                  "of the network behind the counterfactual baseline, in the value network's scale",
                  [](Row& r) -> double& { return r.learner.credit_loss; }, Known::by_gradients},
    MetricsColumn{"entropy", "of the policy, in nats",
                  [](Row& r) -> double& { return r.learner.entropy; }, Known::by_gradients},
    MetricsColumn{"kl", "divergence from the policy that played",
                  [](Row& r) -> double& { return r.learner.kl; }, Known::by_gradients},
    MetricsColumn{"clip_share", "of samples whose ratio was clipped",
                  [](Row& r) -> double& { return r.learner.clip_share; }, Known::by_gradients},
    MetricsColumn{"explained_variance",
                  "share of the returns' variance that values explained before the update",
                  [](Row& r) -> double& { return r.learner.explained_variance; },
                  Known::by_gradients},
    MetricsColumn{"gradient_norm", "of the policy network before the limit",
                  [](Row& r) -> double& { return r.learner.gradient_norm; }, Known::by_gradients},
    MetricsColumn{"value_gradient_norm", "of the value network before the limit",
                  [](Row& r) -> double& { return r.learner.value_gradient_norm; },
                  Known::by_gradients},
    MetricsColumn{"learning_rate", "of this update",
                  [](Row& r) -> double& { return r.learner.learning_rate; }, Known::by_gradients},
    MetricsColumn{"dial_stddev", "of dials, mean, as a share of half their range",
                  [](Row& r) -> double& { return r.learner.stddev; }, Known::by_gradients},
    MetricsColumn{"play_seconds", "of all threads: stepping lanes",
                  [](Row& r) -> double& { return r.times.play; }},
    MetricsColumn{"decide_seconds", "of all threads: deciding while playing",
                  [](Row& r) -> double& { return r.times.decide; }},
    MetricsColumn{"learn_seconds", "of all threads: gradients",
                  [](Row& r) -> double& { return r.times.learn; }},
    MetricsColumn{"optimise_seconds", "adding gradients up and stepping against them",
                  [](Row& r) -> double& { return r.times.optimise; }},
    MetricsColumn{"wall_seconds", "by the clock", [](Row& r) -> double& { return r.times.wall; }},
    MetricsColumn{"busy_share", "of the threads' time that they worked in",
                  [](Row& r) -> double& { return r.busy_share; }},
    MetricsColumn{"rating", "in points, of opposed sides against their past policies",
                  [](Row& r) -> double& { return r.rating; }, Known::by_gradients},
    MetricsColumn{"rating_standard_error", "standard error of the rating",
                  [](Row& r) -> double& { return r.rating_standard_error; }, Known::by_gradients},
    MetricsColumn{"past_policies", "in the roster",
                  [](Row& r) -> double& { return r.past_policies; }, Known::by_gradients},
    MetricsColumn{"forgotten", "past policies that beat the present one",
                  [](Row& r) -> double& { return r.forgotten; }, Known::by_gradients},
    MetricsColumn{"cycles", "of three policies each of which beats the next",
                  [](Row& r) -> double& { return r.cycles; }, Known::by_gradients},
    MetricsColumn{"generation", "of the evolution, from 1",
                  [](Row& r) -> double& { return r.generation; }, Known::by_evolution},
    MetricsColumn{"best", "fitness of the generation",
                  [](Row& r) -> double& { return r.evolution.best; }, Known::by_evolution},
    MetricsColumn{"mean", "fitness of the generation",
                  [](Row& r) -> double& { return r.evolution.mean; }, Known::by_evolution},
    MetricsColumn{"fitness_stddev", "standard deviation of the generation's fitness",
                  [](Row& r) -> double& { return r.evolution.stddev; }, Known::by_evolution},
    MetricsColumn{"lower", "fitness that a quarter of the generation is below",
                  [](Row& r) -> double& { return r.evolution.lower; }, Known::by_evolution},
    MetricsColumn{"median", "fitness that half of the generation is below",
                  [](Row& r) -> double& { return r.evolution.median; }, Known::by_evolution},
    MetricsColumn{"upper", "fitness that three quarters of the generation are below",
                  [](Row& r) -> double& { return r.evolution.upper; }, Known::by_evolution},
    MetricsColumn{"mutation_strength", "of mutations or samples",
                  [](Row& r) -> double& { return r.evolution.mutation_strength; },
                  Known::by_evolution},
    MetricsColumn{"diversity", "mean distance of two individuals",
                  [](Row& r) -> double& { return r.evolution.diversity; }, Known::by_evolution},
    MetricsColumn{"species", "in the generation, of networks that grow",
                  [](Row& r) -> double& { return r.species; }, Known::by_evolution},
    MetricsColumn{"hidden", "nodes of networks that grow, mean",
                  [](Row& r) -> double& { return r.evolution.hidden; }, Known::by_evolution},
    MetricsColumn{"links", "of networks that grow, mean",
                  [](Row& r) -> double& { return r.evolution.links; }, Known::by_evolution},
    MetricsColumn{"led_since", "generation in which the leader was found",
                  [](Row& r) -> double& { return r.led_since; }, Known::by_evolution}};

using Further = RoleMetrics;

constexpr std::array of_roles{
    RoleColumn{"mean_return", [](Further& r) -> double& { return r.mean_return; },
               Known::with_episodes},
    RoleColumn{"success", [](Further& r) -> double& { return r.success; }, Known::with_episodes},
    RoleColumn{"policy_loss", [](Further& r) -> double& { return r.learner.policy_loss; },
               Known::by_gradients},
    RoleColumn{"value_loss", [](Further& r) -> double& { return r.learner.value_loss; },
               Known::by_gradients},
    RoleColumn{"credit_loss", [](Further& r) -> double& { return r.learner.credit_loss; },
               Known::by_gradients},
    RoleColumn{"entropy", [](Further& r) -> double& { return r.learner.entropy; },
               Known::by_gradients},
    RoleColumn{"kl", [](Further& r) -> double& { return r.learner.kl; }, Known::by_gradients},
    RoleColumn{"clip_share", [](Further& r) -> double& { return r.learner.clip_share; },
               Known::by_gradients},
    RoleColumn{"explained_variance",
               [](Further& r) -> double& { return r.learner.explained_variance; },
               Known::by_gradients},
    RoleColumn{"gradient_norm", [](Further& r) -> double& { return r.learner.gradient_norm; },
               Known::by_gradients},
    RoleColumn{"value_gradient_norm",
               [](Further& r) -> double& { return r.learner.value_gradient_norm; },
               Known::by_gradients},
    RoleColumn{"learning_rate", [](Further& r) -> double& { return r.learner.learning_rate; },
               Known::by_gradients},
    RoleColumn{"dial_stddev", [](Further& r) -> double& { return r.learner.stddev; },
               Known::by_gradients},
    RoleColumn{"best", [](Further& r) -> double& { return r.evolution.best; }, Known::by_evolution},
    RoleColumn{"mean", [](Further& r) -> double& { return r.evolution.mean; }, Known::by_evolution},
    RoleColumn{"fitness_stddev", [](Further& r) -> double& { return r.evolution.stddev; },
               Known::by_evolution},
    RoleColumn{"diversity", [](Further& r) -> double& { return r.evolution.diversity; },
               Known::by_evolution}};

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
std::span<const RoleColumn> role_columns() { return of_roles; }

std::string metrics_csv(const std::vector<MetricsRow>& rows) {
  const bool evolves = !rows.empty() && rows[0].evolution.generation > 0;
  const auto concerned = [&](const auto& column) {
    return column.known != (evolves ? Known::by_gradients : Known::by_evolution);
  };
  // Terms are the same in all updates in which episodes ended.
  const auto with_terms =
      std::find_if(rows.begin(), rows.end(), [](const Row& r) { return !r.terms.empty(); });
  const std::size_t terms = with_terms == rows.end() ? 0 : with_terms->terms.size();
  std::string text = "steps,episodes,stage";
  for (const auto& column : columns)
    if (concerned(column)) text += fmt::format(",{}", column.name);
  for (std::size_t t = 0; t < terms; ++t)
    text += "," + csv_field("term." + with_terms->terms[t].first);
  // Which policies learn is the same in all updates too, and so are their terms once episodes
  // ended.
  const auto with_roles = std::find_if(rows.begin(), rows.end(), [](const Row& r) {
    return std::all_of(r.roles.begin(), r.roles.end(),
                       [](const RoleMetrics& own) { return !own.terms.empty(); });
  });
  const std::vector<RoleMetrics> further = rows.empty()               ? std::vector<RoleMetrics>{}
                                           : with_roles == rows.end() ? rows[0].roles
                                                                      : with_roles->roles;
  for (const RoleMetrics& role : further) {
    for (const auto& column : of_roles)
      if (concerned(column)) text += "," + csv_field(fmt::format("{}.{}", role.role, column.name));
    for (const auto& [term, mean] : role.terms)
      text += "," + csv_field(fmt::format("{}.term.{}", role.role, term));
  }
  text += '\n';
  for (MetricsRow row : rows) {
    text += fmt::format("{},{},{}", row.steps, row.episodes, row.stage);
    for (const auto& column : columns)
      if (concerned(column))
        text += knows(row, column.known) ? fmt::format(",{}", column.of(row)) : ",";
    for (std::size_t t = 0; t < terms; ++t)
      text += row.terms.empty() ? "," : fmt::format(",{}", row.terms[t].second);
    for (std::size_t r = 0; r < row.roles.size(); ++r) {
      RoleMetrics& own = row.roles[r];
      for (const auto& column : of_roles)
        if (concerned(column))
          text += knows(own, column.known) ? fmt::format(",{}", column.of(own)) : ",";
      for (std::size_t t = 0; t < further[r].terms.size(); ++t)
        text += own.terms.empty() ? "," : fmt::format(",{}", own.terms[t].second);
    }
    text += '\n';
  }
  return text;
}

std::string open_metrics(const MetricsRow& given,
                         const std::vector<std::pair<std::string, std::string>>& labels) {
  MetricsRow row = given;
  std::string all;
  for (const auto& [key, value] : labels)
    all += fmt::format("{}{}={}", all.empty() ? "" : ",", key, in_quotes(value));
  std::string text;
  const auto add = [&](const std::string& name, const char* type, const char* about,
                       const std::string& more, double value) {
    if (type != nullptr)
      text += fmt::format("# TYPE {0} {1}\n# HELP {0} {2}.\n", name, type, about);
    text += fmt::format("{}{}{{{}{}}} {}\n", name,
                        type == nullptr || std::string_view(type) == "gauge" ? "" : "_total", all,
                        more, value);
  };
  const auto role_label = [&](const RoleMetrics& role) {
    return (all.empty() ? "role=" : ",role=") + in_quotes(role.role);
  };
  add("zithercraft_steps", "counter", "taken so far", "", static_cast<double>(row.steps));
  add("zithercraft_stage", "gauge", "of the curriculum, from 0", "",
      static_cast<double>(row.stage));
  for (const auto& column : columns)
    if (knows(row, column.known)) {
      add(fmt::format("zithercraft_{}", column.name), "gauge", column.about, "", column.of(row));
      for (RoleMetrics& role : row.roles)
        for (const auto& own : of_roles)
          if (std::string_view(own.name) == column.name && knows(role, own.known))
            add(fmt::format("zithercraft_{}", column.name), nullptr, nullptr, role_label(role),
                own.of(role));
    }
  for (std::size_t t = 0; t < row.terms.size(); ++t)
    add("zithercraft_term", t == 0 ? "gauge" : nullptr, "reward of a term per episode",
        (all.empty() ? "term=" : ",term=") + in_quotes(row.terms[t].first), row.terms[t].second);
  for (const RoleMetrics& role : row.roles)
    for (const auto& [term, mean] : role.terms)
      add("zithercraft_term", nullptr, nullptr, role_label(role) + ",term=" + in_quotes(term),
          mean);
  return text + "# EOF\n";
}

}  // namespace zithercraft
