#include "learn/policy/actor_critic.hpp"

#include <algorithm>
#include <cmath>

namespace zithercraft::learn_internal {

template <class Scalar>
ActorCritic<Scalar>::ActorCritic(Heads heads_, const NetworkPlan& policy_,
                                 const NetworkPlan& value_, const NetworkPlan& credit_)
    : heads(std::move(heads_)),
      policy(policy_),
      shared(value_.columns == 0),
      credits(credit_.columns > 0) {
  guesses = !shared && policy_.outputs > heads.outputs();
  if (!shared) value = Network<Scalar>(value_);
  if (credits) credit = Network<Scalar>(credit_);
  constexpr std::size_t step = AlignedBuffer<Scalar>::alignment / sizeof(Scalar);
  stddev_offset = policy.parameters();
  value_offset = stddev_offset + (heads.dials() + step - 1) / step * step;
  credit_offset = value_offset + value_parameters();
  parameters = credit_offset + credit_parameters();
  prepared =
      policy.prepared() + (shared ? 0 : value.prepared()) + (credits ? credit.prepared() : 0);
}

template <class Scalar>
void ActorCritic<Scalar>::prepare(std::span<const Scalar> all,
                                  std::span<Scalar> prepared_all) const {
  policy.prepare(policy_part(all), prepared_policy(prepared_all));
  if (!shared) value.prepare(value_part(all), prepared_value(prepared_all));
  if (credits) credit.prepare(credit_part(all), prepared_credit(prepared_all));
}

template <class Scalar>
NetworkRoom<Scalar>::NetworkRoom(const ActorCritic<Scalar>& nets, std::size_t most_rows)
    : policy(nets.policy.workspace(most_rows)) {
  if (!nets.shared) value = nets.value.workspace(most_rows);
  if (nets.credits) credit = nets.credit.workspace(most_rows);
}

template <class Scalar>
LossRoom<Scalar>::LossRoom(const ActorCritic<Scalar>& n, std::size_t most_samples)
    : nets(n, most_samples),
      policy_gradient(most_samples * n.policy.output_stride()),
      value_gradient(n.shared ? 0 : most_samples * n.value.output_stride()),
      credit_gradient(n.credits ? most_samples * n.credit.output_stride() : 0),
      kept(2 * n.heads.outputs()) {}

namespace {

template <class Scalar>
typename Network<Scalar>::Order policy_order(const ActorCritic<Scalar>& nets,
                                             const Sequences<Scalar>& s) {
  return {s.steps, s.count, s.begins, s.memory.first(s.count * nets.policy_memory())};
}
template <class Scalar>
typename Network<Scalar>::Order value_order(const ActorCritic<Scalar>& nets,
                                            const Sequences<Scalar>& s) {
  return {s.steps, s.count, s.begins, s.memory.subspan(s.count * nets.policy_memory())};
}
// The credit network remembers nothing.
template <class Scalar>
typename Network<Scalar>::Order credit_order(const Sequences<Scalar>& s) {
  return {s.steps, s.count, {}, {}};
}
template <class Scalar>
std::span<const Scalar> value_inputs(const Sequences<Scalar>& s) {
  return s.value_inputs.empty() ? s.inputs : s.value_inputs;
}

}  // namespace

template <class Scalar>
NetworkOutputs<Scalar> judge_policy(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                                    const Sequences<Scalar>& sequences, NetworkRoom<Scalar>& room) {
  NetworkOutputs<Scalar> outputs;
  outputs.outputs = nets.policy.forward(nets.policy_part(numbers.parameters),
                                        nets.prepared_policy(numbers.prepared), sequences.inputs,
                                        policy_order(nets, sequences), room.policy);
  outputs.output_stride = nets.policy.output_stride();
  if (nets.shared) {
    outputs.values = outputs.outputs.subspan(nets.heads.outputs());
    outputs.value_stride = outputs.output_stride;
  }
  return outputs;
}

template <class Scalar>
void judge_value(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                 const Sequences<Scalar>& sequences, NetworkRoom<Scalar>& room,
                 NetworkOutputs<Scalar>& outputs) {
  outputs.values =
      nets.value.forward(nets.value_part(numbers.parameters), nets.prepared_value(numbers.prepared),
                         value_inputs(sequences), value_order(nets, sequences), room.value);
  outputs.value_stride = nets.value.output_stride();
}

template <class Scalar>
void judge_credit(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                  const Sequences<Scalar>& sequences, NetworkRoom<Scalar>& room,
                  NetworkOutputs<Scalar>& outputs) {
  outputs.credits = nets.credit.forward(
      nets.credit_part(numbers.parameters), nets.prepared_credit(numbers.prepared),
      sequences.credit_inputs, credit_order(sequences), room.credit);
  outputs.credit_stride = nets.credit.output_stride();
}

template <class Scalar>
NetworkOutputs<Scalar> judge(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                             const Sequences<Scalar>& sequences, NetworkRoom<Scalar>& room) {
  NetworkOutputs<Scalar> outputs = judge_policy(nets, numbers, sequences, room);
  if (!nets.shared) judge_value(nets, numbers, sequences, room, outputs);
  if (nets.credits) judge_credit(nets, numbers, sequences, room, outputs);
  return outputs;
}

namespace {

// What a sample's value costs, and the slope of that.
template <class Scalar>
std::pair<Scalar, Scalar> value_loss(Scalar value, Scalar target, Scalar before, Scalar clip) {
  const Scalar off = value - target, plain = off * off / 2;
  if (clip <= 0) return {plain, off};
  const Scalar kept = std::clamp(value, before - clip, before + clip), kept_off = kept - target;
  if (kept_off * kept_off / 2 <= plain) return {plain, off};
  return {kept_off * kept_off / 2, kept == value ? kept_off : Scalar{0}};
}

// The part of a sample's loss that judges its action.
template <class Scalar>
void add_policy_loss(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                     const Batch<Scalar>& batch, const LossSettings& settings, Scalar scale,
                     std::size_t i, const NetworkOutputs<Scalar>& outputs, LossRoom<Scalar>& room,
                     std::span<Scalar> policy_gradient, std::span<Scalar> stddev_gradient,
                     LossSums& sums) {
  const Heads& heads = nets.heads;
  const std::size_t width = heads.outputs(), controls = heads.controls(), masks = heads.masks();
  const auto stddev = nets.stddev_part(numbers.parameters);
  const auto clip = static_cast<Scalar>(settings.clip),
             entropy_weight = static_cast<Scalar>(settings.entropy_weight);
  const auto row = outputs.row(i, width);
  heads.forbid(batch.allowed.subspan(i * masks, masks), row);
  const auto action = batch.actions.subspan(i * controls, controls);
  const auto judged = heads.judge(std::span<const Scalar>(row), stddev, action, room.kept.span());
  const Scalar change = judged.log_probability - static_cast<Scalar>(batch.log_probability[i]);
  const Scalar ratio = std::exp(change), advantage = static_cast<Scalar>(batch.advantage[i]);
  const Scalar kept = std::clamp(ratio, 1 - clip, 1 + clip);
  Scalar by_log_probability = -advantage;
  if (settings.objective == Objective::clipped) {
    // The slope of r with respect to log p is r; a clipped sample has none.
    by_log_probability = kept * advantage < ratio * advantage ? Scalar{0} : -advantage * ratio;
    sums.policy -= static_cast<double>(std::min(ratio * advantage, kept * advantage));
  } else {
    sums.policy -= static_cast<double>(advantage * judged.log_probability);
  }
  heads.add_gradient(std::span<const Scalar>(room.kept.span()), action, scale * by_log_probability,
                     -scale * entropy_weight,
                     policy_gradient.subspan(i * outputs.output_stride, width), stddev_gradient);
  sums.entropy += static_cast<double>(judged.entropy);
  sums.kl += static_cast<double>(ratio - 1 - change);
  sums.clipped += ratio < 1 - clip || ratio > 1 + clip ? 1.0 : 0.0;
}

// The divergence from the teacher, apart from the teacher's own entropy, as its action estimates
// it.
template <class Scalar>
void add_teacher_loss(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                      const Batch<Scalar>& batch, Scalar weight, std::size_t i,
                      const NetworkOutputs<Scalar>& outputs, LossRoom<Scalar>& room,
                      std::span<Scalar> policy_gradient, std::span<Scalar> stddev_gradient,
                      LossSums& sums) {
  const Heads& heads = nets.heads;
  const std::size_t width = heads.outputs(), controls = heads.controls();
  const auto action = batch.teacher.subspan(i * controls, controls);
  if (!std::all_of(action.begin(), action.end(), [](float x) { return std::isfinite(x); })) return;
  const auto row = outputs.row(i, width);
  const auto judged = heads.judge(std::span<const Scalar>(row),
                                  nets.stddev_part(numbers.parameters), action, room.kept.span());
  constexpr Scalar forbidden = -1e6;  // what is not allowed cannot be learned
  if (judged.log_probability < forbidden) return;
  heads.add_gradient(std::span<const Scalar>(room.kept.span()), action, -weight, Scalar{0},
                     policy_gradient.subspan(i * outputs.output_stride, width), stddev_gradient);
  sums.teacher -= static_cast<double>(judged.log_probability);
}

}  // namespace

template <class Scalar>
LossSums add_loss(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                  const Batch<Scalar>& batch, const LossSettings& settings, Scalar scale,
                  LossRoom<Scalar>& room, std::span<Scalar> gradient) {
  LossSums sums;
  const Heads& heads = nets.heads;
  const std::size_t n = batch.sequences.rows(), width = heads.outputs();
  // The networks' memory is used up by the judgement; the way back starts from what layers have
  // kept.
  const NetworkOutputs<Scalar> outputs = judge(nets, numbers, batch.sequences, room.nets);
  const auto stddev_gradient = nets.stddev_part(gradient);
  const auto value_clip = static_cast<Scalar>(settings.value_clip);
  const auto policy_gradient = room.policy_gradient.span().first(n * outputs.output_stride);
  const auto value_gradient =
      nets.shared ? policy_gradient.subspan(width) : room.value_gradient.span();
  const auto credit_gradient = room.credit_gradient.span();
  const std::size_t controls = heads.controls();
  const Scalar value_weight = scale * static_cast<Scalar>(settings.value_weight),
               teacher_weight = scale * static_cast<Scalar>(settings.teacher_weight);
  std::fill(policy_gradient.begin(), policy_gradient.end(), Scalar{0});
  std::fill(credit_gradient.begin(), credit_gradient.end(), Scalar{0});
  for (std::size_t i = 0; i < n; ++i) {
    if (!nets.shared) value_gradient[i * outputs.value_stride] = 0;
    const unsigned teaches = batch.counts.empty() ? learns_value | learns_policy : batch.counts[i];
    if (teaches == learns_nothing) continue;
    if ((teaches & learns_policy) != 0)
      add_policy_loss(nets, numbers, batch, settings, scale, i, outputs, room, policy_gradient,
                      stddev_gradient, sums);
    if ((teaches & learns_policy) != 0 && !batch.teacher.empty())
      add_teacher_loss(nets, numbers, batch, teacher_weight, i, outputs, room, policy_gradient,
                       stddev_gradient, sums);
    const auto [cost, slope] = value_loss(outputs.value(i), static_cast<Scalar>(batch.target[i]),
                                          static_cast<Scalar>(batch.value[i]), value_clip);
    value_gradient[i * outputs.value_stride] = value_weight * slope;
    sums.value += static_cast<double>(cost);
    if (nets.guesses) {
      const Scalar off = outputs.row(i, width + 1)[width] - static_cast<Scalar>(batch.target[i]);
      policy_gradient[i * outputs.output_stride + width] = value_weight * off;
      sums.guess += static_cast<double>(off * off / 2);
    }
    if (!nets.credits || (teaches & learns_policy) == 0) continue;
    const std::size_t at = i * outputs.credit_stride +
                           nets.credit_output(batch.actions.subspan(i * controls, controls));
    const Scalar off = outputs.credits[at] - static_cast<Scalar>(batch.target[i]);
    credit_gradient[at] = value_weight * off;
    sums.credit += static_cast<double>(off * off / 2);
  }
  const auto& inputs = batch.sequences.inputs;
  nets.policy.backward(nets.policy_part(numbers.parameters), nets.prepared_policy(numbers.prepared),
                       inputs, policy_order(nets, batch.sequences), policy_gradient,
                       room.nets.policy, nets.policy_part(gradient));
  if (!nets.shared)
    nets.value.backward(nets.value_part(numbers.parameters), nets.prepared_value(numbers.prepared),
                        value_inputs(batch.sequences), value_order(nets, batch.sequences),
                        value_gradient, room.nets.value, nets.value_part(gradient));
  if (nets.credits)
    nets.credit.backward(nets.credit_part(numbers.parameters),
                         nets.prepared_credit(numbers.prepared), batch.sequences.credit_inputs,
                         credit_order(batch.sequences), credit_gradient, room.nets.credit,
                         nets.credit_part(gradient));
  return sums;
}

template struct ActorCritic<float>;
template struct ActorCritic<double>;
template struct NetworkRoom<float>;
template struct NetworkRoom<double>;
template struct LossRoom<float>;
template struct LossRoom<double>;
template NetworkOutputs<float> judge(const ActorCritic<float>&, const Numbers<float>&,
                                     const Sequences<float>&, NetworkRoom<float>&);
template NetworkOutputs<double> judge(const ActorCritic<double>&, const Numbers<double>&,
                                      const Sequences<double>&, NetworkRoom<double>&);
template NetworkOutputs<float> judge_policy(const ActorCritic<float>&, const Numbers<float>&,
                                            const Sequences<float>&, NetworkRoom<float>&);
template void judge_value(const ActorCritic<float>&, const Numbers<float>&, const Sequences<float>&,
                          NetworkRoom<float>&, NetworkOutputs<float>&);
template void judge_credit(const ActorCritic<float>&, const Numbers<float>&,
                           const Sequences<float>&, NetworkRoom<float>&, NetworkOutputs<float>&);
template LossSums add_loss(const ActorCritic<float>&, const Numbers<float>&, const Batch<float>&,
                           const LossSettings&, float, LossRoom<float>&, std::span<float>);
template LossSums add_loss(const ActorCritic<double>&, const Numbers<double>&, const Batch<double>&,
                           const LossSettings&, double, LossRoom<double>&, std::span<double>);

}  // namespace zithercraft::learn_internal
