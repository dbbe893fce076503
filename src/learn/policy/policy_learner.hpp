#pragma once

// A policy that learns by its gradient. policy_learner.cpp makes it, policy_play.cpp plays,
// policy_judge.cpp values what was played, policy_learn.cpp learns, policy_store.cpp stores and
// restores it; policy_share.cpp sends to other processes.

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "learn/play/played_rows.hpp"
#include "learn/play/trainee.hpp"
#include "learn/play/training_context.hpp"
#include "learn/policy/actor_critic.hpp"
#include "learn/policy/rollout.hpp"
#include "learn/policy/team_view.hpp"
#include "learn/policy/value_scale.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft::learn_internal {

// Sums over the samples of a group from which something can be learned.
struct SampleSums {
  double count = 0.0, advantage = 0.0, advantage_square = 0.0, target = 0.0, target_square = 0.0;
  double off = 0.0, off_square = 0.0;  // what values were off by: the advantage, unless another
                                       // baseline takes its place
};

class PolicyLearner final : public Trainee {
 public:
  /// `roles`: whose seats it plays; the first one lays out what it reads and writes. Throws Error
  /// (spec) if the networks cannot be built.
  PolicyLearner(TrainingContext& context, std::vector<std::size_t> roles,
                const PolicyGradientSettings& settings);

  const std::vector<std::size_t>& roles() const override { return roles_; }
  const PolicySignature& signature() const override { return signature_; }
  const GroupSamples& samples(std::size_t group) const override { return groups_[group]; }
  std::size_t samples_of(std::size_t horizon) const override { return all_rows_ * horizon; }
  const Rollout& rollout() const { return rollout_; }
  const PolicyGradientReport& report() const { return report_; }

  void begin_rollout(std::size_t group) override;
  /// Senses are kept, judged and turned into controls.
  void decide(std::size_t group, std::size_t time, std::size_t worker) override;
  /// Networks that see others judge.
  void judge_together(std::size_t group, std::size_t time, std::size_t worker) override;
  /// Where a cutoff struck, the future is the value of what is sensed then.
  void note(std::size_t group, std::size_t lane, std::size_t time, std::size_t worker) override;
  void end_rollout(std::size_t group, std::size_t worker) override;
  void forget(std::size_t role, const LaneGroup& group, std::size_t lane) override;
  void share_rollout() override;
  void decide_as(const PastPolicy& past, std::size_t role, const LaneGroup& group,
                 std::span<const std::size_t> lanes, std::size_t time, std::size_t worker) override;

  void improve() override;
  std::vector<Metric> metrics() const override;
  const PhaseTimes& times() const override { return report_.times; }

  void store(TensorFile& file) const override;
  void restore(const TensorFile& file) override;
  Continuation continue_from(const TensorFile& file) override;
  PastPolicy snapshot() const override;
  void store(TensorFile& file, const PastPolicy& past) const override;
  PastPolicy fetch(const TensorFile& file) const override;

 private:
  // What one thread works with.
  struct Room {
    explicit Room(const PolicyLearner& t);
    LossRoom<float> loss;
    AlignedBuffer<float> inputs, value_inputs;  // of what is judged outside the rollout
    AlignedBuffer<float> team;                  // a whole row of the team's view
    AlignedBuffer<float> probabilities;         // of each row's combinations of choices
    // All of the policy network's for some rows, then all of the value network's.
    AlignedBuffer<float> memory;
    AlignedBuffer<float> allowed, action;
    PhaseTimes times;
  };
  /// Some of a group's spans that one thread learns from.
  struct Portion {
    std::size_t group = 0, first = 0, end = 0;  // places in the group's order
  };
  static constexpr std::size_t no_portion = static_cast<std::size_t>(-1);

  const Role& role() const { return context_.game.roles()[roles()[0]]; }
  bool advised() const { return context_.is_advised(roles_[0]); }
  bool remembers() const { return settings_.memory > 0; }
  bool sees_others() const { return team_.sees_others(); }
  /// Numbers from row to row of what the value network reads.
  std::size_t value_stride() const {
    return (nets_.shared ? nets_.policy : nets_.value).input_stride();
  }
  std::uint64_t seed() const { return seed_of(context_, roles_[0]); }
  Numbers<float> numbers() const { return {parameters_.span(), prepared_.span()}; }
  void parameters_changed() { nets_.prepare(parameters_.span(), prepared_.span()); }
  void forget(const RoleRows& role_rows, std::size_t lane);
  void freeze();
  // Parts of `continue_from`: how spread dials begin, the scale of values, the senses' statistics.
  void take_spread(const TensorFile& file, const PolicySignature& before);
  void take_value_scale(const TensorFile& file);
  void take_statistics(const TensorFile& file, const PolicySignature& before);

