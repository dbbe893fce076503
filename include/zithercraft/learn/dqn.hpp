#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>

#include "zithercraft/learn/method.hpp"
#include "zithercraft/learn/off_policy.hpp"

namespace zithercraft {

/// How a learner of values tries what does not seem best.
enum class Exploration : std::uint8_t {
  epsilon,  ///< with a probability any option
  softmax   ///< options by how good they seem, over a temperature
};

/// Settings of deep Q-learning; see `dqn_method`. The defaults are meant to work as they are.
struct DqnSettings : OffPolicySettings {
  bool double_q = true;  ///< what is best next is chosen by one network, and valued by the other
  bool duelling = true;  ///< a moment's value and options' advantages have outputs of their own
  /// rewards that are summed before the target network is asked; 8 if the role shoots, else 3
  std::optional<std::int64_t> steps_ahead{};
  std::int64_t memory = 0;  ///< numbers that the network remembers from step to step, or 0
  /// steps in a row that it learns from where it remembers, after as many that bring the memory up
  /// to date; 1 to 64
  std::int64_t memory_span = 32;
  /// gradient steps between copies to the target network; 0: it follows by `target_rate`
  std::int64_t target_every = 0;
  /// power of a step's last error that it is drawn in proportion to; 0: all alike
  double priority = 0.0;
  /// share by which that is made up for by weights in the loss, 0 to 1; it rises to 1
  double priority_correction = 0.4;
  /// quantiles of the return that are predicted; 0: its mean alone
  std::int64_t quantiles = 0;
  Exploration exploration = Exploration::epsilon;  ///< how what does not seem best is tried
  double epsilon = 1.0;        ///< probability of any option at the first step, 0 to 1
  double last_epsilon = 0.02;  ///< reached linearly when `explore_until` is done
  /// Weights have noise whose strength is learned, and which explores in place of epsilon.
  bool noisy = false;
  /// Lanes explore differently much: one's probability is the power from 1 to 8 of that above.
  bool epsilon_by_lane = false;
  /// of softmax, in the scale in which returns are predicted, above 0
  double temperature = 0.1;
  double last_temperature = 0.01;  ///< reached linearly when `explore_until` is done
  double explore_until = 0.3;      ///< share of the training, above 0, at most 1

  /// With the usual learning rates of this method.
  DqnSettings() {
    learning_rate = 5e-4;
    last_learning_rate = 1e-4;
  }
  /// Whether all settings are the same.
  bool operator==(const DqnSettings&) const = default;
};

/// The settings with a value for each, as `settle_off_policy` fills them in.
DqnSettings settled(DqnSettings settings, const Game& game, std::int64_t total_steps,
                    std::span<const RolePlayer> players);
/// For LearnerSettings, which can hold these.
std::shared_ptr<const SettingsModel> settings_model(const DqnSettings& settings);

/// Deep Q-learning (Mnih et al.: "Human-level control through deep reinforcement learning", 2015),
/// with double choice (van Hasselt, Guez, Silver, 2016), duelling outputs (Wang et al., 2016),
/// several steps ahead, prioritised replay (Schaul, Quan, Antonoglou, Silver, 2016) and quantiles
/// of the return (Dabney, Rowland, Bellemare, Munos, 2018). Several choices have a branch of
/// outputs each, whose targets are the mean over branches (Tavakoli, Pardo, Kormushev: "Action
/// branching architectures for deep reinforcement learning", 2018). Roles have choices alone.
LearningMethod dqn_method();

}  // namespace zithercraft
