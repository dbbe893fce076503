#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace zithercraft {

/// Brings observation columns to mean 0 and spread 1 by running statistics, clamped to [-5, 5].
///
/// Before anything was folded in, columns pass unchanged. Means and squared deviations are merged by the pairwise
/// formula of Chan, Golub and LeVeque (1979), in doubles and in the order of calls.
class Normaliser {
 public:
  static constexpr float limit = 5.0f;

  Normaliser() = default;
  explicit Normaliser(std::size_t columns);
  /// From stored statistics: rows seen, means, sums of squared deviations.
  Normaliser(double count, std::vector<double> mean, std::vector<double> deviation);

  std::size_t columns() const noexcept { return mean_.size(); }
  double count() const noexcept { return count_; }
  std::span<const double> mean() const noexcept { return mean_; }
  std::span<const double> deviation() const noexcept { return deviation_; }

  /// Takes [n][columns] raw rows into the statistics.
  void fold(std::span<const float> rows);
  /// Normalises [n][columns] rows. `out` may be `rows`.
  void apply(std::span<const float> rows, std::span<float> out) const noexcept;

 private:
  void refresh();

  double count_ = 0.0;
  std::vector<double> mean_, deviation_;
  std::vector<double> batch_mean_, batch_deviation_;
  std::vector<float> shift_, scale_;
};

}  // namespace zithercraft
