#include "zithercraft/net/normaliser.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace zithercraft {
namespace {

constexpr double least_variance = 1e-6;  // a column that never changed stays at zero instead of blowing up

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

void Normaliser::refresh() {
  if (count_ <= 0.0) return;
  for (std::size_t c = 0; c < mean_.size(); ++c) {
    shift_[c] = static_cast<float>(mean_[c]);
    scale_[c] = static_cast<float>(1.0 / std::sqrt(std::max(deviation_[c] / count_, least_variance)));
  }
  for (const std::size_t c : left_) {
    shift_[c] = 0.0f;
    scale_[c] = 1.0f;
  }
}

void Normaliser::Moments::measure(std::span<const float> rows, std::size_t columns) {
  const std::size_t n = rows.size() / columns;
  count = static_cast<double>(n);
  mean.assign(columns, 0.0);
  deviation.assign(columns, 0.0);
  if (n == 0) return;
  double* const __restrict means = mean.data();
  double* const __restrict squares = deviation.data();
  for (std::size_t r = 0; r < n; ++r)
    for (std::size_t c = 0; c < columns; ++c) means[c] += static_cast<double>(rows[r * columns + c]);
  for (std::size_t c = 0; c < columns; ++c) means[c] /= count;
  for (std::size_t r = 0; r < n; ++r)
    for (std::size_t c = 0; c < columns; ++c) {
      const double off = static_cast<double>(rows[r * columns + c]) - means[c];
      squares[c] += off * off;
    }
}

void Normaliser::fold(const Moments& moments) {
  if (moments.count == 0.0) return;
  const double total = count_ + moments.count;
  for (std::size_t c = 0; c < mean_.size(); ++c) {
    const double apart = moments.mean[c] - mean_[c];
    mean_[c] += apart * moments.count / total;
    deviation_[c] += moments.deviation[c] + apart * apart * count_ * moments.count / total;
  }
  count_ = total;
  refresh();
}

void Normaliser::fold(std::span<const float> rows) {
  Moments moments;
  moments.measure(rows, columns());
  fold(moments);
}

void Normaliser::apply(std::span<const float> rows, std::span<float> out, std::size_t stride) const noexcept {
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
