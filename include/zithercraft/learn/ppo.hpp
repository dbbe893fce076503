#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/game/episode.hpp"
#include "zithercraft/game/game.hpp"
#include "zithercraft/net/policy.hpp"

namespace zithercraft {

class TensorFile;
class WorkerPool;

/// Settings of the learner. The defaults are meant to work as they are.
struct PpoSettings {
  std::vector<std::int64_t> policy_layers{64, 64};  ///< widths of the policy network's hidden layers
  std::vector<std::int64_t> value_layers{64, 64};   ///< widths of the value network's hidden layers
  std::int64_t lanes = 256;                         ///< copies of the game played side by side, at least 1
  std::int64_t horizon = 128;                       ///< decisions per lane in one rollout, at least 1
  std::int64_t epochs = 4;                          ///< times a rollout is learned from, at least 1
  std::int64_t minibatch = 4096;                    ///< samples per gradient step, at least 1
  double learning_rate = 1e-3;                      ///< of the first update, above 0
  double last_learning_rate = 1e-4;                 ///< of the last update; in between it falls linearly
  double discount = 0.998;                          ///< of a reward one decision later, 0 to 1
  double trace_decay = 0.95;                        ///< lambda of the generalised advantage, 0 to 1
  double clip = 0.2;                                ///< how far a decision's probability ratio may move, above 0
  double entropy_weight = 0.005;                    ///< reward for staying undecided at the first update, at least 0
  double last_entropy_weight = 0.0;  ///< reached linearly when the share `entropy_fades_by` of the training is done
  double entropy_fades_by = 0.5;     ///< above 0, at most 1; afterwards the policy may grow certain of itself
  double gradient_limit = 0.5;       ///< length to which longer gradients are cut, per network, above 0
  double first_spread = 0.6;         ///< spread of dials at the start, as a share of half their range, above 0
  bool normalise = true;             ///< bring observation columns to mean 0 and spread 1
  bool operator==(const PpoSettings&) const = default;
};

struct CollectReport {
  std::int64_t decisions = 0;             ///< taken in this rollout, over all seats
  std::vector<EpisodeResult> episodes{};  ///< that ended in it, in order of time, then lane
};

struct ImproveReport {
  double policy_loss = 0.0, value_loss = 0.0;
  double entropy = 0.0;             ///< mean over samples of the last epoch, nats
  double kl = 0.0;                  ///< approximate divergence from the policy that collected, last epoch
  double clip_share = 0.0;          ///< share of samples whose ratio was clipped, last epoch
  double explained_variance = 0.0;  ///< of the returns by the value network, before the update
  double gradient_norm = 0.0;       ///< of the policy network, mean over steps, before the limit
  double learning_rate = 0.0;
};

/// Proximal policy optimisation with clipped ratios (Schulman, Wolski, Dhariwal, Radford, Klimov: "Proximal policy
/// optimization algorithms", 2017) and generalised advantages (Schulman et al., 2016), for games with one role.
///
/// Separate policy and value networks. An episode that ends by a verdict has no future; one that is cut off is credited
/// with the value of its last observation. For a fixed build the results are the same bits on any number of threads.
class Ppo {
 public:
  /// `total_decisions` is the length of the schedules. Throws Error (spec) if the settings or the game cannot be used.
  Ppo(const Game& game, const PpoSettings& settings, std::uint64_t seed, std::int64_t total_decisions,
      WorkerPool& pool);
  ~Ppo();

  /// Plays `horizon` decisions in every lane with the present policy.
  CollectReport collect();
  /// Learns from what was collected last. Throws Error (numbers), naming the layer, if a loss or gradient is not
  /// finite.
  ImproveReport improve();

  std::int64_t decisions() const noexcept;  ///< taken so far, over all seats
  std::int64_t updates() const noexcept;    ///< improvements so far
  const PolicySignature& signature() const noexcept;

  /// Everything needed to go on: weights, optimiser, normaliser, lanes and counters. To be called after `improve`.
  void store(TensorFile& file) const;
  /// Goes on from a stored state. Throws Error (refused), naming the difference, if it is of another game or network.
  void restore(const TensorFile& file);
  /// The present policy, for playing.
  Policy policy() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft
