#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/game/game.hpp"
#include "zithercraft/learn/learner.hpp"
#include "zithercraft/learn/phase_times.hpp"
#include "zithercraft/learn/sight.hpp"
#include "zithercraft/match/ratings.hpp"
#include "zithercraft/net/network_plan.hpp"
#include "zithercraft/net/policy.hpp"

namespace zithercraft {

/// What a step's loss is made of.
enum class Objective : std::uint8_t {
  clipped,  ///< the ratio of probabilities times the advantage, clipped: proximal policy
            ///< optimisation
  plain     ///< the logarithm of the probability times the advantage: the actor-critic; without a
            ///< baseline REINFORCE
};

/// How the learning rate gets from its first value to its last.
enum class Decay : std::uint8_t { linear, cosine };

/// Settings of the learner. The defaults are meant to work as they are. Those that are not set
/// follow from the length of the training and from the game: see `settled`.
struct PolicyGradientSettings {
  // The networks
  std::vector<std::int64_t> policy_layers{64,
                                          64};  ///< widths of the policy network's hidden layers
  std::vector<std::int64_t> value_layers{
      64, 64};  ///< widths of the value network's hidden layers, if it has its own
  /// of hidden layers; without, relu in networks that read pictures by convolutions, else tanh
  std::optional<Activation> activation{};
  bool share = true;  ///< the value is one more output of the policy network, which then has both
                      ///< tasks; a value network that sees others comes beside that
  /// more than its own seat: a central critic, which only the training knows
  Sight value_sees = Sight::own;
  std::int64_t memory = 0;  ///< numbers that each network remembers from step to step, 0 for none
  /// steps through which remembering is learned, at least 1; divides the horizon
  std::optional<std::int64_t> memory_span{};
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
  std::optional<std::int64_t> horizon{};  ///< steps per lane in one rollout, at least 1
  std::optional<double> discount{};       ///< of a reward one step later, 0 to 1
  double trace_decay = 0.95;              ///< lambda of the generalised advantage, 0 to 1

  // Learning
  Objective objective = Objective::clipped;  ///< what a policy is improved by
  /// returns are compared with their prediction; if not, only with their mean, and steps whose
  /// episode the rollout does not finish teach nothing
  bool baseline = true;
  /// a step is compared with what the others' actions led to expect, whatever this one is: its own
  /// share of the reward of the side. Needs `value_sees`
  bool counterfactual = false;
  std::optional<std::int64_t> epochs{};     ///< times a rollout is learned from, at least 1
  std::optional<std::int64_t> minibatch{};  ///< samples per gradient step, at least 1
  double kl_limit = 0.0;  ///< no further epoch once the divergence is above this; 0 for no limit
  double learning_rate = 1e-3;                ///< of the first update, above 0
  double last_learning_rate = 1e-4;           ///< of the last update
  Decay learning_rate_decay = Decay::linear;  ///< how the learning rate falls
  double clip = 0.2;  ///< how far an action's probability ratio may move, above 0
  /// of the value's loss beside the policy's; matters if they share a network
  double value_weight = 1.0;
  double value_clip = 0.0;  ///< how far a value may move in one update, in standard deviations of
                            ///< returns; 0: any way
  /// reward for staying undecided at the first update, at least 0
  std::optional<double> entropy_weight{};
  /// reached linearly when the share `entropy_fades_by` of the training is done
  std::optional<double> last_entropy_weight{};
  /// above 0, at most 1; afterwards the policy may grow certain of itself
  double entropy_fades_by = 0.5;
  double gradient_limit = 0.5;  ///< length to which longer gradients are cut, per network, above 0
  /// standard deviation of dials at the start, as a share of half their range, above 0
  std::optional<double> first_stddev{};
  bool normalise = true;  ///< bring observation columns to mean 0 and standard deviation 1
  /// predict returns in a scale in which they have mean 0 and standard deviation 1
  bool normalise_returns = true;

