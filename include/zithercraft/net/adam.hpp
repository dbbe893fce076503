#pragma once

#include <cstdint>
#include <span>

#include "zithercraft/base/aligned.hpp"

namespace zithercraft {

/// Gradient descent with running moments (Kingma and Ba: "Adam: a method for stochastic
/// optimization", 2015), with decay rates 0.9 and 0.999.
class Adam {
 public:
  Adam() = default;
  /// At its beginning.
  explicit Adam(std::size_t parameters) : first_(parameters), second_(parameters) {}

  /// One step against the gradient. All arrays have the same length and come from AlignedBuffer.
  void step(std::span<float> parameters, std::span<const float> gradient, double learning_rate);

  /// How many it has made.
  std::int64_t steps() const noexcept { return steps_; }
  /// Goes on as after so many.
  void set_steps(std::int64_t steps) noexcept { steps_ = steps; }
  /// Running means of the gradient.
  AlignedBuffer<float>& first_moments() noexcept { return first_; }
  /// Running means of its squares.
  AlignedBuffer<float>& second_moments() noexcept { return second_; }
  /// Running means of the gradient.
  const AlignedBuffer<float>& first_moments() const noexcept { return first_; }
  /// Running means of its squares.
  const AlignedBuffer<float>& second_moments() const noexcept { return second_; }

 private:
  AlignedBuffer<float> first_, second_;
  std::int64_t steps_ = 0;
};

/// Euclidean length of a vector, summed in a fixed order in doubles.
double norm_of(std::span<const float> values) noexcept;

}  // namespace zithercraft
