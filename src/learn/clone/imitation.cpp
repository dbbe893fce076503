#include "learn/clone/imitation.hpp"

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/learn/dqn.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/learn/sac.hpp"

namespace zithercraft::learn_internal {
namespace {

// Values are learned as logits: an option that is certain is worth about this much more.
constexpr float value_of_certainty = 0.1f;
// Dials at the ends of their range lie at infinity before the hyperbolic tangent.
constexpr float most_dial = 0.98f;

}  // namespace

NetworkKind network_kind_of(const std::string& method) {
  const PolicyGradientSettings gradient;
  const DqnSettings deep;
  const ActorCriticSettings soft;
  if (method == "ppo") return {PolicyKind::gaussian, gradient.policy_layers, gradient.activation};
  if (method == "dqn") return {PolicyKind::values, deep.value_layers, deep.activation};
  if (method == "sac") return {PolicyKind::squashed, soft.policy_layers, soft.activation};
  if (method == "td3" || method == "ddpg")
    return {PolicyKind::pointed, soft.policy_layers, soft.activation};
  const std::vector<std::string> known{"ppo", "dqn", "sac", "td3", "ddpg"};
  throw Error(ErrorKind::spec, "no clone goes on by '" + method + "'", "learner.continued_by",
              advice(method, known));
}

Imitation::Imitation(PolicyKind kind, std::span<const ControlInfo> controls,
                     std::span<const Column> columns)
    : kind_(kind), heads_(controls, columns) {
  std::size_t output = 0;
  for (std::size_t c = 0; c < controls.size(); ++c) {
    const std::size_t options = controls[c].options.size();
    (options == 0 ? dials_ : choices_).push_back({c, output, options});
    output += std::max<std::size_t>(1, options);
  }
}

float Imitation::choice_loss(const Place& choice, std::span<const float> outputs, std::size_t taken,
                             float scale, std::span<float> gradient) const {
  const float sharpness = kind_ == PolicyKind::values ? 1.0f / value_of_certainty : 1.0f;
  const auto own = outputs.subspan(choice.output, choice.options);
  const float top = *std::max_element(own.begin(), own.end());
  float sum = 0.0f;
  for (const float output : own) sum += std::exp(sharpness * (output - top));
  for (std::size_t o = 0; o < choice.options; ++o) {
    const float share = std::exp(sharpness * (own[o] - top)) / sum;
    gradient[choice.output + o] += scale * sharpness * (share - (o == taken ? 1.0f : 0.0f));
  }
  return std::log(sum) - sharpness * (own[taken] - top);
}

float Imitation::loss(std::span<const float> outputs, std::span<const float> deviations,
                      std::span<const float> action, float scale, std::span<float> kept,
                      std::span<float> gradient, std::span<float> deviation_gradient) const {
  if (kind_ == PolicyKind::gaussian) {
    const auto judged = heads_.judge<float>(outputs, deviations, action, kept);
    heads_.add_gradient<float>(kept, action, -scale, 0.0f, gradient, deviation_gradient);
    return -judged.log_probability;
  }
  float loss = 0.0f;
  for (const Place& choice : choices_)
    loss += choice_loss(choice, outputs, static_cast<std::size_t>(action[choice.control]), scale,
                        gradient);
  for (std::size_t d = 0; d < dials_.size(); ++d) {
    const std::size_t mean = dials_[d].output, spread = heads_.outputs() + d;
    if (kind_ == PolicyKind::pointed) {
      const float dial = std::tanh(outputs[mean]), off = dial - action[dials_[d].control];
      gradient[mean] += scale * off * (1.0f - dial * dial);
      loss += off * off / 2;
      continue;
    }
    constexpr float half_log_two_pi = 0.918938533f;
    const float wanted = std::atanh(std::clamp(action[dials_[d].control], -most_dial, most_dial)),
                log = std::clamp(outputs[spread], Heads::least_log_stddev, Heads::most_log_stddev),
                stddev = std::exp(log), z = (wanted - outputs[mean]) / stddev;
    gradient[mean] -= scale * z / stddev;
    if (outputs[spread] > Heads::least_log_stddev && outputs[spread] < Heads::most_log_stddev)
      gradient[spread] += scale * (1.0f - z * z);
    loss += z * z / 2 + log + half_log_two_pi;
  }
  return loss;
}

float Imitation::agreement(std::span<const float> outputs, std::span<const float> action,
                           std::span<float> greedy) const {
  constexpr float near = 0.1f;  // of half the range
  heads_.greedy(outputs.first(heads_.outputs()), greedy);
  if (kind_ != PolicyKind::gaussian) heads_.squash(greedy);
  float same = 0.0f;
  for (const Place& choice : choices_)
    same += greedy[choice.control] == action[choice.control] ? 1.0f : 0.0f;
  for (const Place& dial : dials_)
    same += std::fabs(std::clamp(greedy[dial.control], -1.0f, 1.0f) - action[dial.control]) < near
                ? 1.0f
                : 0.0f;
  return same / static_cast<float>(heads_.controls());
}

}  // namespace zithercraft::learn_internal
