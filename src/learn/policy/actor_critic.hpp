#pragma once

#include <cstddef>
#include <span>

#include "learn/policy/rollout.hpp"
#include "zithercraft/base/aligned.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/heads.hpp"
#include "zithercraft/net/network.hpp"

namespace zithercraft::learn_internal {

/// A policy and the networks that judge it in training, with their parameters in one flat array:
/// policy, standard deviations of dials, value, credit. Without a value network the policy
/// network's last output is the value. The value and the credit network may read other inputs than
/// the policy; the policy network may then guess the value beside them, from its own inputs: what
/// it has to know for that serves its actions.
///
/// The credit network predicts the return from the senses and the actions of others: one output for
/// each combination of own choices, or one alone, which then is the mean over all own actions.
///
/// `double` serves the check of gradients against finite differences.
template <class Scalar>
struct ActorCritic {
  Heads heads;
  Network<Scalar> policy, value, credit;
  bool shared = false, guesses = false, credits = false;
  std::size_t stddev_offset = 0, value_offset = 0, credit_offset = 0, parameters = 0, prepared = 0;

  ActorCritic() = default;
  /// The policy plan's outputs are those of the heads, and one more if the value plan has no
  /// columns or the policy network guesses the value. There is a credit network if its plan has
  /// columns.
  ActorCritic(Heads heads, const NetworkPlan& policy, const NetworkPlan& value,
              const NetworkPlan& credit = {});

  template <class T>
  std::span<T> policy_part(std::span<T> all) const {
    return all.first(policy.parameters());
  }
  template <class T>
  std::span<T> stddev_part(std::span<T> all) const {
    return all.subspan(stddev_offset, heads.dials());
  }
  template <class T>
  std::span<T> value_part(std::span<T> all) const {
    return all.subspan(value_offset, value_parameters());
  }
  template <class T>
  std::span<T> credit_part(std::span<T> all) const {
    return all.subspan(credit_offset, credit_parameters());
  }
  /// The part of the prepared array that belongs to the policy network, or to the value network.
  template <class T>
  std::span<T> prepared_policy(std::span<T> all) const {
    return all.first(policy.prepared());
  }
  template <class T>
  std::span<T> prepared_value(std::span<T> all) const {
    return all.subspan(policy.prepared(), shared ? 0 : value.prepared());
  }
  template <class T>
  std::span<T> prepared_credit(std::span<T> all) const {
    return all.subspan(policy.prepared() + (shared ? 0 : value.prepared()));
  }
  std::size_t value_parameters() const { return shared ? 0 : value.parameters(); }
  std::size_t credit_parameters() const { return credits ? credit.parameters() : 0; }
  /// Which of the credit network's outputs speaks of an action.
  std::size_t credit_output(std::span<const float> action) const {
    return credit.outputs() > 1 ? heads.combination(action) : 0;
  }
  /// Numbers remembered for an agent by the two networks; the value network's follow the policy's.
  std::size_t policy_memory() const { return policy.memory_stride(); }
  std::size_t value_memory() const { return shared ? 0 : value.memory_stride(); }

  void prepare(std::span<const Scalar> all, std::span<Scalar> prepared_all) const;
};

/// A network's numbers, ready to compute with.
template <class Scalar>
struct Numbers {
  std::span<const Scalar> parameters, prepared;
};

/// What the networks need for batches of at most `rows` rows.
template <class Scalar>
struct NetworkRoom {
  typename Network<Scalar>::Workspace policy, value, credit;
  NetworkRoom() = default;
  NetworkRoom(const ActorCritic<Scalar>& nets, std::size_t most_rows);
};

/// What the networks say of a batch: rows of policy outputs, values, and what the credit network
/// says, each with its stride. Parts that were not asked for are empty.
template <class Scalar>
struct NetworkOutputs {
  std::span<Scalar> outputs{}, values{}, credits{};
  std::size_t output_stride = 0, value_stride = 0, credit_stride = 0;