  // From whom else, where a teacher can be asked
  /// how much the policy is held near to a teacher at the first update: of its divergence from what
  /// the teacher would do, beside the loss; at least 0
  double teacher_weight = 1.0;
  double teacher_fades_by = 0.5;  ///< by when that has fallen to 0; above 0, at most 1

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

  /// Beginnings of the names of network parts that stay as they are: "policy.hidden.0". For skills
  /// that are continued.
  std::vector<std::string> frozen{};
  bool operator==(const PolicyGradientSettings&) const = default;
};

/// The settings with a value for each: what was not set follows from the length of the training,
/// from the seats that learn (`players`: one for each role) and their controls, and from how long
/// episodes may last.
///
/// Remembering is learned through as many steps as an episode may last, 32 to 64. A rollout is
/// about a fiftieth to a hundredth of the training, 16 to 256 lanes of 32 to 128 steps. Minibatches
/// are such that a training has some 6,000 gradient steps with dials and 12,000 with choices alone,
/// 32 to 4096 samples. Trainings with dials of more than half a million steps and less than five
/// have up to four times as many rollouts and gradient steps. Rollouts are learned from 4 times
/// with dials and 6 times with choices alone, 3 times in trainings of 5 million steps or more. The
/// discount looks as far ahead as an episode lasts, 100 to 500 steps. Dials begin with a standard
/// deviation of 1.5 and an entropy weight of 0.02 in trainings of up to half a million steps,
/// falling to 0.6 and 0.005 at five million. Choices alone have an entropy weight of 0.005. It
/// falls to 0.
///
/// Where sides that learn are opposed, a fiftieth of the training lies between two snapshots, and
/// they meet any of their past in a fifth of the lanes, and those that win most in another fifth.
/// If they have choices alone, the best play may have to be drawn by lot: they meet their past in
/// three quarters of the lanes, rollouts are a two-hundredth of the training and learned from
/// twice, and the entropy weight falls from 0.1 to 0.05.
PolicyGradientSettings settled(PolicyGradientSettings settings, const Game& game,
                               std::int64_t total_steps, std::span<const RolePlayer> players);

/// For LearnerSettings, which can hold these.
std::shared_ptr<const SettingsModel> settings_model(const PolicyGradientSettings& settings);

/// The networks that a role's senses and the settings ask for; the value plan is empty if they
/// share one. A value network that sees others is planned here for its own seat's columns alone;
/// the learner adds those of others, which depend on the game. Throws Error (spec) if they cannot
/// be built.
std::pair<NetworkPlan, NetworkPlan> plan_networks(const Role& role,
                                                  const PolicyGradientSettings& settings);

/// What an update brought to one policy.
struct PolicyGradientReport {
  double policy_loss = 0.0;  ///< of the last minibatches, their mean
  double value_loss = 0.0;   ///< in the value network's scale
  double entropy = 0.0;      ///< mean over samples of the last epoch, nats
  double kl = 0.0;           ///< approximate divergence from the policy that collected, last epoch
  double clip_share = 0.0;   ///< share of samples whose ratio was clipped, last epoch
  double explained_variance = 0.0;  ///< of the returns by the value network, before the update
  double gradient_norm = 0.0;       ///< of the policy network, mean over steps, before the limit
  double learning_rate = 0.0;       ///< of the last update
  /// of the network behind the counterfactual baseline, in the value's scale, last epoch
  double credit_loss = 0.0;
  /// as `gradient_norm`, of the value network; 0 if they share one
  double value_gradient_norm = 0.0;
  /// of dials after the update, mean, as a share of half their range; 0 without dials
  double stddev = 0.0;
  /// mean over samples of minus the logarithm of the probability of what a teacher would do, last
  /// epoch: the divergence from the teacher, and the teacher's own entropy; 0 without one
  double teacher_loss = 0.0;
  std::int64_t epochs = 0;  ///< gone through before the divergence was too large
  PhaseTimes times{};       ///< where the time went
};

/// How the present policies stand against past ones.
struct RosterReport {
  Rating rating{};  ///< of the present policies; the first ones of all are at 0
  /// A policy of the past.
  struct Past {
    std::int64_t steps = 0;  ///< after which it was kept
    Rating rating{};         ///< among the policies of the past and the present
    Tally lately{};  ///< the present policies' matches against it since the last snapshot; they are
                     ///< player a
  };
  std::vector<Past> past{};  ///< the oldest first
  /// past policies that beat the present ones, by their steps
  std::vector<std::int64_t> forgotten{};
  /// Past policies each of which beats the next, and the last the first; -1 stands for the present
  /// ones.
  std::vector<std::array<std::int64_t, 3>> cycles{};
};

/// Proximal policy optimisation with clipped ratios (Schulman, Wolski, Dhariwal, Radford, Klimov:
/// "Proximal policy optimization algorithms", 2017) and generalised advantages (Schulman et al.,
/// 2016). Any roles of the game can learn together, each by a policy of its own; roles that mirror
/// each other share one. Where sides that learn are opposed, some lanes are played against past
/// policies (Heinrich, Lanctot, Silver: "Fictitious self-play in extensive-form games", 2015).
///
/// Seats of a side can be judged together: by a value network that sees all their senses (Lowe et
/// al.: "Multi-agent actor-critic for mixed cooperative-competitive environments", 2017; Yu et al.:
/// "The surprising effectiveness of PPO in cooperative multi-agent games", 2022), and each by what
/// its own action changed (Foerster, Farquhar, Afouras, Nardelli, Whiteson: "Counterfactual
/// multi-agent policy gradients", 2018). Others are read by attention, so that some may be absent.
///
/// A seat whose body has left the arena still receives rewards: what comes then is credited to the
/// last step it took.
///
/// An episode that ends by a verdict has no future; one that is cut off is credited
/// with the value of its last observation. For a fixed build the results are the same bits on any
/// number of threads, and in any number of processes.
class Ppo final : public Learner {
 public:
  /// `total_steps` is the length of the schedules. `players`: one for each role; without them the
  /// usual ones. With `processes` the lanes are shared among processes, all of which make the same
  /// calls; both must outlive the learner. Throws Error (spec) if the settings or the game cannot
  /// be used, (refused) if the lanes cannot be shared out evenly.
  Ppo(const Game& game, const PolicyGradientSettings& settings, std::uint64_t seed,
      std::int64_t total_steps, WorkerPool& pool, ProcessGroup* processes = nullptr,
      std::vector<RolePlayer> players = {});
  Ppo(Ppo&&) noexcept;
  Ppo& operator=(Ppo&&) noexcept;
  ~Ppo() override;

