#include "zithercraft/net/adam.hpp"

#include <array>
#include <cmath>
#include <numeric>

#include "net/eigen_maps.hpp"
#include "net/vectors.hpp"

namespace zithercraft {
using namespace net_internal;

void Adam::step(std::span<float> parameters, std::span<const float> gradient,
                double learning_rate) {
  constexpr double decay1 = 0.9, decay2 = 0.999, least = 1e-8;
  const TinyIsNothing scope;
  ++steps_;
  const auto n = index(parameters.size());
  const auto g = ConstVector<float>(gradient.data(), n).array();
  auto p = Vector<float>(parameters.data(), n).array();
  auto m = Vector<float>(first_.data(), n).array();
  auto v = Vector<float>(second_.data(), n).array();
  m = static_cast<float>(decay1) * m + static_cast<float>(1.0 - decay1) * g;
  v = static_cast<float>(decay2) * v + static_cast<float>(1.0 - decay2) * g.square();
  const auto t = static_cast<double>(steps_);
  const double unbias = std::sqrt(1.0 - std::pow(decay2, t)) / (1.0 - std::pow(decay1, t));
  p -= static_cast<float>(learning_rate * unbias) * m / (v.sqrt() + static_cast<float>(least));
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
