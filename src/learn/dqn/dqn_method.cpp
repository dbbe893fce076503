#include "learn/dqn/dqn_trainee.hpp"
#include "learn/dqn/exploration_fields.hpp"
#include "learn/play/make_training.hpp"
#include "learn/play/training_metrics.hpp"
#include "learn/settings_model.hpp"
#include "learn/values/off_policy_fields.hpp"
#include "learn/values/off_policy_metrics.hpp"
#include "zithercraft/learn/dqn.hpp"

namespace zithercraft {
using namespace learn_internal;

template <class V>
void describe(V& v, DqnSettings& s) {
  describe(v, static_cast<OffPolicySettings&>(s));
  v("double_q", s.double_q);
  v("duelling", s.duelling);
  v("steps_ahead", s.steps_ahead, between(1, 1000));
  v("memory", s.memory, between(0, 65536));
  v("memory_span", s.memory_span, between(1, 64));
  v("target_every", s.target_every, at_least(0));
  v("priority", s.priority, between(0, 1));
  v("priority_correction", s.priority_correction, between(0, 1));
  v("quantiles", s.quantiles, between(0, 1024));
  v("exploration", s.exploration);
  v("epsilon", s.epsilon, between(0, 1));
  v("last_epsilon", s.last_epsilon, between(0, 1));
  v("noisy", s.noisy);
  v("epsilon_by_lane", s.epsilon_by_lane);
  v("temperature", s.temperature, positive());
  v("last_temperature", s.last_temperature, positive());
  v("explore_until", s.explore_until, Rule{.low = 0.0, .high = 1.0, .above_low = true});
}

namespace {

std::vector<MetricInfo> dqn_infos() {
  std::vector<MetricInfo> list = off_policy_infos();
  list.insert(
      list.end(),
      {{"value_loss", "", "mean over transitions, in the value network's scale", "value_loss"},
       {"mean_value", "", "of the options taken in the transitions, as predicted", "mean_value"},
       {"epsilon", "", "probability of any option", "epsilon"}});
  const std::vector<MetricInfo> common = training_infos();
  list.insert(list.end(), common.begin(), common.end());
  return list;
}

std::vector<ChartInfo> dqn_charts() {
  std::vector<ChartInfo> list = roster_charts();
  list.insert(list.end(),
              {{.name = "mean_value", .title = "Predicted return of what was done", .live = true},
               {.name = "epsilon", .title = "Share of options taken at random", .least = 0.0},
               {.name = "value_loss", .title = "Loss of the values", .least = 0.0}});
  return list;
}

std::unique_ptr<Learner> make_dqn(LearnerContext c) {
  return make_training<DqnSettings, DqnTrainee>(
      std::move(c), [](const DqnSettings& s) { return training_settings(s, "dqn"); });
}

}  // namespace

DqnSettings settled(DqnSettings settings, const Game& game, std::int64_t total_steps,
                    std::span<const RolePlayer> players) {
  settle_off_policy(settings, game, total_steps, players);
  if (!settings.steps_ahead) settings.steps_ahead = steps_until_paid(game, players, 3);
  return settings;
}

std::shared_ptr<const SettingsModel> settings_model(const DqnSettings& settings) {
  return std::make_shared<StructModel<DqnSettings>>("dqn", settings);
}

LearningMethod dqn_method() {
  return {.name = "dqn",
          .about = "deep Q-learning: values of options, from steps that are kept",
          .controls = "choices; masks",
          .senses = "columns, pictures, crowds; memory",
          .settings = DqnSettings{},
          .role_settings = true,
          .metrics = dqn_infos(),
          .charts = dqn_charts(),
          .against_collapse =
              "go back to a kept checkpoint from before, with a lower learning rate or a slower "
              "target_rate",
          .against_plateau = "try stages, or explore longer: a larger explore_until",
          .teachers = [](const LearnerSettings& s) { return teacher_use(s.as<DqnSettings>()); },
          .settle = settle_training<DqnSettings>,
          .make = make_dqn};
}

}  // namespace zithercraft