  std::size_t memory_each() const { return nets_.policy_memory() + nets_.value_memory(); }
  /// Copies between the memory of rows, which lies row by row, and the room's, which lies network
  /// by network.
  void fetch_memory(std::size_t own_row, std::size_t count, std::size_t place, std::size_t rows,
                    Room& room) const;
  void keep_memory(std::size_t own_row, std::size_t count, std::size_t place, std::size_t rows,
                   const Room& room);
  void fetch_memory(const GroupSamples& samples, Room& room) const;
  void keep_memory(const GroupSamples& samples, const Room& room);
  /// What was remembered before a span of a group's steps, as in a room.
  std::span<float> remembered_before(const GroupSamples& samples, std::size_t span);
  void normalise(const GroupSamples& samples, std::span<float> inputs) const;
  std::size_t number_of(std::size_t role) const;  // among those that it plays
  /// Writes what the value network reads in a row.
  void show(std::size_t role, std::size_t lane_row, std::span<float> inputs, Room& room) const;
  /// Values of rows that were written into `inputs`, where they stay until the room's next use. The
  /// room's memory goes on.
  NetworkOutputs<float> judge_values(std::span<const float> inputs, std::size_t rows,
                                     Room& room) const;
  float value_of(std::size_t role, std::size_t lane_row, std::size_t own_row, Room& room) const;
  void lose(const GroupSamples& samples, std::size_t row, std::size_t time);
  void leave_unanswered(const GroupSamples& samples);
  void value_what_follows(const GroupSamples& samples, Room& room);
  void compare_with_baseline(const GroupSamples& samples);
  SampleSums sums_of(const GroupSamples& samples) const;

  /// Samples are drawn by spans: one step of a group, or several in a row where there is a memory.
  /// Spans take turns by group, so that every minibatch has as much of each group, and each group
  /// in an order of its own.
  std::size_t span_samples() const { return rollout_.span * most_rows_; }
  std::size_t spans() const { return rollout_.spans() * groups_.size(); }
  std::size_t spans_per_portion() const;
  std::size_t spans_per_minibatch() const;
  /// Fills `portions_`; returns how many samples the minibatch has, over all processes.
  std::size_t share_out_minibatch(std::size_t first, std::size_t count);
  void add_portion(std::size_t portion, std::size_t epoch, double scale, Room& room);
  LossSums add_span(const GroupSamples& samples, std::size_t span, double scale, Room& room,
                    std::span<float> gradient);
  std::size_t add_groups_up(std::size_t first, std::size_t end, std::size_t begin,
                            std::size_t count);
  void add_gradients_up();
  void prepare_samples(PolicyGradientReport& report);
  void schedule(PolicyGradientReport& report);
  void shuffle();
  void learn_minibatch(std::size_t epoch, std::size_t first, std::size_t count,
                       PolicyGradientReport& report);
  void step(double rate, PolicyGradientReport& report);
  void share_losses();
  [[noreturn]] void report_bad_gradient(double norm) const;

  std::span<const GroupSamples> own_groups() const {
    return std::span(groups_).subspan(context_.first_own, context_.own_count);
  }

  TrainingContext& context_;
  std::vector<std::size_t> roles_;
  PolicyGradientSettings settings_;
  TeamView team_;
  PolicySignature signature_;
  ActorCritic<float> nets_;
  std::vector<GroupSamples> groups_;          // one for each group of lanes, of all processes
  std::size_t all_rows_ = 0, most_rows_ = 0;  // that learn; that may be played in one group
  Rollout rollout_;                           // of this process's groups
  Normaliser normaliser_;
  ValueScale value_scale_;
  AlignedBuffer<float> parameters_, prepared_, gradient_;
  std::vector<std::uint8_t> frozen_;  // for each parameter; empty if none is
  Adam adam_;
  AlignedBuffer<float> memory_;  // [rows that it may play][memory_each()]
  std::vector<Room> rooms_;
  std::vector<Portion> portions_;            // of the present minibatch, by group
  std::vector<std::size_t> first_portions_;  // of each own group, and behind the last one
  std::vector<AlignedBuffer<float>> portion_gradients_;
  std::vector<LossSums> portion_sums_;
  std::vector<LossSums> group_losses_;              // in this epoch
  std::vector<std::vector<std::uint32_t>> orders_;  // of the spans of each own group in each epoch
  std::vector<Normaliser::Moments> group_moments_;  // of what each group sensed
  std::vector<SampleSums> group_sums_;
  LossSettings loss_;
  PolicyGradientReport report_;  // of the last improvement
};

}  // namespace zithercraft::learn_internal
