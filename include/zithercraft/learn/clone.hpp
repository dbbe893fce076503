#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/learn/method.hpp"
#include "zithercraft/net/network_plan.hpp"

namespace zithercraft {

/// Settings of imitation; see `clone_method`. The defaults are meant to work as they are. Those
/// that are not set follow from the length of the training and from the method that goes on with
/// the policy.
struct CloneSettings {
  // The network
  /// the method that may go on with the policy: it gets that method's kind of network
  std::string continued_by = "ppo";
  /// widths of hidden layers; unless set, as that method usually has them
  std::optional<std::vector<std::int64_t>> policy_layers{};
  std::optional<Activation> activation{};  ///< of hidden layers, likewise
  /// Convolutions over cameras and windows, as many as fit; without, by the picture's size; empty:
  /// pixels are columns like others.
  std::optional<std::vector<ConvolutionLayer>> pictures{};
  /// pixels or cells along both sides from which on convolutions are used
  std::int64_t picture_least = 12;
  /// features of each other in a crowd; 0: its columns are like others
  std::int64_t crowd_width = 32;
  std::int64_t crowd_queries = 2;  ///< means taken over a crowd by attention, at least 1

  // Learning
  std::int64_t minibatch = 256;  ///< steps per gradient step, at least 1
  double learning_rate = 1e-3;   ///< of the first update, above 0
  /// how strongly weights are drawn to 0, so that demonstrations are not learned by heart; at least
  /// 0
  double weight_decay = 3e-3;
  double gradient_limit = 1.0;  ///< length to which longer gradients are cut, above 0
  bool normalise = true;        ///< bring observation columns to mean 0 and standard deviation 1
  /// share of the teachers' episodes that are not learned from, but tell when to stop, 0 to 0.5
  double held_out = 0.1;
  /// share of steps of the teachers' episodes in which they are disturbed, so that it is seen how
  /// they get back; of recordings none. 0 to 0.9
  double disturbance = 0.4;
  /// passes through the demonstrations without a better held-out loss, after which the learning
  /// rate falls to a third, and for the third time the training ends; 0: never
  std::int64_t patience = 8;

  // Asking
  /// the policy plays, and the teacher is asked what it would have done wherever it gets
  bool interactive = false;
  std::optional<std::int64_t> lanes{};    ///< copies of the game then played side by side
  std::optional<std::int64_t> horizon{};  ///< steps per lane before it is learned again
  double teacher_share = 0.5;     ///< share of steps at first in which the teacher acts, 0 to 1
  double teacher_fades_by = 0.5;  ///< by when that has fallen to 0; above 0, at most 1
  /// times that a step is learned from for each one that is played, above 0
  double passes = 8.0;

  bool operator==(const CloneSettings&) const = default;
};

/// The settings with a value for each. Throws Error (spec) if no policy can go on by the method
/// named.
CloneSettings settled(CloneSettings settings, const Game& game, std::int64_t total_steps,
                      std::span<const RolePlayer> players);
/// For LearnerSettings, which can hold these.
std::shared_ptr<const SettingsModel> settings_model(const CloneSettings& settings);

/// Behaviour cloning: a policy learns by likelihood to do what its teachers did in demonstrations.
/// A step of such a training is a step that is learned from. Where the policy plays and a teacher
/// is asked (Ross, Gordon, Bagnell: "A reduction of imitation learning and structured prediction to
/// no-regret online learning", 2011), it is a step that is played.
LearningMethod clone_method();

}  // namespace zithercraft