  void set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                  double share) override;
  /// Begins with what fits of a policy that was trained in another game or with other networks.
  Continuation continue_from(const TensorFile& file) override;
  void begin() override;

  /// Plays `horizon` steps in every lane with the present policy. A stage of the game's curriculum
  /// that has been learned is left at the end of it.
  CollectReport collect() override;
  /// Throws Error (numbers), naming the layer, if a loss or gradient is not finite.
  void improve() override;
  LearnerReport report() const override;
  /// What the last improvement brought to each policy that learns, as `report` has it by name.
  const std::vector<PolicyGradientReport>& improvements() const noexcept;
  /// Where the time of the last rollout went.
  const PhaseTimes& rollout_times() const noexcept;

  std::int64_t steps() const noexcept override;
  std::int64_t updates() const noexcept override;
  std::size_t stage() const noexcept override;
  /// Of the policy that plays a role. Throws Error (usage) if it does not learn.
  const PolicySignature& signature(std::size_t role) const;
  std::optional<std::size_t> policy_of(std::size_t role) const noexcept override;
  /// Of trainings with opposed sides that learn; else empty.
  RosterReport roster() const;
  Policy policy(std::size_t role = 0) const override;

  /// Weights, optimiser, normaliser, lanes and counters.
  void store(TensorFile& file) const override;
  void restore(const TensorFile& file) override;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft
