#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace zithercraft {

/// Brings observation columns to mean 0 and standard deviation 1 by running statistics, clamped to
/// [-5, 5].
///
/// Before anything was folded in, columns pass unchanged. Means and squared deviations are merged
/// by the pairwise formula of Chan, Golub and LeVeque (1979), in doubles and in the order of calls.
class Normaliser {
 public:
  static constexpr float limit = 5.0f;  ///< standard deviations that a number is cut off at

  Normaliser() = default;
  /// Mean 0 and deviation 1, of nothing.
  explicit Normaliser(std::size_t columns);
  /// Takes stored statistics: rows seen, means, sums of squared deviations, as many as there are
  /// columns.
  void set(double count, std::vector<double> mean, std::vector<double> deviation);
  /// This column passes unchanged from now on.
  void leave(std::size_t column);
  /// These columns share one mean and one deviation from the next rows on that are taken in: those
  /// of all their numbers together. A pixel that is seldom lit then counts no more than others.
  void pool(std::vector<std::uint32_t> columns);

  /// How many columns.
  std::size_t columns() const noexcept { return mean_.size(); }
  /// Rows that it has seen.
  double count() const noexcept { return count_; }
  /// Of each column.
  std::span<const double> mean() const noexcept { return mean_; }
  /// Sum of squared distances from the mean, of each column.
  std::span<const double> deviation() const noexcept { return deviation_; }

  /// What some rows have in common: their number, means, and sums of squared deviations.
  struct Moments {
    double count = 0.0;  ///< rows
    /// Of each column; the second as sums of squared distances.
    std::vector<double> mean{}, deviation{};
    /// For no rows yet, of this many columns; does not allocate if there were as many before.
    void clear(std::size_t columns);
    /// Takes [n][columns] raw rows in.
    void add(std::span<const float> rows);

   private:
    std::vector<double> mean_of_rows_{}, deviation_of_rows_{};
  };
  /// Takes rows into the statistics.
  void fold(const Moments& moments);
  /// Takes [n][columns] raw rows into the statistics.
  void fold(std::span<const float> rows);
  /// Normalises [n][columns] rows. `out` may be `rows`; its rows are `stride` numbers apart,
  /// `columns()` if that is 0.
  void apply(std::span<const float> rows, std::span<float> out,
             std::size_t stride = 0) const noexcept;

 private:
  void refresh();
  void even_out();

  double count_ = 0.0;
  std::vector<double> mean_, deviation_;
  std::vector<float> shift_, scale_, limit_;
  std::vector<std::size_t> left_;                  // columns that are left as they are
  std::vector<std::vector<std::uint32_t>> pools_;  // columns that share their statistics
};

}  // namespace zithercraft
