#include "zithercraft/learn/ppo.hpp"

#include <algorithm>
#include <cmath>

#include "learn/play/training.hpp"
#include "learn/policy/policy_learner.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

void check_settings(const PolicyGradientSettings& s) {
  const auto need = [](bool fine, const char* key, const char* fix) {
    if (!fine)
      throw Error(ErrorKind::spec,
                  "the learner's setting '" + std::string(key) + "' cannot be used", "learner",
                  fix);
  };
  const auto layers = [](const std::vector<std::int64_t>& widths) {
    return std::all_of(widths.begin(), widths.end(),
                       [](std::int64_t w) { return w >= 1 && w <= 65536; });
  };
  need(layers(s.policy_layers), "policy_layers", "give widths from 1 to 65536");
  need(layers(s.value_layers), "value_layers", "give widths from 1 to 65536");
  need(s.memory >= 0 && s.memory <= 65536, "memory", "give a number from 0 to 65536");
  need(s.memory == 0 || (*s.memory_span >= 1 && *s.horizon % *s.memory_span == 0), "memory_span",
       "give a number that divides the horizon");
  need(s.picture_least >= 1, "picture_least", "give at least 1");
  need(s.crowd_width >= 0 && s.crowd_width <= 65536, "crowd_width",
       "give a number from 0 to 65536");
  need(s.crowd_queries >= 1 && s.crowd_queries <= 1024, "crowd_queries",
       "give a number from 1 to 1024");
  need(*s.lanes >= 1 && *s.lanes <= 65536, "lanes", "give a number from 1 to 65536");
  need(*s.horizon >= 1 && *s.horizon <= 65536, "horizon", "give a number from 1 to 65536");
  need(*s.epochs >= 1, "epochs", "give at least 1");
  need(*s.minibatch >= 1, "minibatch", "give at least 1");
  need(s.kl_limit >= 0, "kl_limit", "give a number of at least 0");
  need(s.value_weight > 0, "value_weight", "give a number above 0");
  need(s.value_clip >= 0, "value_clip", "give a number of at least 0");
  need(s.learning_rate > 0 && std::isfinite(s.learning_rate), "learning_rate",
       "give a number above 0");
  need(s.last_learning_rate >= 0 && std::isfinite(s.last_learning_rate), "last_learning_rate",
       "give a number of at least 0");
  need(*s.discount >= 0 && *s.discount <= 1, "discount", "give a number from 0 to 1");
  need(s.trace_decay >= 0 && s.trace_decay <= 1, "trace_decay", "give a number from 0 to 1");
  need(s.clip > 0, "clip", "give a number above 0");
  need(*s.entropy_weight >= 0, "entropy_weight", "give a number of at least 0");
  need(*s.last_entropy_weight >= 0, "last_entropy_weight", "give a number of at least 0");
  need(s.entropy_fades_by > 0 && s.entropy_fades_by <= 1, "entropy_fades_by",
       "give a number above 0, at most 1");
  need(s.teacher_weight >= 0, "teacher_weight", "give a number of at least 0");
  need(s.teacher_fades_by > 0 && s.teacher_fades_by <= 1, "teacher_fades_by",
       "give a number above 0, at most 1");
  need(!s.counterfactual || s.value_sees != Sight::own, "counterfactual",
       "let the value network see others too: value_sees = \"side\" or \"everyone\"");
  need(!s.counterfactual || s.baseline, "counterfactual", "set baseline to true: it is a baseline");
  need(*s.against_past >= 0 && *s.against_past <= 1, "against_past", "give a number from 0 to 1");
  need(*s.against_hardest >= 0 && *s.against_past + *s.against_hardest <= 1, "against_hardest",
       "give a number of at least 0, with against_past at most 1");
  need(*s.snapshot_every >= 1, "snapshot_every", "give at least 1");
  need(s.snapshot_gain >= 0, "snapshot_gain", "give a number of at least 0");
  need(s.roster_size >= 3 && s.roster_size <= 4096, "roster_size", "give a number from 3 to 4096");
  need(s.gradient_limit > 0, "gradient_limit", "give a number above 0");
  need(*s.first_stddev > 0, "first_stddev", "give a number above 0");
}

}  // namespace

PhaseTimes& PhaseTimes::operator+=(const PhaseTimes& other) {
  play += other.play;
  decide += other.decide;
  learn += other.learn;
  optimise += other.optimise;
  wall += other.wall;
  return *this;
}

