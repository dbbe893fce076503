#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "zithercraft/base/signature.hpp"

namespace zithercraft {

class RandomStream;

/// Turns a policy network's outputs into controls: one mean per dial (diagonal Gaussian with a
/// standard deviation that does not depend on the senses), one logit per option of a choice.
///
/// Actions are kept in the network's own scale: a dial as an unbounded number of which [-1, 1] is
/// its range, a choice as its option number. `controls_of` brings them into the game's ranges.
class Heads {
 public:
  Heads() = default;
  /// `columns` says where senses report which options are allowed; without any, all are.
  explicit Heads(std::span<const ControlInfo> controls, std::span<const Column> columns = {});

  /// How many controls.
  std::size_t controls() const noexcept { return heads_.size(); }
  /// How many outputs they take.
  std::size_t outputs() const noexcept { return outputs_; }
  /// How many of the controls are dials.
  std::size_t dials() const noexcept { return dials_; }
  /// How many options can be forbidden.
  std::size_t masks() const noexcept { return masks_.size(); }

  /// Reads from a row of senses which of these are allowed now.
  void read_masks(std::span<const float> senses, std::span<float> allowed) const;
  /// Lowers the logits of options that are not allowed until their probability is nothing; they
  /// then have no gradient.
  template <class Scalar>
  void forbid(std::span<const float> allowed, std::span<Scalar> outputs) const;

  /// Samples an action and returns the natural logarithm of its probability (density).
  float sample(std::span<const float> outputs, std::span<const float> log_stddev,
               RandomStream& random, std::span<float> action) const;
  /// The most likely action.
  void greedy(std::span<const float> outputs, std::span<float> action) const;
  /// Brings a policy's dials, as unbounded numbers, into [-1, 1] by the hyperbolic tangent, for
  /// those that are trained so.
  void squash(std::span<float> action) const;
  /// Standard deviations of dials that are squashed lie between these, before that.
  static constexpr float least_log_stddev = -5.0f, most_log_stddev = 2.0f;
  /// Control values for the game: dials clamped into their ranges, choices as they are.
  void controls_of(std::span<const float> action, std::span<float> controls) const;
  /// The action that gives these controls, in the game's ranges.
  void action_of(std::span<const float> controls, std::span<float> action) const;
  /// Probabilities of options; means and standard deviations of dials in the game's ranges. See
  /// `probability_count`.
  void probabilities(std::span<const float> outputs, std::span<const float> log_stddev,
                     std::span<float> probabilities) const;

  /// The same of squashed dials; standard deviations as they are near the mean.
  void squashed_probabilities(std::span<const float> outputs, std::span<const float> log_stddev,
                              std::span<float> probabilities) const;
  /// The mean over choices of their greatest output; 0 without choices.
  float best(std::span<const float> outputs) const;

  /// Ways to set all choices at once; dials are left out. They are counted like numbers whose last
  /// digit is the last choice; beyond 2^32 there are no more.
  std::size_t combinations() const noexcept;
  /// Which of those ways an action is, from 0.
  std::size_t combination(std::span<const float> action) const;
  /// What each option is worth if each of those ways is worth something: as much as the best way
  /// that has it. Where several ways are best, the first one's options stay ahead of others.
  /// Options whose number in `options` is below 0 are not allowed, and keep it.
  void read_combinations(std::span<const float> values, std::span<float> options) const;
  /// The probability of each of those ways.
  void combination_probabilities(std::span<const float> outputs,
                                 std::span<float> probabilities) const;

  /// What a policy says of an action.
  template <class Scalar>
  struct Judged {
    Scalar log_probability{}, entropy{};  ///< of the action; of all of them
  };
  /// How likely an action is, and the entropy of the distribution it was drawn from. `kept` has
  /// room for twice the outputs and serves `add_gradient`.
  template <class Scalar>
  Judged<Scalar> judge(std::span<const Scalar> outputs, std::span<const Scalar> log_stddev,
                       std::span<const float> action, std::span<Scalar> kept) const;
  /// Adds the gradient of `by_log_probability * log_probability + by_entropy * entropy` of the
  /// action last judged.
  template <class Scalar>
  void add_gradient(std::span<const Scalar> kept, std::span<const float> action,
                    Scalar by_log_probability, Scalar by_entropy, std::span<Scalar> output_gradient,
                    std::span<Scalar> stddev_gradient) const;

 private:
  struct Head {
    std::size_t first_output = 0;
    std::size_t options = 0;  // 0 for a dial
    std::size_t dial = 0;     // number among the dials
    float middle = 0.0f, half = 1.0f;
  };
  struct Mask {
    std::size_t column = 0, output = 0;
  };
  std::vector<Head> heads_;
  std::vector<Mask> masks_;
  std::size_t outputs_ = 0, dials_ = 0;
};

}  // namespace zithercraft
