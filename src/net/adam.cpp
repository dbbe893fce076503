#include "zithercraft/net/adam.hpp"

#include <cmath>

#include "eigen_maps.hpp"
#include "vectors.hpp"

namespace zithercraft {

void Adam::step(std::span<float> parameters, std::span<const float> gradient, double learning_rate) {
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
  double sum = 0.0;
  for (const float v : values) sum += static_cast<double>(v) * static_cast<double>(v);
  return std::sqrt(sum);
}

}  // namespace zithercraft
