#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "zithercraft/game/game.hpp"
#include "zithercraft/learn/learner.hpp"
#include "zithercraft/net/network_plan.hpp"

namespace zithercraft {

/// Settings that all methods share which learn from steps of earlier policies too. Those that are
/// not set follow from the length of the training and from the game: see `settle_off_policy`.
struct OffPolicySettings {
  // The networks
  std::vector<std::int64_t> value_layers{64, 64};  ///< widths of the value networks' hidden layers
  Activation activation = Activation::relu;        ///< of hidden layers
  /// Convolutions over cameras and windows, as many as fit; without, by the picture's size; empty:
  /// pixels are columns like others.
  std::optional<std::vector<ConvolutionLayer>> pictures{};
  /// pixels or cells along both sides from which on convolutions are used
  std::int64_t picture_least = 12;
  /// features of each other in a crowd; 0: its columns are like others
  std::int64_t crowd_width = 32;
  std::int64_t crowd_queries = 2;  ///< means taken over a crowd by attention, at least 1

  // Playing
  std::optional<std::int64_t> lanes{};    ///< copies of the game played side by side, at least 1
  std::optional<std::int64_t> horizon{};  ///< steps per lane before it is learned again, at least 1
  std::optional<double> discount{};       ///< of a reward one step later, 0 to 1

  // Learning
  std::optional<std::int64_t> experience{};  ///< steps that are kept to learn from, at least 2
  /// the last checkpoint keeps them, so that a resumed training goes on as if it had not stopped
  bool keep_experience = true;
  std::optional<std::int64_t> warm_up{};     ///< steps before anything is learned
  std::optional<std::int64_t> minibatch{};   ///< steps per gradient step, at least 1
  std::optional<double> updates_per_step{};  ///< gradient steps for each step played, above 0
  double learning_rate = 1e-3;               ///< of the first update, above 0
  double last_learning_rate = 2e-4;          ///< of the last update
  double gradient_limit = 10.0;  ///< length to which longer gradients are cut, per network, above 0
  /// share of its way that the target network follows the value network at each gradient step,
  /// above 0, at most 1
  double target_rate = 0.005;
  bool normalise = true;  ///< bring observation columns to mean 0 and standard deviation 1
  /// predict returns in a scale in which those that are played have a root mean square of 1
  bool normalise_returns = true;

  // From whom else, where there are teachers
  /// share of each minibatch that is drawn from demonstrations, 0 to 1
  double demonstrations_share = 0.25;
  /// by when it has fallen to 0, as a share of the training; 0: it stays
  double demonstrations_fade_by = 0.0;
  /// share of steps at first in which a teacher acts in the learner's place, 0 to 1
  double teacher_share = 0.0;
  double teacher_fades_by = 0.5;  ///< by when that has fallen to 0; above 0, at most 1
  /// nothing is played: values are learned from demonstrations alone
  bool offline = false;
  /// how much lower controls are valued that nobody has tried there; 0.03 if nothing is played,
  /// else 0. At least 0
  std::optional<double> conservative_weight{};

  // Against whom, where sides that learn are opposed to each other
  /// share of lanes in which one side learns against any of its past policies, 0 to 1
  std::optional<double> against_past{};
  /// and against those that win most; with the former at most 1. Elsewhere both learn
  std::optional<double> against_hardest{};
  /// steps after which the present policies join the past ones, at least 1
  std::optional<std::int64_t> snapshot_every{};
  /// or as soon as they are this many points stronger than the last; 0: never
  double snapshot_gain = 0.0;
  /// past policies that are kept, spread evenly over the training, at least 3
  std::int64_t roster_size = 50;

  bool operator==(const OffPolicySettings&) const = default;
};

/// Fills in what is not set. Some two hundred rollouts of 8 to 64 rows make a training. There is
/// one gradient step for each step played, and in longer trainings 60,000 in all, by minibatches of
/// 128 steps that grow to 512. All steps are kept, up to a million. The discount looks half as far
/// ahead as an episode may last, 50 to 200 steps.
void settle_off_policy(OffPolicySettings& settings, const Game& game, std::int64_t total_steps,
                       std::span<const RolePlayer> players);

}  // namespace zithercraft
