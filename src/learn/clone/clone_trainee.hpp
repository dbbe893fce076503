#pragma once

// A policy that learns to do what its teachers do.

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "learn/clone/imitation.hpp"
#include "learn/values/off_policy.hpp"
#include "zithercraft/learn/clone.hpp"
#include "zithercraft/net/network.hpp"

namespace zithercraft::learn_internal {

/// How it plays, if it plays, and draws what it learns from.
OffPolicySettings off_policy_settings(const CloneSettings& settings);

class CloneTrainee final : public OffPolicy {
 public:
  /// Throws Error (spec, refused, usage) if the network cannot be built, or there is nobody to
  /// learn from.
  CloneTrainee(TrainingContext& context, std::vector<std::size_t> roles,
               const CloneSettings& settings);

  std::string standing() const override;
  bool ended() const noexcept override { return falls_ >= most_falls; }
  void store(TensorFile& file) const override;
  void restore(const TensorFile& file) override;
  Continuation continue_from(const TensorFile& file) override;

 private:
  static constexpr std::int64_t most_falls = 3;  // of the learning rate
  // What one thread works with.
  struct Room {
    Room(const CloneTrainee& t, std::size_t rows);
    Network<float>::Workspace net;
    AlignedBuffer<float> gradient;                 // [rows][output stride]
    AlignedBuffer<float> inputs, senses, allowed;  // of held-out steps
    AlignedBuffer<float> kept, greedy, no_deviations;
  };
  // Sums over steps.
  struct Sums {
    double loss = 0.0, agreement = 0.0, count = 0.0;
    Sums& operator+=(const Sums& other);
  };

  std::span<const float> deviations(std::span<const float> parameters) const {
    return parameters.subspan(net_.parameters(), imitation_.deviations());
  }
  void hold_out();
  Sums judge_held_out();
  Sums judge_some(std::size_t first, std::size_t count, Room& room) const;
  void look_at_held_out();

  void choose(const Deciding& rows) override;
  void add_transitions(const TransitionRows& rows, std::span<float> gradient) override;
  void prepare(std::span<const float> parameters, std::span<float> prepared) const override {
    net_.prepare(parameters, prepared);
  }
  void prepare_target(std::span<const float>, std::span<float>) const override {}
  void rescale(double) override {}
  void begin_improvement() override { sums_ = {}; }
  void after_step() override;
  void end_improvement() override;
  double rate() const override;
  std::size_t shown_transitions() const override;
  bool learns_advice() const override { return true; }
  void follow_target() override {}
  void add_metrics(std::vector<Metric>& metrics) const override;
  void store_networks(TensorFile& file, std::span<const float> parameters) const override;
  void fetch_networks(const TensorFile& file, std::span<float> parameters) const override;
  void take_clone(const TensorFile& file) override { fetch_networks(file, parameters_.span()); }
  void store_target(TensorFile&) const override {}
  void fetch_target(const TensorFile&) override {}

  CloneSettings clone_;
  Imitation imitation_;
  Network<float> net_;
  std::vector<Room> rooms_;
  std::optional<Experience> held_out_;
  std::vector<std::size_t> held_out_places_;
  std::vector<Sums> portion_sums_;
  AlignedBuffer<float> best_;  // parameters with the least held-out loss
  double best_loss_ = 0.0;
  std::int64_t looks_ = 0, stalls_ = 0, falls_ = 0;
  double unseen_ = 0.0;  // steps learned from since the held-out steps were looked at
  double teacher_success_ = 0.0;
  Sums sums_{}, held_out_sums_{};
};

}  // namespace zithercraft::learn_internal