  std::span<Scalar> row(std::size_t i, std::size_t width) const {
    return outputs.subspan(i * output_stride, width);
  }
  Scalar value(std::size_t i) const { return values[i * value_stride]; }
};

/// [steps][sequences] rows of inputs; see Network::Order. `memory` holds what is remembered for
/// each sequence: first all of the policy network's, then all of the value network's.
template <class Scalar>
struct Sequences {
  std::size_t steps = 1, count = 0;
  std::span<const Scalar> inputs;
  std::span<const std::uint8_t> begins;
  std::span<Scalar> memory;
  /// Of networks that do not read what the policy does; else empty.
  std::span<const Scalar> value_inputs{}, credit_inputs{};
  std::size_t rows() const { return steps * count; }
};

/// All networks' outputs, which stay in the room until its next use; the memory advances.
template <class Scalar>
NetworkOutputs<Scalar> judge(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                             const Sequences<Scalar>& sequences, NetworkRoom<Scalar>& room);
/// Those of the policy network, with the values if they are among them.
template <class Scalar>
NetworkOutputs<Scalar> judge_policy(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                                    const Sequences<Scalar>& sequences, NetworkRoom<Scalar>& room);
/// Adds those of a value network of its own, and of the credit network.
template <class Scalar>
void judge_value(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                 const Sequences<Scalar>& sequences, NetworkRoom<Scalar>& room,
                 NetworkOutputs<Scalar>& outputs);
template <class Scalar>
void judge_credit(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                  const Sequences<Scalar>& sequences, NetworkRoom<Scalar>& room,
                  NetworkOutputs<Scalar>& outputs);

struct LossSettings {
  Objective objective = Objective::clipped;
  double clip = 0.2, entropy_weight = 0.0, value_weight = 1.0, value_clip = 0.0;
  double teacher_weight = 0.0;
};

/// Samples to learn from; rows are contiguous.
template <class Scalar>
struct Batch {
  Sequences<Scalar> sequences;
  std::span<const float> actions;          // [samples][controls]
  std::span<const float> log_probability;  // of the action when it was taken
  std::span<const float> advantage;
  std::span<const float> target;   // return to be predicted, in the value network's scale
  std::span<const float> value;    // what was predicted when the step was taken, in that scale
  std::span<const float> allowed;  // [samples][masks] which options were allowed
  // What is learned from each, see Learns; empty if everything is from all.
  std::span<const std::uint8_t> counts;
  /// [samples][controls] what a teacher would have done, not a number where it does not know; empty
  /// if nobody is asked.
  std::span<const float> teacher{};
};

/// Sums over samples.
struct LossSums {
  double policy = 0.0, value = 0.0, guess = 0.0, credit = 0.0, entropy = 0.0, kl = 0.0,
         clipped = 0.0, teacher = 0.0;
  LossSums& operator+=(const LossSums& other) {
    policy += other.policy;
    value += other.value;
    guess += other.guess;
    credit += other.credit;
    entropy += other.entropy;
    kl += other.kl;
    clipped += other.clipped;
    teacher += other.teacher;
    return *this;
  }
};

template <class Scalar>
struct LossRoom {
  NetworkRoom<Scalar> nets;
  AlignedBuffer<Scalar> policy_gradient, value_gradient,
      credit_gradient;         // with respect to the networks' outputs
  AlignedBuffer<Scalar> kept;  // of the action judged last; see Heads::judge

  LossRoom() = default;
  LossRoom(const ActorCritic<Scalar>& nets, std::size_t most_samples);
};

/// Adds the gradient of the batch's loss, times `scale`, to `gradient`, and returns the unscaled
/// sums.
///
/// Loss of a sample: -min(r A, clip(r) A) - entropy_weight H + value_weight (V - target)^2 / 2,
/// where r is the ratio of the action's probability now to that when it was taken; the plain
/// objective has -A log(probability) for the first part. Where a teacher would act,
/// -teacher_weight log(probability of that) is added. The credit network's loss is (Q -
/// target)^2 / 2 for the output that speaks of the action, and that of the policy network's guess
/// is the like, with the value's weight. With a value clip the larger of two squares counts, the
/// other one's V being kept within `value_clip` of what was predicted when the step was taken.
template <class Scalar>
LossSums add_loss(const ActorCritic<Scalar>& nets, const Numbers<Scalar>& numbers,
                  const Batch<Scalar>& batch, const LossSettings& settings, Scalar scale,
                  LossRoom<Scalar>& room, std::span<Scalar> gradient);

}  // namespace zithercraft::learn_internal
