#include "learn/dqn/dqn_trainee.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "learn/policy/value_scale.hpp"
#include "net/network_tensors.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/match/plan_fronts.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::learn_internal {
using namespace net_internal;
namespace {

PolicySignature rating_signature(const Role& role, const DqnSettings& s) {
  for (const ControlInfo& control : role.controls)
    if (!control.is_choice())
      throw Error(ErrorKind::refused, "dqn learns choices, and '" + control.name + "' is a dial",
                  "role '" + role.name + "'",
                  "train by sac, td3 or ppo, or give the role choices in its place");
  NetworkPlan plan =
      plan_fronts(role, {s.pictures, s.picture_least, s.crowd_width, s.crowd_queries});
  // Values of others are told by their places in the crowd: a head that splits a value into that of
  // the state and what an option adds, or into quantiles, has no scores to add to.
  plan.pointers.clear();
  plan.activation = s.activation;
  plan.memory = static_cast<std::size_t>(s.memory);
  plan.hidden = {s.value_layers.begin(), s.value_layers.end()};
  PolicySignature signature{role.name, role.columns, role.controls, std::move(plan)};
  signature.rates = true;
  return signature;
}

NetworkPlan rating_outputs(NetworkPlan plan, std::size_t outputs) {
  plan.outputs = outputs;
  return plan;
}

// Behind the steps of a span come those that their targets need, and the last moment of an episode.
OffPolicyLayout layout_for(const Role& role, const DqnSettings& s) {
  PolicySignature signature = rating_signature(role, s);
  const Network<float> net(signature.policy);
  const bool remembers = s.memory > 0;
  return {.signature = std::move(signature),
          .inputs = net.input_stride(),
          .memory = net.memory_stride(),
          .span = remembers ? static_cast<std::size_t>(s.memory_span) : 1,
          .ahead = remembers ? static_cast<std::size_t>(*s.steps_ahead) + 1 : 0};
}

}  // namespace

DqnTrainee::Room::Room(const DqnTrainee& t, std::size_t rows)
    : net(t.net_.workspace(rows)),
      next(t.net_.workspace(rows)),
      memory(rows * t.net_.memory_stride()),
      values(t.action_values_.options()),
      gradient(rows * t.net_.output_stride()),
      targets(rows * t.action_values_.quantiles()),
      predicted(t.action_values_.quantiles()),
      slopes(t.action_values_.quantiles()) {}

DqnTrainee::DqnTrainee(TrainingContext& context, std::vector<std::size_t> roles,
                       const DqnSettings& settings)
    : OffPolicy(context, roles, settings, layout_for(context.game.roles()[roles[0]], settings)),
      dqn_(settings),
      action_values_(role().controls, settings.duelling,
                     static_cast<std::size_t>(settings.quantiles)),
      net_(rating_outputs(signature_.policy, action_values_.outputs())),
      played_(signature_.policy),
      errors_(transitions_.size()),
      portion_sums_(portions()) {
  // Behind the means of weights come the strengths of their noise.
  std::vector<std::size_t> ends{net_.parameters()};
  if (settings.noisy) ends.push_back(2 * net_.parameters());
  make_room(ends, net_.prepared());
  take_demonstrations();
  RandomStream random(seed(), 0, 0, Purpose::initialise);
  constexpr double last_gain = 0.01;  // nothing seems better than another at first
  net_.initialise(means(parameters_.span()), random, last_gain);
  if (settings.noisy) {
    noisy_ = NoisyParameters(net_);
    noisy_.first_strengths(parameters_.span().subspan(net_.parameters()));
    noisy_prepared_ = AlignedBuffer<float>(net_.prepared());
  }
  prepare(parameters_.span(), prepared_.span());
  std::copy(parameters_.begin(), parameters_.end(), target_.begin());
  prepare(target_.span(), target_prepared_.span());
  renew_noise();
  if (settings.priority > 0.0) priorities_ = SumTree(experience_.places());
  for (std::size_t worker = 0; worker < context.pool.threads(); ++worker)
    rooms_.emplace_back(*this, most_network_rows());
}

// ---- playing

// Who begins with a clone explores no more than at the end.
double DqnTrainee::explored() const {
  return cloned_ ? 1.0 : std::min(1.0, done() / dqn_.explore_until);
}

double DqnTrainee::epsilon_of(std::size_t lane) const {
  if (warming_up() && !cloned_) return 1.0;
  if (dqn_.noisy) return 0.0;
  const double epsilon = std::lerp(dqn_.epsilon, dqn_.last_epsilon, explored());
  const std::size_t lanes = context_.environment->count();
  if (!dqn_.epsilon_by_lane || lanes < 2) return epsilon;
  return std::pow(epsilon, 1.0 + 7.0 * static_cast<double>(lane) / static_cast<double>(lanes - 1));
}

// Any allowed option of each choice.
void DqnTrainee::choose_any(std::span<const float> allowed, RandomStream& random,
                            std::span<float> action, std::span<float> values) const {
  std::fill(values.begin(), values.end(), 0.0f);
  heads_.forbid<float>(allowed, values);
  heads_.sample(values, {}, random, action);
}

