#pragma once

// A policy that learns what each option is worth: dqn_trainee.cpp makes it and plays, dqn_learn.cpp
// learns.

#include <vector>

#include "learn/dqn/noisy_parameters.hpp"
#include "learn/values/action_values.hpp"
#include "learn/values/off_policy.hpp"
#include "learn/values/sum_tree.hpp"
#include "zithercraft/learn/dqn.hpp"
#include "zithercraft/net/network.hpp"

namespace zithercraft::learn_internal {

class DqnTrainee final : public OffPolicy {
 public:
  /// Throws Error (spec) if the role has dials, or the networks cannot be built.
  DqnTrainee(TrainingContext& context, std::vector<std::size_t> roles, const DqnSettings& settings);

 private:
  // What one thread works with.
  struct Room {
    explicit Room(const DqnTrainee& t, std::size_t rows);
    Network<float>::Workspace net, next;
    AlignedBuffer<float> memory;            // [rows][memory stride]
    AlignedBuffer<float> values, gradient;  // of a row's options; of all rows' outputs
    std::vector<float> targets;             // [rows][quantiles] of the returns to be predicted
    std::vector<float> predicted, slopes;   // [quantiles] of a row, and of the loss by them
  };
  // Sums of the last improvement.
  struct Sums {
    double loss = 0.0, value = 0.0, count = 0.0;
  };

  void choose(const Deciding& rows) override;
  void choose_any(std::span<const float> allowed, RandomStream& random, std::span<float> action,
                  std::span<float> room) const;
  void add_transitions(const TransitionRows& rows, std::span<float> gradient) override;
  /// What a network says of all rows of some spans, once it has read what was before.
  std::span<const float> read_spans(std::span<const float> parameters,
                                    std::span<const float> prepared, const TransitionRows& rows,
                                    Network<float>::Workspace& workspace, Room& room) const;
  std::span<const float> outputs_of(std::span<const float> all, std::size_t row) const {
    return all.subspan(row * net_.output_stride(), net_.outputs());
  }
  void find_targets(const TransitionRows& rows, std::span<const float> ahead,
                    std::span<const float> judged, Room& room) const;
  void learn_row(const TransitionRows& rows, std::size_t row, std::span<const float> outputs,
                 std::span<float> gradient, Room& room, Sums& sums);
  void hold_back(const TransitionRows& rows, std::size_t row, std::span<const float> outputs,
                 std::span<float> gradient, Room& room) const;
  double weight_of(std::size_t place) const;
  float find_slopes(std::span<const float> predicted, std::span<const float> targets, float weight,
                    std::span<float> slopes) const;
  void prepare(std::span<const float> parameters, std::span<float> prepared) const override {
    net_.prepare(means(parameters), prepared);
  }
  void prepare_target(std::span<const float> target, std::span<float> prepared) const override {
    net_.prepare(means(target), prepared);
  }
  void rescale(double factor) override;
  void draw_transitions(std::span<Transition> out, RandomStream& random) override;
  std::size_t steps_ahead() const override { return static_cast<std::size_t>(*dqn_.steps_ahead); }
  void stock_changed(std::size_t place, bool learnable) override;
  void begin_improvement() override;
  void after_step() override;
  void follow_target() override;
  void add_metrics(std::vector<Metric>& metrics) const override;
  void store_networks(TensorFile& file, std::span<const float> parameters) const override;
  void fetch_networks(const TensorFile& file, std::span<float> parameters) const override;
  void take_clone(const TensorFile& file) override;
  void store_target(TensorFile& file) const override;
  void fetch_target(const TensorFile& file) override;
  void store_more(TensorFile& file) const override;
  void fetch_more(const TensorFile& file) override;

  // Weights without their noise.
  template <class T>
  std::span<T> means(std::span<T> all) const {
    return all.first(net_.parameters());
  }
  // The networks that are played and learned now: with the present noise, if there is some.
  std::span<const float> present() const {
    return dqn_.noisy ? noisy_.parameters() : parameters_.span();
  }
  std::span<const float> present_prepared() const {
    return dqn_.noisy ? noisy_prepared_.span() : prepared_.span();
  }
  void renew_noise();
  void restore(const TensorFile& file) override;
  Continuation continue_from(const TensorFile& file) override;
  double explored() const;
  double epsilon_of(std::size_t lane) const;

  DqnSettings dqn_;
  ActionValues action_values_;
  Network<float> net_, played_;  // what learns; the same with one output for each option
  NoisyParameters noisy_;
  AlignedBuffer<float> noisy_prepared_;
  std::vector<Room> rooms_;
  SumTree priorities_;
  double most_priority_ = 1.0;
  std::vector<float> errors_;  // of each transition of the minibatch
  std::vector<Sums> portion_sums_;
  Sums sums_{};
};

}  // namespace zithercraft::learn_internal
