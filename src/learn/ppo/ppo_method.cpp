#include "learn/ppo/policy_gradient_fields.hpp"
#include "learn/settings_model.hpp"
#include "zithercraft/learn/method.hpp"
#include "zithercraft/learn/ppo.hpp"

namespace zithercraft {
namespace {

std::vector<MetricInfo> infos() {
  return {{"policy_loss", "", "of the last epoch, mean over samples", ""},
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
          {"play_seconds", "s", "playing (ticks, senses)", time_chart},
          {"decide_seconds", "s", "deciding while playing", time_chart},
          {"learn_seconds", "s", "learning (gradients)", time_chart},
          {"optimise_seconds", "s", "stepping (optimiser)", time_chart},
          {"rating", "points", "of opposed sides against their past policies", "rating"},
          {"rating_standard_error", "points", "standard error of the rating", "rating",
           Drawn::standard_error},
          {"past_policies", "", "in the roster", ""},
          {"past_share", "", "of the lanes' steps in which a past policy played", ""},
          {"forgotten", "", "past policies that beat the present one", "forgotten"},
          {"cycles", "", "of three policies each of which beats the next", "forgotten"}};
}

std::vector<ChartInfo> charts() {
  return {
      {.name = "rating", .title = "Rating against past policies, points, with its 95% interval"},
      {.name = "forgotten",
       .title = "Past policies that beat the present one, and cycles of three",
       .least = 0.0},
      {.name = "entropy", .title = "Entropy of the policy, nats", .live = true},
      {.name = "explained_variance",
       .title = "Share of the returns' variance explained by the value network",
       .most = 1.0},
      {.name = "kl", .title = "Divergence of the policy per update, nats", .least = 0.0}};
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
          .metrics = infos(),
          .charts = charts(),
          .against_collapse =
              "go back to a kept checkpoint from before, with a lower learning "
              "rate or more entropy weight",
          .against_plateau = "try stages, or more entropy weight",
          .settle = [](const LearnerSettings& settings, const Game& game, Budget budget,
                       std::span<const RolePlayer> players) -> LearnerSettings {
            return settled(settings.as<PolicyGradientSettings>(), game, budget.steps, players);
          },
          .make = [](LearnerContext c) -> std::unique_ptr<Learner> {
            return std::make_unique<Ppo>(c.game, c.settings.as<PolicyGradientSettings>(), c.seed,
                                         c.budget.steps, c.pool, c.processes, std::move(c.players));
          }};
}

}  // namespace zithercraft
