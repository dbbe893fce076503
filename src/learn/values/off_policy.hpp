#pragma once

// What all policies have in common that learn from steps of earlier policies too: they play, keep
// what they played, and draw transitions from that. off_policy.cpp plays, off_policy_learn.cpp
// learns, off_policy_others.cpp adds what central critics see, off_policy_spans.cpp what networks
// that remember need, off_policy_store.cpp stores and restores.

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "learn/play/played_rows.hpp"
#include "learn/play/trainee.hpp"
#include "learn/play/training.hpp"
#include "learn/play/training_context.hpp"
#include "learn/policy/team_view.hpp"
#include "learn/policy/value_scale.hpp"
#include "learn/values/experience.hpp"
#include "learn/values/shown_steps.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/learn/method.hpp"
#include "zithercraft/learn/off_policy.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/heads.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft::learn_internal {

/// The most steps that one thread learns from at a time, with a gradient of their own. How many
/// follows from settings alone, so that sums are always made in the same order.
constexpr std::size_t transitions_per_portion = 64;

/// How a training plays by settings that are all set.
TrainingSettings training_settings(const OffPolicySettings& settings, const std::string& method);

/// Over how many steps rewards are summed where nothing says otherwise. What a shot brings is known
/// when it lands, and nobody senses it on its way.
std::int64_t steps_until_paid(const Game& game, std::span<const RolePlayer> players,
                              std::int64_t usual);
/// What a training by these settings makes of teachers.
TeacherUse teacher_use(const OffPolicySettings& settings);

/// Rows that decide together.
struct Deciding {
  std::size_t worker = 0, rows = 0;
  std::span<const float> inputs{};       // [rows][input stride] what is sensed, normalised
  std::span<const float> allowed{};      // [rows][masks] which options are
  std::span<float> actions{};            // [rows][controls] to be filled in
  std::span<RandomStream> random{};      // of each row
  std::span<const std::size_t> lanes{};  // of each row
  std::span<float> memory{};             // [rows][memory stride], goes on
  const PastPolicy* past = nullptr;  // that decides, and does not explore; null: the present one
  bool imagined = false;             // nobody will act so
  bool explores() const { return past == nullptr && !imagined; }
};

/// Steps in a row of some rows of the game, as networks that remember read them: what was before
/// brings the memory up to date, then come the steps that are learned from, and some more in which
/// what they led to is found. All of [steps][rows].
struct SpanRows {
  std::size_t rows = 0, steps_before = 0, steps = 0;
  std::span<const float> inputs_before{};  // those of the steps are the transitions' inputs
  std::span<const std::uint8_t> begins_before{}, begins{};  // an episode
  // [rows][memory stride], as it was when it was played: before all, and before the steps.
  std::span<const float> memory_before{}, memory{};
  std::span<const std::uint8_t> any_before{};  // of each row, whether what was before is known
  std::span<const std::size_t> place, next;    // of each transition, its step's row, and the next
};

/// Steps of a minibatch that one thread learns from.
struct TransitionRows {
  std::size_t worker = 0, portion = 0, first = 0;  // of the minibatch
  std::span<const Transition> transitions{};
  std::span<const float> inputs{}, next_inputs{};    // [rows][input stride], normalised
  std::span<const float> allowed{}, next_allowed{};  // [rows][masks]
  std::span<const float> others{}, next_others{};    // [rows][others' columns], normalised
  float scale = 1.0f;                                // of each transition's loss
  const SpanRows* spans = nullptr;                   // of networks that remember
};

/// What an off-policy policy is made for.
struct OffPolicyLayout {
  PolicySignature signature;         // as it is played
  std::size_t inputs = 0;            // the stride of what its networks read
  TeamView view{};                   // what central critics see besides
  std::size_t memory = 0, span = 1;  // stride of what is remembered; steps learned in a row
  std::size_t ahead = 0;             // steps behind these that are looked at too
};

class OffPolicy : public Trainee {
 public:
  const std::vector<std::size_t>& roles() const override { return roles_; }
  const PolicySignature& signature() const override { return signature_; }
  const GroupSamples& samples(std::size_t group) const override { return groups_[group]; }
  std::size_t samples_of(std::size_t horizon) const override { return rows_of(groups_) * horizon; }

  void begin_rollout(std::size_t group) override;
  void decide(std::size_t group, std::size_t time, std::size_t worker) override;
  void judge_together(std::size_t group, std::size_t time, std::size_t worker) override;
  void note(std::size_t group, std::size_t lane, std::size_t time, std::size_t worker) override;
  void end_rollout(std::size_t, std::size_t) override {}
  void forget(std::size_t role, const LaneGroup& group, std::size_t lane) override;
  void decide_as(const PastPolicy& past, std::size_t role, const LaneGroup& group,
                 std::span<const std::size_t> lanes, std::size_t time, std::size_t worker) override;

