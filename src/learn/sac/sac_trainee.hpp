#pragma once

// A policy that learns what critics say is good: sac_trainee.cpp makes it and plays, sac_learn.cpp
// learns, sac_caution.cpp holds critics back from what nobody has tried.

#include <cstddef>
#include <span>
#include <utility>
#include <vector>

#include "learn/values/off_policy.hpp"
#include "zithercraft/learn/sac.hpp"
#include "zithercraft/net/network.hpp"

namespace zithercraft::learn_internal {

class SacTrainee final : public OffPolicy {
 public:
  /// Throws Error (spec, refused) if the networks cannot be built, or do not fit the controls.
  SacTrainee(TrainingContext& context, const std::vector<std::size_t>& roles,
             const ActorCriticSettings& settings);

 private:
  // A control, and its outputs.
  struct Place {
    std::size_t control = 0, output = 0, options = 0;
  };
  // Actions of a policy for some rows, and how likely they were.
  struct Drawn {
    std::vector<float> dials, noise, stddev;  // [rows][dials]; noise in standard deviations
    std::vector<float> log_density;           // [rows] of the dials
    std::vector<float> logs, shares;          // [rows][outputs] of options: log probabilities
    std::vector<float> combined;              // [rows][combinations] probabilities
  };
  // What one thread works with.
  struct Room {
    Room(const SacTrainee& t, std::size_t rows);
    Network<float>::Workspace policy;
    std::vector<Network<float>::Workspace> critics;
    AlignedBuffer<float> judged;               // [rows][critic stride] senses and dials
    AlignedBuffer<float> policy_gradient;      // [rows][policy outputs' stride]
    AlignedBuffer<float> critic_gradient;      // [rows][critic outputs' stride]
    AlignedBuffer<float> judged_gradient;      // [rows][critic stride]
    std::vector<float> by_dial;                // [rows][dials] gradient of the value
    std::vector<float> worth;                  // [combinations] each by its probability
    std::vector<float> targets;                // [rows]
    std::vector<std::span<const float>> said;  // of each critic, what it said last
    std::vector<RandomStream> random;          // of each row
    Drawn drawn;
    std::vector<float> no_spread;  // of each dial: none
    // What a conservative critic is held back from, of each draw.
    std::vector<float> tried, densities;  // [draws][rows][dials]; [draws][rows] logarithms
    std::vector<float> tried_values;      // [draws][rows][combinations]
  };
  // Sums of the last improvement.
  struct Sums {
    double value_loss = 0.0, value = 0.0, count = 0.0;
    double dial_entropy = 0.0, choice_entropy = 0.0, drawn = 0.0;
    Sums& operator+=(const Sums& other);
  };
  enum Temperature : std::size_t { of_dials, of_choices };

  /// Dials that are tried by a conservative critic: some drawn anywhere, as many by the policy.
  static constexpr std::size_t draws_of_each = 2;
  std::size_t draws() const {
    return dials_.empty() ? 1 : samples_dials() ? 2 * draws_of_each : draws_of_each;
  }
  bool cautious() const { return *settings_.conservative_weight > 0.0; }
  bool samples_dials() const { return actor_critic_.actor == ActorKind::sampled; }
  float temperature(Temperature which) const;
  void draw(std::span<float> outputs, std::span<const float> allowed, bool blurred,
            std::span<RandomStream> random, Drawn& drawn) const;
  void draw_dials(std::size_t row, std::span<const float> output, bool blurred,
                  RandomStream& random, Drawn& drawn) const;
  void draw_choices(std::size_t row, std::span<const float> output, Drawn& drawn) const;
  /// Senses and what others sense and do, then the dials, as critics read them.
  void show(std::span<const float> inputs, std::span<const float> others, std::size_t rows,
            Room& room) const;
  void show_dials(std::span<const float> dials, std::size_t rows, Room& room) const;
  /// Where the dials are among what critics read.
  std::size_t dials_at() const { return role().columns.size() + view_.others_columns(); }
  std::span<const float> judge(std::size_t critic, std::span<const float> parameters,
                               std::span<const float> prepared, std::size_t rows, Room& room) const;
  /// What the least critic says of a row's combination, and which one that is.
  std::pair<float, std::size_t> least(const Room& room, std::size_t row, std::size_t c) const;
  void find_targets(const TransitionRows& rows, std::span<RandomStream> random, Room& room) const;
  void learn_values(const TransitionRows& rows, Room& room, std::span<float> gradient, Sums& sums);
  void try_others(const TransitionRows& rows, std::span<RandomStream> random, Room& room) const;
  void judge_others(std::size_t critic, const TransitionRows& rows, Room& room) const;
  void hold_back(const TransitionRows& rows, std::span<RandomStream> random, Room& room,
                 std::span<float> gradient) const;
  void learn_policy(const TransitionRows& rows, std::span<RandomStream> random, Room& room,
                    std::span<float> gradient, Sums& sums);
  void find_dial_slopes(std::size_t rows, Room& room) const;
  void add_dial_slopes(std::size_t row, float scale, std::span<const float> outputs,
                       Room& room) const;
  void add_choice_slopes(std::size_t row, float scale, Room& room) const;

  void choose(const Deciding& rows) override;
  void add_transitions(const TransitionRows& rows, std::span<float> gradient) override;
  bool part_learns(std::size_t part) const override;
  std::size_t steps_ahead() const override {
    return static_cast<std::size_t>(*actor_critic_.steps_ahead);
  }
  void prepare(std::span<const float> parameters, std::span<float> prepared) const override;
  void prepare_target(std::span<const float> target, std::span<float> prepared) const override {
    prepare(target, prepared);
  }
  void rescale(double factor) override;
  void begin_improvement() override { sums_ = {}; }
  void after_step() override;
  void add_metrics(std::vector<Metric>& metrics) const override;
  void store_networks(TensorFile& file, std::span<const float> parameters) const override;
  void fetch_networks(const TensorFile& file, std::span<float> parameters) const override;
  void take_clone(const TensorFile& file) override;
  void store_target(TensorFile& file) const override;
  void fetch_target(const TensorFile& file) override;

  template <class T>
  std::span<T> policy_part(std::span<T> all) const {
    return all.first(policy_.parameters());
  }
  template <class T>
  std::span<T> critic_part(std::span<T> all, std::size_t critic) const {
    return all.subspan(critics_offset_ + critic * critic_.parameters(), critic_.parameters());
  }
  template <class T>
  std::span<T> prepared_policy(std::span<T> all) const {
    return all.first(policy_.prepared());
  }
  template <class T>
  std::span<T> prepared_critic(std::span<T> all, std::size_t critic) const {
    return all.subspan(policy_.prepared() + critic * critic_.prepared(), critic_.prepared());
  }

  ActorCriticSettings actor_critic_;
  Network<float> policy_, critic_;  // all critics are alike
  std::size_t critics_ = 2, combinations_ = 1;
  // Parameters: the policy's, logarithms of the two temperatures, each critic's.
  std::size_t temperatures_offset_ = 0, critics_offset_ = 0;
  float wanted_dial_entropy_ = 0.0f, wanted_choice_entropy_ = 0.0f;  // of all together
  std::vector<Place> dials_, choices_;
  std::vector<Room> rooms_;
  std::vector<Sums> portion_sums_;
  Sums sums_{};
};

}  // namespace zithercraft::learn_internal
