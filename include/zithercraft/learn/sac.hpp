#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/learn/method.hpp"
#include "zithercraft/learn/off_policy.hpp"
#include "zithercraft/learn/sight.hpp"

namespace zithercraft {

/// What kind of policy an actor-critic improves.
enum class ActorKind : std::uint8_t {
  sampled,       ///< it draws its controls, and is paid for staying undecided
  deterministic  ///< its dials are what it means; it explores by noise
};

/// Settings of the off-policy actor-critics; see `sac_method`. The defaults are meant to work as
/// they are.
struct ActorCriticSettings : OffPolicySettings {
  std::string method = "sac";  ///< under which name the registry knows them; not a setting
  std::vector<std::int64_t> policy_layers{128, 128};  ///< widths of the policy's hidden layers
  ActorKind actor = ActorKind::sampled;               ///< what the policy is
  /// Whose senses and controls the value networks see. More than their own seat's: central critics,
  /// which only the training knows.
  Sight value_sees = Sight::own;
  std::int64_t critics = 2;  ///< value networks; the least of what they say counts, 1 to 16
  /// Rewards that are summed before the target networks are asked. More than one where a reward
  /// comes later than what it is for can be sensed: 8 if the role shoots, else 1.
  std::optional<std::int64_t> steps_ahead{};
  std::int64_t policy_every = 2;  ///< gradient steps of the values for each of the policy
  /// What a nat of entropy is worth at first, in the scale in which returns are predicted; above 0.
  double temperature = 0.1;
  bool learn_temperature = true;  ///< so that the entropy becomes what is wanted
  /// entropy that is wanted, for each dial, in nats; log 2 is that of a dial that takes any value
  double dial_entropy = -1.0;
  /// and for choices as a share of the largest possible, 0 to 1
  double choice_entropy = 0.1;
  /// standard deviation of the noise by which a deterministic policy explores, and by which its
  /// controls are blurred when values are learned, as shares of half a dial's range
  double explore_noise = 0.2, target_noise = 0.2;
  double target_noise_limit = 0.5;  ///< beyond which the latter is cut off

  /// With the usual widths of this method's value networks.
  ActorCriticSettings() { value_layers = {128, 128}; }
  bool operator==(const ActorCriticSettings&) const = default;
};

/// Settings of the methods' own: those of `sac` are the defaults.
ActorCriticSettings td3_settings();
ActorCriticSettings ddpg_settings();

/// The settings with a value for each, as `settle_off_policy` fills them in.
ActorCriticSettings settled(ActorCriticSettings settings, const Game& game,
                            std::int64_t total_steps, std::span<const RolePlayer> players);
/// For LearnerSettings, which can hold these.
std::shared_ptr<const SettingsModel> settings_model(const ActorCriticSettings& settings);

/// Soft actor-critic (Haarnoja, Zhou, Abbeel, Levine: "Soft actor-critic: off-policy maximum
/// entropy deep reinforcement learning with a stochastic actor", 2018; its temperature as in
/// Haarnoja et al.: "Soft actor-critic algorithms and applications", 2018). Dials are squashed into
/// their range by the hyperbolic tangent. Over choices the expectation is taken (Christodoulou,
/// 2019): critics have an output for each combination of options, at most 256.
LearningMethod sac_method();
/// The same with a deterministic policy, which is improved less often than its two critics
/// (Fujimoto, van Hoof, Meger: "Addressing function approximation error in actor-critic methods",
/// 2018). For dials alone.
LearningMethod td3_method();
/// The same with one critic and no blur (Lillicrap et al.: "Continuous control with deep
/// reinforcement learning", 2016). For dials alone.
LearningMethod ddpg_method();

}  // namespace zithercraft
