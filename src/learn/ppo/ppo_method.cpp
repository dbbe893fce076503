#include "learn/play/machine_memory.hpp"
#include "learn/play/occasion.hpp"
#include "learn/play/training_metrics.hpp"
#include "learn/ppo/policy_gradient_fields.hpp"
#include "learn/settings_model.hpp"
#include "zithercraft/learn/method.hpp"
#include "zithercraft/learn/ppo.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

std::vector<MetricInfo> ppo_infos() {
  std::vector<MetricInfo> list{
      {"policy_loss", "", "of the last epoch, mean over samples", ""},
      {"value_loss", "", "of the last epoch, in the value network's scale", ""},
      {"credit_loss", "",
       "of the network behind the counterfactual baseline, in the value network's scale", ""},
      {"entropy", "nats", "of the policy", "entropy"},
      {"kl", "nats", "divergence from the policy that played", "kl"},
      {"clip_share", "", "of samples whose ratio was clipped", ""},
      {"explained_variance", "", "share of the returns' variance that values explained before",
       "explained_variance"},
      {"gradient_norm", "", "of the policy network before the limit", ""},
      {"value_gradient_norm", "", "of the value network before the limit", ""},
      {"learning_rate", "", "of this update", ""},
      {"dial_stddev", "", "of dials, mean, as a share of half their range", ""},
      {"teacher_loss", "nats", "how unlikely the policy finds what a teacher would do", ""}};
  const std::vector<MetricInfo> common = training_infos();
  list.insert(list.end(), common.begin(), common.end());
  return list;
}

// Of all roles that learn: what their seats sense, decide and get in the steps of an update.
double rollout_bytes(const LearnerContext& c, const PolicyGradientSettings& s) {
  constexpr std::size_t of_a_step = 16;  // rewards, values, advantages and the like
  const double samples = static_cast<double>(*s.lanes) * static_cast<double>(*s.horizon);
  double bytes = 0.0;
  for (std::size_t r = 0; r < c.players.size(); ++r) {
    if (c.players[r].player != nullptr) continue;
    const Role& role = c.game.roles()[r];
    const std::size_t numbers = role.columns.size() + 2 * role.controls.size() + of_a_step;
    bytes += samples * static_cast<double>(role.seats.size() * numbers * sizeof(float));
  }
  return bytes;
}

// Returns its bytes, and refuses more than the machine can keep.
double checked_rollout(const LearnerContext& c, const PolicyGradientSettings& s) {
  const double bytes = rollout_bytes(c, s);
  const double fitting = 0.25 * machine_memory() / bytes * static_cast<double>(*s.lanes);
  check_memory(
      bytes,
      "playing " + std::to_string(*s.lanes) + " lanes for " + std::to_string(*s.horizon) + " steps",
      "learner.lanes",
      fitting >= 1.0 ? "play fewer: lanes=" + std::to_string(power_below(fitting))
                     : "play shorter: horizon=32, in few lanes");
  return bytes;
}

PolicyGradientSettings settled_in(const LearnerContext& c) {
  return settled(c.settings.as<PolicyGradientSettings>(), c.game, c.budget.steps, c.players);
}

std::vector<std::string> ppo_forecast(const LearnerContext& c) {
  constexpr double worth_telling = 2e8;
  const PolicyGradientSettings s = settled_in(c);
  const double bytes = checked_rollout(c, s);
  if (bytes < worth_telling) return {};
  return {"an update keeps " + std::to_string(*s.lanes) + " lanes of " +
          std::to_string(*s.horizon) + " steps: " + gigabytes(bytes) + " of memory"};
}

std::vector<ChartInfo> ppo_charts() {
  std::vector<ChartInfo> list = roster_charts();
  list.insert(list.end(),
              {{.name = "entropy", .title = "Entropy of the policy, nats", .live = true},
               {.name = "explained_variance",
                .title = "Share of the returns' variance explained by the value network",
                .most = 1.0},
               {.name = "kl", .title = "Divergence of the policy per update, nats", .least = 0.0}});
  return list;
}

}  // namespace

std::shared_ptr<const SettingsModel> settings_model(const PolicyGradientSettings& settings) {
  return std::make_shared<StructModel<PolicyGradientSettings>>("ppo", settings);
}

LearningMethod ppo_method() {
  return {.name = "ppo",
          .about = "proximal policy optimisation: gradients of what was just played",
          .controls = "dials and choices, together too; masks",
          .senses = "columns, pictures, crowds; memory",
          .settings = PolicyGradientSettings{},
          .role_settings = true,
          .metrics = ppo_infos(),
          .charts = ppo_charts(),
          .against_collapse =
              "go back to a kept checkpoint from before, with a lower learning "
              "rate or more entropy weight",
          .against_plateau = "try stages, or more entropy weight",
          .teachers = [](const LearnerSettings& settings) -> TeacherUse {
            const bool asked = settings.as<PolicyGradientSettings>().teacher_weight > 0.0;
            return {.asked = asked, .sampled = true};
          },
          .settle = [](const LearnerSettings& settings, const Game& game, Budget budget,
                       std::span<const RolePlayer> players) -> LearnerSettings {
            return settled(settings.as<PolicyGradientSettings>(), game, budget.steps, players);
          },
          .forecast = ppo_forecast,
          .make = [](LearnerContext c) -> std::unique_ptr<Learner> {
            checked_rollout(c, settled_in(c));
            return std::make_unique<Ppo>(c.game, c.settings.as<PolicyGradientSettings>(), c.seed,
                                         c.budget.steps, c.pool, c.processes, std::move(c.players));
          }};
}

}  // namespace zithercraft
