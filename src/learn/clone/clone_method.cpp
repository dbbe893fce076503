#include <algorithm>
#include <cmath>

#include "learn/clone/clone_trainee.hpp"
#include "learn/network_fields.hpp"
#include "learn/play/make_training.hpp"
#include "learn/play/occasion.hpp"
#include "learn/play/training_metrics.hpp"
#include "learn/settings_model.hpp"
#include "learn/values/off_policy_metrics.hpp"
#include "zithercraft/learn/clone.hpp"

namespace zithercraft {
using namespace learn_internal;

template <class V>
void describe(V& v, CloneSettings& s) {
  v("continued_by", s.continued_by);
  v("policy_layers", s.policy_layers, between(1, 65536));
  v("activation", s.activation);
  describe_fronts(v, s);
  v("minibatch", s.minibatch, between(1, 65536));
  v("learning_rate", s.learning_rate, positive());
  v("weight_decay", s.weight_decay, at_least(0));
  v("gradient_limit", s.gradient_limit, positive());
  v("normalise", s.normalise);
  v("held_out", s.held_out, between(0, 0.5));
  v("disturbance", s.disturbance, between(0, 0.9));
  v("patience", s.patience, at_least(0));
  v("interactive", s.interactive);
  v("lanes", s.lanes, between(1, 65536));
  v("horizon", s.horizon, between(1, 65536));
  v("teacher_share", s.teacher_share, between(0, 1));
  v("teacher_fades_by", s.teacher_fades_by, Rule{.low = 0.0, .high = 1.0, .above_low = true});
  v("passes", s.passes, positive());
}

namespace learn_internal {

OffPolicySettings off_policy_settings(const CloneSettings& s) {
  constexpr std::int64_t most_kept = 1'000'000;
  OffPolicySettings o;
  o.lanes = s.lanes;
  o.horizon = s.horizon;
  o.discount = 0.0;
  o.experience = s.interactive ? most_kept : 2;
  o.warm_up = 0;
  o.minibatch = s.minibatch;
  o.updates_per_step = (s.interactive ? s.passes : 1.0) / static_cast<double>(s.minibatch);
  o.learning_rate = s.learning_rate;
  o.gradient_limit = s.gradient_limit;
  o.normalise = s.normalise;
  o.normalise_returns = false;
  o.teacher_share = s.teacher_share;
  o.teacher_fades_by = s.teacher_fades_by;
  o.offline = !s.interactive;
  o.conservative_weight = 0.0;
  o.against_past = o.against_hardest = 0.0;
  o.snapshot_every = 1;
  return o;
}

}  // namespace learn_internal

namespace {

TrainingSettings clone_training(const CloneSettings& s) {
  TrainingSettings training = training_settings(off_policy_settings(s), "clone");
  training.roster.used = false;
  training.asks_teachers = s.interactive;
  return training;
}

std::vector<MetricInfo> clone_infos() {
  std::vector<MetricInfo> list = off_policy_infos();
  list.insert(
      list.end(),
      {{"imitation_loss", "nats", "how unlikely the policy finds what its teachers did", "loss"},
       {"held_out_loss", "nats", "the same in episodes that it has not learned from", "loss"},
       {"agreement", "", "share of controls that are as the teachers set them", "agreement"},
       {"held_out_agreement", "", "the same in episodes that it has not learned from", "agreement"},
       {"teacher_success", "", "share of the demonstrated episodes that succeed", ""}});
  const std::vector<MetricInfo> common = training_infos();
  list.insert(list.end(), common.begin(), common.end());
  return list;
}

std::vector<ChartInfo> clone_charts() {
  return {{.name = "agreement",
           .title = "Share of controls that are as the teachers set them",
           .least = 0.0,
           .most = 1.0,
           .live = true},
          {.name = "loss", .title = "How unlikely the policy finds its teachers, nats"}};
}

std::unique_ptr<Learner> make_clone(LearnerContext c) {
  return make_training<CloneSettings, CloneTrainee>(std::move(c), clone_training);
}

}  // namespace

CloneSettings settled(CloneSettings s, const Game& game, std::int64_t total_steps,
                      std::span<const RolePlayer> players) {
  const NetworkKind kind = network_kind_of(s.continued_by);
  if (!s.policy_layers) s.policy_layers = kind.layers;
  if (!s.activation) s.activation = kind.activation;
  const Occasion o = occasion_of(game, total_steps, players);
  constexpr double updates = 400.0, rows = 32.0, rollouts = 100.0;
  if (!s.lanes)
    s.lanes = !s.interactive ? 1
              : o.copies     ? static_cast<std::int64_t>(*o.copies)
                             : std::max<std::int64_t>(
                               1, static_cast<std::int64_t>(rows / static_cast<double>(o.seats)));
  const double side_by_side = static_cast<double>(*s.lanes * (s.interactive ? o.seats : 1));
  if (!s.horizon)
    s.horizon =
        s.interactive
            ? std::clamp<std::int64_t>(power_below(o.steps / (rollouts * side_by_side)), 4, 64)
            : std::clamp<std::int64_t>(std::llround(o.steps / updates / side_by_side), 1, 65536);
  return s;
}

std::shared_ptr<const SettingsModel> settings_model(const CloneSettings& settings) {
  return std::make_shared<StructModel<CloneSettings>>("clone", settings);
}

LearningMethod clone_method() {
  return {.name = "clone",
          .about = "imitation: a policy does what its teachers do",
          .controls = "dials and choices, together too; masks",
          .senses = "columns, pictures, crowds",
          .settings = CloneSettings{},
          .role_settings = true,
          .metrics = clone_infos(),
          .charts = clone_charts(),
          .against_collapse = "ask the teacher where the policy goes: interactive=true",
          .against_plateau =
              "give more episodes, or ask the teacher where the policy goes: "
              "interactive=true",
          .teachers = [](const LearnerSettings& s) -> TeacherUse {
            return {.demonstrations = true,
                    .asked = s.as<CloneSettings>().interactive,
                    .needed = true,
                    .disturbance = s.as<CloneSettings>().disturbance};
          },
          .settle = settle_training<CloneSettings>,
          .make = make_clone};
}

}  // namespace zithercraft
