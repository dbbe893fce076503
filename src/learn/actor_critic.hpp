#pragma once

#include <cstddef>
#include <span>

#include "zithercraft/base/aligned.hpp"
#include "zithercraft/net/heads.hpp"
#include "zithercraft/net/mlp.hpp"

namespace zithercraft {

struct LossSettings {
  double clip = 0.2, entropy_weight = 0.0;
};

/// Samples to learn from; rows are contiguous.
template <class Scalar>
struct Batch {
  std::size_t samples = 0;
  std::span<const Scalar> inputs;          // [samples][columns], normalised
  std::span<const float> decisions;        // [samples][controls]
  std::span<const float> log_probability;  // of the decision when it was taken
  std::span<const float> advantage;
  std::span<const float> target;  // return to be predicted
};

/// Sums over samples.
struct LossSums {
  double policy = 0.0, value = 0.0, entropy = 0.0, kl = 0.0, clipped = 0.0;
  LossSums& operator+=(const LossSums& other) {
    policy += other.policy;
    value += other.value;
    entropy += other.entropy;
    kl += other.kl;
    clipped += other.clipped;
    return *this;
  }
};

/// A policy and a value network with their parameters in one flat array: policy, spreads of dials, value.
///
/// `double` serves the check of gradients against finite differences.
template <class Scalar>
struct ActorCritic {
  Heads heads;
  Mlp<Scalar> policy, value;
  std::size_t spread_offset = 0, value_offset = 0, parameters = 0;

  ActorCritic() = default;
  ActorCritic(Heads heads, Mlp<Scalar> policy, Mlp<Scalar> value);

  template <class T>
  std::span<T> policy_part(std::span<T> all) const {
    return all.first(policy.parameters());
  }
  template <class T>
  std::span<T> spread_part(std::span<T> all) const {
    return all.subspan(spread_offset, heads.dials());
  }
  template <class T>
  std::span<T> value_part(std::span<T> all) const {
    return all.subspan(value_offset, value.parameters());
  }
};

template <class Scalar>
struct LossRoom {
  typename Mlp<Scalar>::Workspace policy, value;
  AlignedBuffer<Scalar> policy_gradient, value_gradient;  // with respect to the networks' outputs

  LossRoom() = default;
  LossRoom(const ActorCritic<Scalar>& nets, std::size_t most_samples);
};

/// Adds the gradient of the batch's loss, times `scale`, to `gradient`, and returns the unscaled sums.
///
/// Loss of a sample: -min(r A, clip(r) A) - entropy_weight H + (V - target)^2 / 2, where r is the ratio of the
/// decision's probability now to that when it was taken.
template <class Scalar>
LossSums add_loss(const ActorCritic<Scalar>& nets, std::span<const Scalar> parameters, const Batch<Scalar>& batch,
                  const LossSettings& settings, Scalar scale, LossRoom<Scalar>& room, std::span<Scalar> gradient);

}  // namespace zithercraft
