#pragma once

#include <cstddef>
#include <span>

namespace zithercraft {
struct NetworkPart;
}

namespace zithercraft::learn_internal {

/// The scale in which returns are predicted: their running mean and standard deviation. When it
/// changes, the last layer of the value network is changed with it, so that predictions stay what
/// they were (van Hasselt, Guez, Hessel, Mnih, Silver: "Learning values across many orders of
/// magnitude", 2016).
class ValueScale {
 public:
  double mean() const { return mean_; }
  double stddev() const { return stddev_; }
  float to_value(float output) const {
    return static_cast<float>(mean_ + stddev_ * static_cast<double>(output));
  }
  float to_output(float value) const {
    return static_cast<float>((static_cast<double>(value) - mean_) / stddev_);
  }

  /// Merges mean and variance of `count` new returns into the running ones, of which at most
  /// `most_kept` count. Returns what outputs have to be multiplied by, and what has to be added
  /// then.
  struct Change {
    double factor = 1.0, shift = 0.0;
  };
  Change fold(double count, double mean, double variance, double most_kept);

  /// For checkpoints: mean, standard deviation, count, variance.
  void store(std::span<double> numbers) const;
  void restore(std::span<const double> numbers);

 private:
  double mean_ = 0.0, stddev_ = 1.0, count_ = 0.0, variance_ = 0.0;
};

/// Multiplies an output of a network by a factor and adds a shift, by changing its last layer.
void change_output(std::span<const NetworkPart> parts, std::span<float> parameters,
                   std::size_t output, ValueScale::Change change);

}  // namespace zithercraft::learn_internal
