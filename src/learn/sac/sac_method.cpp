#include "learn/play/make_training.hpp"
#include "learn/play/training_metrics.hpp"
#include "learn/sac/sac_trainee.hpp"
#include "learn/settings_model.hpp"
#include "learn/values/off_policy_fields.hpp"
#include "learn/values/off_policy_metrics.hpp"
#include "zithercraft/learn/sac.hpp"

namespace zithercraft {
using namespace learn_internal;

template <>
struct config::Words<ActorKind> {
  static constexpr std::array list{std::pair{"sampled", ActorKind::sampled},
                                   std::pair{"deterministic", ActorKind::deterministic}};
};

template <class V>
void describe(V& v, ActorCriticSettings& s) {
  v("policy_layers", s.policy_layers, between(1, 65536));
  describe(v, static_cast<OffPolicySettings&>(s));
  v("actor", s.actor);
  v("value_sees", s.value_sees);
  v("critics", s.critics, between(1, 16));
  v("steps_ahead", s.steps_ahead, between(1, 1000));
  v("policy_every", s.policy_every, at_least(1));
  v("temperature", s.temperature, positive());
  v("learn_temperature", s.learn_temperature);
  v("dial_entropy", s.dial_entropy);
  v("choice_entropy", s.choice_entropy, between(0, 1));
  v("explore_noise", s.explore_noise, at_least(0));
  v("target_noise", s.target_noise, at_least(0));
  v("target_noise_limit", s.target_noise_limit, at_least(0));
}

namespace {

std::vector<MetricInfo> actor_critic_infos() {
  std::vector<MetricInfo> list = off_policy_infos();
  list.insert(
      list.end(),
      {{"value_loss", "", "mean over transitions, in the value network's scale", "value_loss"},
       {"mean_value", "", "of what was done in the transitions, as predicted", "mean_value"},
       {"dial_entropy", "nats", "of the dials together", "entropy"},
       {"dial_temperature", "", "what a nat of it is worth, in the value network's scale", ""},
       {"choice_entropy", "nats", "of the choices together", "entropy"},
       {"choice_temperature", "", "what a nat of it is worth, in the value network's scale", ""}});
  const std::vector<MetricInfo> common = training_infos();
  list.insert(list.end(), common.begin(), common.end());
  return list;
}

std::vector<ChartInfo> actor_critic_charts() {
  std::vector<ChartInfo> list = roster_charts();
  list.insert(list.end(),
              {{.name = "entropy", .title = "Entropy of the policy, nats", .live = true},
               {.name = "mean_value", .title = "Predicted return of what was done", .live = true},
               {.name = "value_loss", .title = "Loss of the values", .least = 0.0}});
  return list;
}

std::unique_ptr<Learner> make_actor_critic(LearnerContext c) {
  return make_training<ActorCriticSettings, SacTrainee>(
      std::move(c), [](const ActorCriticSettings& s) { return training_settings(s, s.method); });
}

LearningMethod actor_critic_method(const ActorCriticSettings& settings, std::string about,
                                   std::string controls) {
  return {
      .name = settings.method,
      .about = std::move(about),
      .controls = std::move(controls),
      .senses = "columns, pictures, crowds",
      .settings = settings,
      .role_settings = true,
      .metrics = actor_critic_infos(),
      .charts = actor_critic_charts(),
      .against_collapse =
          "go back to a kept checkpoint from before, with a lower learning rate or a slower "
          "target_rate",
      .against_plateau = "try stages, or more updates_per_step",
      .teachers = [](const LearnerSettings& s) { return teacher_use(s.as<ActorCriticSettings>()); },
      .settle = settle_training<ActorCriticSettings>,
      .make = make_actor_critic};
}

}  // namespace

ActorCriticSettings td3_settings() {
  ActorCriticSettings settings;
  settings.method = "td3";
  settings.actor = ActorKind::deterministic;
  return settings;
}

ActorCriticSettings ddpg_settings() {
  ActorCriticSettings settings = td3_settings();
  settings.method = "ddpg";
  settings.policy_every = 1;
  settings.critics = 1;
  settings.target_noise = 0.0;
  return settings;
}

ActorCriticSettings settled(ActorCriticSettings settings, const Game& game,
                            std::int64_t total_steps, std::span<const RolePlayer> players) {
  settle_off_policy(settings, game, total_steps, players);
  if (!settings.steps_ahead) settings.steps_ahead = steps_until_paid(game, players, 1);
  return settings;
}

std::shared_ptr<const SettingsModel> settings_model(const ActorCriticSettings& settings) {
  return std::make_shared<StructModel<ActorCriticSettings>>(settings.method, settings);
}

LearningMethod sac_method() {
  return actor_critic_method({},
                             "soft actor-critic: aims by what values say, from steps that are kept",
                             "dials and up to 256 combinations of options, together too; masks");
}
LearningMethod td3_method() {
  return actor_critic_method(td3_settings(),
                             "actor-critic with a deterministic policy and two critics", "dials");
}
LearningMethod ddpg_method() {
  return actor_critic_method(ddpg_settings(),
                             "actor-critic with a deterministic policy and one critic", "dials");
}

}  // namespace zithercraft
