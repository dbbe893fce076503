#include "learn/policy/policy_learner.hpp"

#include <algorithm>
#include <cmath>

#include "net/network_tensors.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::learn_internal {
using namespace net_internal;
namespace {

// Beyond this many combinations of own choices the credit network has one output.
constexpr std::size_t most_combinations = 256;

PolicySignature signature_for(const Game& game, std::size_t role_number, const TeamView& team,
                              const PolicyGradientSettings& settings) {
  const Role& role = game.roles()[role_number];
  auto [policy, value] = plan_networks(role, settings);
  PolicySignature signature{role.name, role.columns, role.controls, std::move(policy),
                            std::move(value)};
  if (!team.sees_others()) return signature;
  if (settings.counterfactual) {
    NetworkPlan credit = signature.value;
    const std::size_t combinations = Heads(role.controls, role.columns).combinations();
    credit.outputs = combinations <= most_combinations ? combinations : 1;
    credit.memory = 0;
    signature.credit = team.widened(std::move(credit), true);
  }
  signature.value = team.widened(std::move(signature.value), false);
  signature.seen = team.names(game);
  return signature;
}

}  // namespace

PolicyLearner::Room::Room(const PolicyLearner& t)
    : loss(t.nets_, t.span_samples()),
      inputs(t.most_rows_ * t.nets_.policy.input_stride()),
      value_inputs(t.most_rows_ * t.value_stride()),
      team(t.sees_others() ? t.team_.credit_columns() : 0),
      probabilities(t.nets_.credits ? t.most_rows_ * t.nets_.credit.outputs() : 0),
      memory(t.most_rows_ * t.memory_each()),
      allowed(t.nets_.heads.masks()),
      action(t.nets_.heads.controls()) {}

PolicyLearner::PolicyLearner(TrainingContext& context, std::vector<std::size_t> roles,
                             const PolicyGradientSettings& settings)
    : context_(context),
      roles_(std::move(roles)),
      settings_(settings),
      team_(context, roles_, settings.value_sees,
            {settings.pictures, settings.picture_least, settings.crowd_width,
             settings.crowd_queries}),
      signature_(signature_for(context.game, roles_[0], team_, settings)),
      nets_(Heads(role().controls, role().columns), signature_.policy, signature_.value,
            signature_.credit),
      groups_(groups_for(context, roles_)),
      all_rows_(rows_of(groups_)),
      most_rows_(most_rows_of(context, roles_)),
      rollout_({.rows = rows_of(own_groups()),
                .horizon = static_cast<std::size_t>(*settings.horizon),
                .inputs = nets_.policy.input_stride(),
                .controls = role().controls.size(),
                .masks = nets_.heads.masks(),
                .memory = memory_each(),
                .memory_span = static_cast<std::size_t>(remembers() ? *settings.memory_span : 1),
                .value_inputs = sees_others() ? nets_.value.input_stride() : 0,
                .credit_inputs = nets_.credits ? nets_.credit.input_stride() : 0,
                .advised = advised()}),
      normaliser_(normaliser_for(signature_.policy)),
      parameters_(nets_.parameters),
      prepared_(nets_.prepared),
      gradient_(nets_.parameters),
      adam_(nets_.parameters),
      memory_(playable_rows(context, roles_) * memory_each()) {
  loss_ = {settings.objective, settings.clip, *settings.entropy_weight, settings.value_weight,
           settings.value_clip};
  RandomStream random(seed(), 0, 0, Purpose::initialise);
  // All begin near 0: nothing is preferred, and no moment seems better than another. Values of
  // random networks would teach the policy at once to go where they happen to be high.
  constexpr double last_gain = 0.01;
  nets_.policy.initialise(nets_.policy_part(parameters_.span()), random, last_gain);
  if (!nets_.shared)
    nets_.value.initialise(nets_.value_part(parameters_.span()), random, last_gain);
  if (nets_.credits)
    nets_.credit.initialise(nets_.credit_part(parameters_.span()), random, last_gain);
  const auto stddev = nets_.stddev_part(parameters_.span());
  std::fill(stddev.begin(), stddev.end(), static_cast<float>(std::log(*settings.first_stddev)));
  parameters_changed();
  freeze();

  std::size_t samples = 0;
  for (std::size_t g = context.first_own; g < context.first_own + context.own_count; ++g) {
    groups_[g].first_sample = samples;
    samples += groups_[g].rows * rollout_.horizon;
  }
  for (std::size_t i = 0; i < context.pool.threads(); ++i) rooms_.emplace_back(*this);
  orders_.assign(static_cast<std::size_t>(*settings.epochs) * context.own_count,
                 std::vector<std::uint32_t>(rollout_.spans()));
  const std::size_t most_of_a_group = (spans_per_minibatch() + groups_.size() - 1) / groups_.size();
  const std::size_t most_portions =
      context.own_count * ((most_of_a_group + spans_per_portion() - 1) / spans_per_portion());
  portions_.reserve(most_portions);
  first_portions_.reserve(context.own_count + 1);
  portion_sums_.resize(most_portions);
  for (std::size_t i = 0; i < most_portions; ++i) portion_gradients_.emplace_back(nets_.parameters);
  group_losses_.resize(groups_.size());
  group_sums_.resize(groups_.size());
  group_moments_.resize(groups_.size());
}

// Marks the parameters whose names begin with what the settings list.
void PolicyLearner::freeze() {
  if (settings_.frozen.empty()) return;
  frozen_.assign(parameters_.size(), 0);
  std::vector<std::string> names;
  std::vector<bool> used(settings_.frozen.size());
  const auto mark = [&](const std::string& prefix, const Network<float>& net, std::size_t offset) {
    for (const NetworkPart& part : net.parts()) {
      names.push_back(prefix + "." + part.name);
      for (std::size_t i = 0; i < settings_.frozen.size(); ++i) {
        if (!names.back().starts_with(settings_.frozen[i])) continue;
        used[i] = true;
        std::fill_n(frozen_.begin() + static_cast<std::ptrdiff_t>(offset + part.offset),
                    part.rows * part.stride, std::uint8_t{1});
      }
    }
  };
  mark("policy", nets_.policy, 0);
  if (!nets_.shared) mark("value", nets_.value, nets_.value_offset);
  if (nets_.credits) mark("credit", nets_.credit, nets_.credit_offset);
  for (std::size_t i = 0; i < used.size(); ++i)
    if (!used[i])
      throw Error(ErrorKind::spec,
                  "no part of the networks begins with '" + settings_.frozen[i] + "'",
                  "learner.frozen", advice(settings_.frozen[i], names));
}

}  // namespace zithercraft::learn_internal