  void imagine(std::span<const float> senses, std::span<RandomStream> random, std::size_t worker,
               std::span<float> actions) override;

  void improve() override;
  const PhaseTimes& times() const override { return times_; }
  std::vector<Metric> metrics() const override;

  void store(TensorFile& file) const override;
  void restore(const TensorFile& file) override;
  Continuation continue_from(const TensorFile& file) override;
  PastPolicy snapshot() const override;
  void store(TensorFile& file, const PastPolicy& past) const override;
  PastPolicy fetch(const TensorFile& file) const override;

 protected:
  OffPolicy(TrainingContext& context, std::vector<std::size_t> roles,
            const OffPolicySettings& settings, OffPolicyLayout layout);
  /// For derived classes, once they know their networks: where each part of their parameters ends,
  /// of which each has an optimiser of its own.
  void make_room(std::span<const std::size_t> part_ends, std::size_t prepared);
  /// For derived classes that learn from all demonstrations what was done in them.
  void take_demonstrations();

  bool remembers() const { return memory_stride_ > 0; }
  /// Transitions that one thread learns from at a time, whole spans; and rows of networks then.
  /// A small minibatch still makes work for two threads.
  std::size_t portion_length() const {
    constexpr std::size_t fewest = 16;
    const std::size_t each = std::clamp(transitions_.size() / 2, fewest, transitions_per_portion);
    return std::max<std::size_t>(1, each / span_) * span_;
  }
  std::size_t portion_rows() const { return portion_length() / span_ * (span_ + ahead_); }
  std::size_t portions() const {
    return (transitions_.size() + portion_length() - 1) / portion_length();
  }

  /// Other policies may ask what their mates would do in as many rows as they learn from.
  std::size_t most_network_rows() const {
    return std::max({most_rows_, portion_rows(), transitions_per_portion});
  }

  // ---- what a method is made of
  virtual void choose(const Deciding& rows) = 0;
  /// Adds the gradient of some transitions; notes what the report wants.
  virtual void add_transitions(const TransitionRows& rows, std::span<float> gradient) = 0;
  /// Whether a part of the parameters moves at this gradient step.
  virtual bool part_learns(std::size_t /*part*/) const { return true; }
  virtual void prepare(std::span<const float> parameters, std::span<float> prepared) const = 0;
  virtual void prepare_target(std::span<const float> target, std::span<float> prepared) const = 0;
  /// Multiplies all predicted values by a factor, in parameters or in the target's.
  virtual void rescale(double factor) = 0;
  /// Draws what was played.
  virtual void draw_transitions(std::span<Transition> out, RandomStream& random);
  /// How many steps a transition spans.
  virtual std::size_t steps_ahead() const { return 1; }
  virtual void stock_changed(std::size_t /*place*/, bool /*learnable*/) {}
  /// Before an improvement, behind each of its gradient steps, and behind all.
  virtual void begin_improvement() {}
  virtual void after_step() {}
  virtual void end_improvement() {}
  /// The learning rate of an improvement.
  virtual double rate() const;
  /// How many of a minibatch's transitions are drawn from demonstrations.
  virtual std::size_t shown_transitions() const;
  /// What is kept of a step is what a teacher would have done there, whoever acted.
  virtual bool learns_advice() const { return false; }
  /// The target network after a gradient step.
  virtual void follow_target();
  /// Numbers of networks that one thread takes at a time.
  static constexpr std::size_t stretch_length = 8192;
  virtual void add_metrics(std::vector<Metric>& metrics) const = 0;
  /// The policy as it is played, and all networks.
  virtual void store_networks(TensorFile& file, std::span<const float> parameters) const = 0;
  virtual void fetch_networks(const TensorFile& file, std::span<float> parameters) const = 0;
  virtual void store_target(TensorFile& file) const = 0;
  virtual void fetch_target(const TensorFile& file) = 0;
  /// A policy alone, which imitation has brought here: everything else is as it was.
  virtual void take_clone(const TensorFile& file) = 0;
  /// What else a training goes on with.
  virtual void store_more(TensorFile& /*file*/) const {}
  virtual void fetch_more(const TensorFile& /*file*/) {}

  /// Where a transition's steps are kept.
  const Experience& source_of(const Transition& transition) const {
    return transition.shown ? *shown_ : experience_;
  }
  const Role& role() const { return context_.game.roles()[roles_[0]]; }
  std::uint64_t seed() const { return seed_of(context_, roles_[0]); }
  /// How much of the training is done.
  double done() const;
  /// A policy that was a clone does not learn before there is something to learn from it.
  bool rests() const {
    return cloned_ && taken_ < 3 * static_cast<std::int64_t>(*settings_.warm_up);
  }
  bool warming_up() const { return taken_ < static_cast<std::int64_t>(*settings_.warm_up); }