namespace {

// What all policies of a training have in common.
PolicyGradientSettings settings_for(const LearnerSettings* of_role,
                                    const PolicyGradientSettings& common, const Game& game,
                                    std::int64_t total_steps, std::span<const RolePlayer> players) {
  PolicyGradientSettings own = of_role != nullptr ? of_role->as<PolicyGradientSettings>() : common;
  own.lanes = common.lanes;
  own.horizon = common.horizon;
  return settled(std::move(own), game, total_steps, players);
}

TrainingSettings training_settings(const PolicyGradientSettings& s) {
  return {.method = "Ppo",
          .lanes = static_cast<std::size_t>(*s.lanes),
          .horizon = static_cast<std::size_t>(*s.horizon),
          .roster = {true, *s.against_past, *s.against_hardest, *s.snapshot_every, s.snapshot_gain,
                     s.roster_size},
          .asks_teachers = s.teacher_weight > 0.0};
}

}  // namespace

struct Ppo::State {
  State(const Game& game, const PolicyGradientSettings& settings, std::uint64_t seed,
        std::int64_t total_steps, WorkerPool& pool, ProcessGroup* processes,
        const std::vector<RolePlayer>& players)
      : training(game, training_settings(settings), seed, {.steps = total_steps}, pool, processes,
                 players, nullptr,
                 [&](TrainingContext& context, std::vector<std::size_t> roles,
                     const LearnerSettings* of_role) {
                   const PolicyGradientSettings own =
                       settings_for(of_role, settings, game, total_steps, players);
                   check_settings(own);
                   auto learner = std::make_unique<PolicyLearner>(context, std::move(roles), own);
                   learners.push_back(learner.get());
                   return learner;
                 }) {}

  std::vector<const PolicyLearner*> learners{};  // the training's
  Training training;
  std::vector<PolicyGradientReport> improvements{};
};

Ppo::Ppo(const Game& game, const PolicyGradientSettings& settings, std::uint64_t seed,
         std::int64_t total_steps, WorkerPool& pool, ProcessGroup* processes,
         std::vector<RolePlayer> players) {
  check_length({.steps = total_steps}, "Ppo");
  if (players.empty()) players = usual_players(game, seed);
  const PolicyGradientSettings all = settled(settings, game, total_steps, players);
  check_settings(all);
  state_ =
      std::make_unique<State>(game, all, seed, total_steps, pool, processes, std::move(players));
}

Ppo::Ppo(Ppo&&) noexcept = default;
Ppo& Ppo::operator=(Ppo&&) noexcept = default;
Ppo::~Ppo() = default;

void Ppo::begin() { state_->training.begin(); }
CollectReport Ppo::collect() { return state_->training.collect(); }
void Ppo::improve() {
  state_->training.improve();
  state_->improvements.clear();
  for (const PolicyLearner* learner : state_->learners)
    state_->improvements.push_back(learner->report());
}
LearnerReport Ppo::report() const { return state_->training.report(); }
std::int64_t Ppo::steps() const noexcept { return state_->training.steps(); }
std::int64_t Ppo::updates() const noexcept { return state_->training.updates(); }
std::size_t Ppo::stage() const noexcept { return state_->training.stage(); }
void Ppo::set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                     double share) {
  state_->training.set_starts(stage, std::move(arena_states), share);
}
Continuation Ppo::continue_from(const TensorFile& file) {
  return state_->training.continue_from(file);
}
const std::vector<PolicyGradientReport>& Ppo::improvements() const noexcept {
  return state_->improvements;
}
const PhaseTimes& Ppo::rollout_times() const noexcept { return state_->training.rollout_times(); }
RosterReport Ppo::roster() const { return state_->training.roster(); }
const PolicySignature& Ppo::signature(std::size_t role) const {
  return state_->training.trainee(role).signature();
}
std::optional<std::size_t> Ppo::policy_of(std::size_t role) const noexcept {
  return state_->training.policy_of(role);
}
Policy Ppo::policy(std::size_t role) const { return state_->training.policy(role); }
void Ppo::store(TensorFile& file) const { state_->training.store(file); }
void Ppo::restore(const TensorFile& file) { state_->training.restore(file); }

}  // namespace zithercraft
