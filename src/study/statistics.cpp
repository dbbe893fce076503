#include "zithercraft/study/statistics.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace zithercraft {
namespace {

constexpr double z95 = 1.959963984540054;  // two-sided 95% quantile of the normal distribution

}  // namespace

Interval share_interval(std::size_t successes, std::size_t trials) {
  const auto n = static_cast<double>(trials);
  const double p = static_cast<double>(successes) / n, z2 = z95 * z95;
  const double middle = (p + z2 / (2 * n)) / (1 + z2 / n);
  const double half = z95 / (1 + z2 / n) * std::sqrt(p * (1 - p) / n + z2 / (4 * n * n));
  return {p, std::max(0.0, middle - half), std::min(1.0, middle + half)};
}

Interval mean_interval(std::span<const double> values) {
  const auto n = static_cast<double>(values.size());
  const double mean = std::accumulate(values.begin(), values.end(), 0.0) / n;
  if (values.size() < 2) return {mean, mean, mean};
  double square = 0.0;
  for (const double v : values) square += (v - mean) * (v - mean);
  const double half = z95 * std::sqrt(square / (n - 1) / n);
  return {mean, mean - half, mean + half};
}

}  // namespace zithercraft
