#include "zithercraft/net/normaliser.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

namespace zithercraft {
namespace {

// A column that never changed stays at zero instead of blowing up.
constexpr double least_variance = 1e-6;

// Merges rows with these moments into those of `count` rows.
void merge(double& count, std::span<double> mean, std::span<double> deviation, double new_count,
           std::span<const double> new_mean, std::span<const double> new_deviation) {
  if (new_count == 0.0) return;
  const double total = count + new_count, share = new_count / total, both = count * share;
  for (std::size_t c = 0; c < mean.size(); ++c) {
    const double apart = new_mean[c] - mean[c];
    mean[c] += apart * share;
    deviation[c] += new_deviation[c] + apart * apart * both;
  }
  count = total;
}

}  // namespace

Normaliser::Normaliser(std::size_t columns)
    : mean_(columns),
      deviation_(columns),
      shift_(columns),
      scale_(columns, 1.0f),
      limit_(columns, limit) {}

void Normaliser::set(double count, std::vector<double> mean, std::vector<double> deviation) {
  count_ = count;
  mean_ = std::move(mean);
  deviation_ = std::move(deviation);
  refresh();
}

void Normaliser::leave(std::size_t column) {
  left_.push_back(column);
  limit_[column] = std::numeric_limits<float>::max();
  refresh();
}

void Normaliser::pool(std::vector<std::uint32_t> columns) { pools_.push_back(std::move(columns)); }

// To merge further rows with what has been evened out gives the statistics of all numbers exactly.
void Normaliser::even_out() {
  for (const auto& pool : pools_) {
    const auto size = static_cast<double>(pool.size());
    double mean = 0.0, deviation = 0.0;
    for (const std::uint32_t c : pool) mean += mean_[c] / size;
    for (const std::uint32_t c : pool) {
      const double apart = mean_[c] - mean;
      deviation += (deviation_[c] + count_ * apart * apart) / size;
    }
    for (const std::uint32_t c : pool) {
      mean_[c] = mean;
      deviation_[c] = deviation;
    }
  }
}

void Normaliser::refresh() {
  if (count_ <= 0.0) return;
  for (std::size_t c = 0; c < mean_.size(); ++c) {
    shift_[c] = static_cast<float>(mean_[c]);
    scale_[c] =
        static_cast<float>(1.0 / std::sqrt(std::max(deviation_[c] / count_, least_variance)));
  }
  for (const std::size_t c : left_) {
    shift_[c] = 0.0f;
    scale_[c] = 1.0f;
  }
}

void Normaliser::Moments::clear(std::size_t columns) {
  count = 0.0;
  for (auto* numbers : {&mean, &deviation, &mean_of_rows_, &deviation_of_rows_})
    numbers->assign(columns, 0.0);
}

void Normaliser::Moments::add(std::span<const float> rows) {
  const std::size_t columns = mean.size(), n = columns == 0 ? 0 : rows.size() / columns;
  if (n == 0) return;
  std::fill(mean_of_rows_.begin(), mean_of_rows_.end(), 0.0);
  std::fill(deviation_of_rows_.begin(), deviation_of_rows_.end(), 0.0);
  double* const __restrict means = mean_of_rows_.data();
  double* const __restrict squares = deviation_of_rows_.data();
  for (std::size_t r = 0; r < n; ++r)
    for (std::size_t c = 0; c < columns; ++c)
      means[c] += static_cast<double>(rows[r * columns + c]);
  for (std::size_t c = 0; c < columns; ++c) means[c] /= static_cast<double>(n);
  for (std::size_t r = 0; r < n; ++r)
    for (std::size_t c = 0; c < columns; ++c) {
      const double off = static_cast<double>(rows[r * columns + c]) - means[c];
      squares[c] += off * off;
    }
  merge(count, mean, deviation, static_cast<double>(n), mean_of_rows_, deviation_of_rows_);
}

void Normaliser::fold(const Moments& moments) {
  merge(count_, mean_, deviation_, moments.count, moments.mean, moments.deviation);
  even_out();
  refresh();
}

void Normaliser::fold(std::span<const float> rows) {
  Moments moments;
  moments.clear(columns());
  moments.add(rows);
  fold(moments);
}

void Normaliser::apply(std::span<const float> rows, std::span<float> out,
                       std::size_t stride) const noexcept {
  const std::size_t columns = mean_.size();
  const float* const __restrict shift = shift_.data();
  const float* const __restrict scale = scale_.data();
  const float* const __restrict most = limit_.data();
  if (stride == 0) stride = columns;
  for (std::size_t r = 0; (r + 1) * columns <= rows.size(); ++r) {
    const float* in = rows.data() + r * columns;
    float* to = out.data() + r * stride;
    for (std::size_t c = 0; c < columns; ++c) {
      const float value = (in[c] - shift[c]) * scale[c], high = most[c];
      to[c] = value > high ? high : value < -high ? -high : value;
    }
  }
}

}  // namespace zithercraft
