#pragma once

#include <cstddef>
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

  /// A step in pieces, which several threads can share: it begins here ...
  void begin_step(double learning_rate) noexcept;
  /// ... and is then made for each stretch of the parameters, which begins at `first` of all, once.
  /// The gradient is multiplied by `factor` first.
  void step_stretch(std::size_t first, std::span<float> parameters, std::span<const float> gradient,
                    float factor = 1.0f) noexcept;

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
  float rate_ = 0.0f;  // of the step that has begun, with the running means' bias taken out
};

/// Euclidean length of a vector, summed in a fixed order in doubles.
double norm_of(std::span<const float> values) noexcept;

}  // namespace zithercraft
