#include "actor_critic.hpp"

#include <algorithm>
#include <cmath>

namespace zithercraft {

template <class Scalar>
ActorCritic<Scalar>::ActorCritic(Heads heads_, Mlp<Scalar> policy_, Mlp<Scalar> value_)
    : heads(std::move(heads_)), policy(std::move(policy_)), value(std::move(value_)) {
  constexpr std::size_t step = AlignedBuffer<Scalar>::alignment / sizeof(Scalar);
  spread_offset = policy.parameters();
  value_offset = spread_offset + (heads.dials() + step - 1) / step * step;
  parameters = value_offset + value.parameters();
}

template <class Scalar>
LossRoom<Scalar>::LossRoom(const ActorCritic<Scalar>& nets, std::size_t most_samples)
    : policy(nets.policy.workspace(most_samples)),
      value(nets.value.workspace(most_samples)),
      policy_gradient(nets.policy.outputs() * most_samples),
      value_gradient(most_samples) {}

template <class Scalar>
LossSums add_loss(const ActorCritic<Scalar>& nets, std::span<const Scalar> parameters, const Batch<Scalar>& batch,
                  const LossSettings& settings, Scalar scale, LossRoom<Scalar>& room, std::span<Scalar> gradient) {
  LossSums sums;
  const std::size_t n = batch.samples, width = nets.heads.outputs(), controls = nets.heads.controls();
  const auto spread = nets.spread_part(parameters);
  const auto spread_gradient = nets.spread_part(gradient);
  const auto outputs = nets.policy.forward(nets.policy_part(parameters), batch.inputs, n, room.policy);
  const auto clip = static_cast<Scalar>(settings.clip), entropy_weight = static_cast<Scalar>(settings.entropy_weight);
  const auto policy_gradient = room.policy_gradient.span().first(n * width);
  std::fill(policy_gradient.begin(), policy_gradient.end(), Scalar{0});
  for (std::size_t i = 0; i < n; ++i) {
    const auto row = outputs.subspan(i * width, width);
    const auto decision = batch.decisions.subspan(i * controls, controls);
    const auto judged = nets.heads.judge(row, spread, decision);
    const Scalar change = judged.log_probability - static_cast<Scalar>(batch.log_probability[i]);
    const Scalar ratio = std::exp(change), advantage = static_cast<Scalar>(batch.advantage[i]);
    const Scalar kept = std::clamp(ratio, 1 - clip, 1 + clip);
    const bool clipped = kept * advantage < ratio * advantage;
    // The slope of r with respect to log p is r; a clipped sample has none.
    const Scalar by_log_probability = clipped ? Scalar{0} : -advantage * ratio;
    nets.heads.add_gradient(row, spread, decision, scale * by_log_probability, -scale * entropy_weight,
                            policy_gradient.subspan(i * width, width), spread_gradient);
    sums.policy -= static_cast<double>(std::min(ratio * advantage, kept * advantage));
    sums.entropy += static_cast<double>(judged.entropy);
    sums.kl += static_cast<double>(ratio - 1 - change);
    sums.clipped += ratio < 1 - clip || ratio > 1 + clip ? 1.0 : 0.0;
  }
  nets.policy.backward(nets.policy_part(parameters), batch.inputs, n, policy_gradient, room.policy,
                       nets.policy_part(gradient));

  const auto values = nets.value.forward(nets.value_part(parameters), batch.inputs, n, room.value);
  for (std::size_t i = 0; i < n; ++i) {
    const Scalar off = values[i] - static_cast<Scalar>(batch.target[i]);
    room.value_gradient[i] = scale * off;
    sums.value += static_cast<double>(off * off) / 2;
  }
  nets.value.backward(nets.value_part(parameters), batch.inputs, n, room.value_gradient.span().first(n), room.value,
                      nets.value_part(gradient));
  return sums;
}

template struct ActorCritic<float>;
template struct ActorCritic<double>;
template struct LossRoom<float>;
template struct LossRoom<double>;
template LossSums add_loss(const ActorCritic<float>&, std::span<const float>, const Batch<float>&, const LossSettings&,
                           float, LossRoom<float>&, std::span<float>);
template LossSums add_loss(const ActorCritic<double>&, std::span<const double>, const Batch<double>&,
                           const LossSettings&, double, LossRoom<double>&, std::span<double>);

}  // namespace zithercraft