  TrainingContext& context_;
  std::vector<std::size_t> roles_;
  OffPolicySettings settings_;
  PolicySignature signature_;
  Heads heads_;
  std::vector<GroupSamples> groups_;
  std::size_t input_stride_ = 0, most_rows_ = 0;
  std::size_t memory_stride_ = 0, span_ = 1, ahead_ = 0;
  Normaliser normaliser_;
  TeamView view_;
  ValueScale value_scale_;
  Experience experience_;
  std::optional<Experience> shown_;  // demonstrations
  AlignedBuffer<float> parameters_, prepared_, target_, target_prepared_;
  std::size_t target_first_ = 0, target_prepared_first_ = 0;  // from where on targets are used
  std::vector<Transition> transitions_;                       // of the present minibatch
  std::int64_t minibatches_ = 0;
  std::int64_t taken_ = 0;  // steps in which its rows acted
  bool cloned_ = false;     // it began as a clone

 private:
  // Spans of steps are put together in these; see SpanRows.
  struct Spans {
    AlignedBuffer<float> inputs_before, memory_before, memory;
    std::vector<std::uint8_t> begins_before, begins, any_before;
    std::vector<std::size_t> place, next;
  };
  // What others would do is found by these.
  struct Imagined {
    AlignedBuffer<float> inputs, allowed, actions;
  };
  // What one thread works with.
  struct Room {
    AlignedBuffer<float> inputs, next_inputs, senses, actions, allowed, next_allowed;
    AlignedBuffer<float> others, next_others;  // [rows][others' columns]
    AlignedBuffer<float> mate, mate_actions;   // [rows] of one mate: senses, actions
    Imagined imagined;                         // made when it is first asked
    AlignedBuffer<float> memory;               // of rows that decide together
    Spans spans;
    std::vector<RandomStream> random;
    std::vector<std::size_t> rows, lanes;  // that decide together
    std::vector<float> advice;             // controls of a row
    PhaseTimes times;
  };

  void decide_rows(const RoleRows& block, const PastPolicy* past, std::size_t time,
                   std::size_t worker);
  std::span<const float> others_of(const RoleRows& block, std::size_t row, std::size_t worker);
  void gather_others(std::size_t first, std::size_t count, std::size_t worker);
  void imagine_mates(std::size_t count, Room& room, std::size_t worker);
  void spread_spans();
  void read_moment(const Experience& source, const Experience::Moment& moment,
                   std::span<float> senses, std::span<float> inputs, std::uint8_t& begins) const;
  SpanRows gather_spans(std::size_t first, std::size_t count, Room& room) const;
  std::span<float> memory_of(std::size_t own_row) {
    return memory_.span().subspan(own_row * memory_stride_, memory_stride_);
  }
  void keep_memory(std::size_t own_row, std::size_t place, const Room& room);
  void learn_once(double rate);
  void add_portion(std::size_t portion, std::size_t worker);
  void add_portions_up(std::size_t stretch);
  void begin_step(double rate);
  float limiting_factor(double norm) const;
  void move(std::size_t stretch);
  void fold_what_was_played();
  void fold_demonstrations();
  void fold_returns(const Experience::Returns& returns);
  void draw_minibatch(RandomStream& random);
  void heed_teacher(const RoleRows& block, std::size_t time, std::size_t worker);

  struct Part {
    std::size_t first = 0, end = 0;  // of its parameters
    Adam adam;
    // Of the present gradient step.
    bool learns = true;
    float factor = 1.0f;  // by which the gradient is shortened
  };
  // Parameters of one part that one thread takes at a time.
  struct Stretch {
    std::size_t part = 0, first = 0, end = 0;
    double squares = 0.0;  // sum over its gradient
  };

  std::vector<Part> parts_;
  std::vector<Stretch> stretches_;
  std::vector<AlignedBuffer<float>> portion_gradients_;  // all zeros between gradient steps
  std::vector<Room> rooms_;
  std::vector<Normaliser::Moments> group_moments_;
  std::vector<std::int64_t> group_taken_;  // steps in this rollout
  AlignedBuffer<float> memory_;            // [rows that it may play][memory stride]
  std::size_t counting_ = 0;               // transitions of the minibatch that are learned from
  double owed_ = 0.0;                      // gradient steps for what was played
  PhaseTimes times_{};
  // Of the last improvement.
  double gradient_norm_ = 0.0, rate_ = 0.0, age_ = 0.0;
  std::int64_t steps_made_ = 0;
};

}  // namespace zithercraft::learn_internal
