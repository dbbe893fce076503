#include "zithercraft/net/adam.hpp"

#include <array>
#include <cmath>
#include <numeric>

#include "net/vectors.hpp"

namespace zithercraft {
using namespace net_internal;

namespace {
constexpr double decay1 = 0.9, decay2 = 0.999;
}

void Adam::begin_step(double learning_rate) noexcept {
  const auto t = static_cast<double>(++steps_);
  const double unbias = std::sqrt(1.0 - std::pow(decay2, t)) / (1.0 - std::pow(decay1, t));
  rate_ = static_cast<float>(learning_rate * unbias);
}

// One walk over all arrays: they are longer than the first-level cache.
void Adam::step_stretch(std::size_t first, std::span<float> parameters,
                        std::span<const float> gradient, float factor) noexcept {
  constexpr auto keep1 = static_cast<float>(decay1), take1 = static_cast<float>(1.0 - decay1),
                 keep2 = static_cast<float>(decay2), take2 = static_cast<float>(1.0 - decay2),
                 least = 1e-8f;
  const TinyIsNothing scope;
  float* const __restrict p = parameters.data();
  float* const __restrict m = first_.data() + first;
  float* const __restrict v = second_.data() + first;
  const float* const __restrict by = gradient.data();
  for (std::size_t i = 0; i < parameters.size(); ++i) {
    const float g = factor * by[i];
    m[i] = keep1 * m[i] + take1 * g;
    v[i] = keep2 * v[i] + take2 * (g * g);
    p[i] -= rate_ * m[i] / (std::sqrt(v[i]) + least);
  }
}

void Adam::step(std::span<float> parameters, std::span<const float> gradient,
                double learning_rate) {
  begin_step(learning_rate);
  step_stretch(0, parameters, gradient);
}

double norm_of(std::span<const float> values) noexcept {
  // Eight sums side by side, which the processor adds to at once.
  constexpr std::size_t side_by_side = 8;
  std::array<double, side_by_side> sums{};
  const std::size_t whole = values.size() / side_by_side * side_by_side;
  for (std::size_t i = 0; i < whole; i += side_by_side)
    for (std::size_t j = 0; j < side_by_side; ++j) {
      const auto v = static_cast<double>(values[i + j]);
      sums[j] += v * v;
    }
  for (std::size_t i = whole; i < values.size(); ++i)
    sums[i - whole] += static_cast<double>(values[i]) * static_cast<double>(values[i]);
  return std::sqrt(std::accumulate(sums.begin(), sums.end(), 0.0));
}

}  // namespace zithercraft