void DqnTrainee::choose(const Deciding& d) {
  Room& room = rooms_[d.worker];
  const auto parameters = d.past != nullptr ? means(d.past->parameters.span()) : present();
  const auto prepared = d.past != nullptr ? d.past->prepared.span() : present_prepared();
  const auto outputs =
      net_.forward(parameters, prepared, d.inputs, {1, d.rows, {}, d.memory}, room.net);
  const std::size_t masks = heads_.masks(), controls = heads_.controls();
  const double temperature = std::lerp(dqn_.temperature, dqn_.last_temperature, explored());
  for (std::size_t i = 0; i < d.rows; ++i) {
    const auto allowed = d.allowed.subspan(i * masks, masks);
    const auto action = d.actions.subspan(i * controls, controls);
    const auto values = room.values.span();
    const bool softly = dqn_.exploration == Exploration::softmax && !warming_up();
    if (d.explores() && !softly &&
        static_cast<double>(d.random[i].uniform()) < epsilon_of(d.lanes[i])) {
      choose_any(allowed, d.random[i], action, values);
      continue;
    }
    action_values_.means(outputs.subspan(i * net_.output_stride(), net_.outputs()), values);
    if (d.explores() && softly)
      for (float& value : values) value /= static_cast<float>(temperature);
    heads_.forbid<float>(allowed, values);
    if (d.explores() && softly)
      heads_.sample(values, {}, d.random[i], action);
    else
      heads_.greedy(values, action);
  }
}

void DqnTrainee::rescale(double factor) {
  for (std::size_t output = 0; output < net_.outputs(); ++output) {
    change_output(net_.parts(), means(parameters_.span()), output, {factor, 0.0});
    change_output(net_.parts(), means(target_.span()), output, {factor, 0.0});
    if (dqn_.noisy)
      change_output(net_.parts(), parameters_.span().subspan(net_.parameters()), output,
                    {factor, 0.0});
  }
}

// The noise follows from how many gradient steps were made.
void DqnTrainee::renew_noise() {
  if (!dqn_.noisy) return;
  noisy_.draw(
      means(std::as_const(parameters_).span()),
      std::as_const(parameters_).span().subspan(net_.parameters()),
      RandomStream(derived_seed(seed(), "noise"), static_cast<std::uint32_t>(minibatches_ >> 32),
                   static_cast<std::uint32_t>(minibatches_), Purpose::decide));
  net_.prepare(noisy_.parameters(), noisy_prepared_.span());
}

// ---- keeping

void DqnTrainee::store_networks(TensorFile& file, std::span<const float> parameters) const {
  AlignedBuffer<float> merged(played_.parameters());
  action_values_.merge_outputs(net_, means(parameters), played_, merged.span());
  store_network(file, "policy", played_, merged.span());
  store_network(file, "values", net_, means(parameters));
  if (dqn_.noisy) store_network(file, "noise", net_, parameters.subspan(net_.parameters()));
  file.put("policy.log_stddev", {0}, std::span<const float>{});
}

void DqnTrainee::fetch_networks(const TensorFile& file, std::span<float> parameters) const {
  fetch_network(file, "values", net_, means(parameters));
  if (dqn_.noisy && file.has("noise.output.weight"))
    fetch_network(file, "noise", net_, parameters.subspan(net_.parameters()));
}

void DqnTrainee::restore(const TensorFile& file) {
  OffPolicy::restore(file);
  renew_noise();
}

Continuation DqnTrainee::continue_from(const TensorFile& file) {
  Continuation taken = OffPolicy::continue_from(file);
  renew_noise();
  return taken;
}

void DqnTrainee::take_clone(const TensorFile& file) {
  AlignedBuffer<float> merged(played_.parameters());
  fetch_network(file, "policy", played_, merged.span());
  action_values_.split_outputs(played_, merged.span(), net_, means(parameters_.span()));
}

void DqnTrainee::store_target(TensorFile& file) const {
  store_network(file, "target", net_, means(std::as_const(target_).span()));
}

void DqnTrainee::fetch_target(const TensorFile& file) {
  fetch_network(file, "target", net_, means(target_.span()));
}

void DqnTrainee::store_more(TensorFile& file) const {
  if (dqn_.priority <= 0.0) return;
  file.put("experience.most_priority", std::span(&most_priority_, 1));
  std::vector<double> weights(experience_.places());
  for (std::size_t place = 0; place < weights.size(); ++place)
    weights[place] = priorities_.weight(place);
  file.put("experience.priorities", std::span<const double>(weights));
}

void DqnTrainee::fetch_more(const TensorFile& file) {
  if (dqn_.priority <= 0.0) return;
  const auto weights = file.doubles("experience.priorities"),
             most = file.doubles("experience.most_priority");
  const bool fine =
      weights.size() == experience_.places() && most.size() == 1 &&
      std::all_of(weights.begin(), weights.end(), [](double w) { return w >= 0.0 && w < 1e12; });
  if (!fine)
    throw Error(ErrorKind::refused, "the checkpoint's priorities make no sense here", "checkpoint",
                "resume with the settings it was trained with");
  most_priority_ = most[0];
  for (std::size_t place = 0; place < weights.size(); ++place)
    priorities_.set(place, weights[place]);
}

}  // namespace zithercraft::learn_internal
