#include "zithercraft/net/normaliser.hpp"

#include <algorithm>
#include <cmath>

namespace zithercraft {
namespace {

constexpr double least_variance = 1e-6;  // a column that never changed stays at zero instead of blowing up

}  // namespace

Normaliser::Normaliser(std::size_t columns)
    : Normaliser(0.0, std::vector<double>(columns), std::vector<double>(columns)) {}

Normaliser::Normaliser(double count, std::vector<double> mean, std::vector<double> deviation)
    : count_(count),
      mean_(std::move(mean)),
      deviation_(std::move(deviation)),
      batch_mean_(mean_.size()),
      batch_deviation_(mean_.size()),
      shift_(mean_.size()),
      scale_(mean_.size(), 1.0f) {
  refresh();
}

void Normaliser::refresh() {
  if (count_ <= 0.0) return;
  for (std::size_t c = 0; c < mean_.size(); ++c) {
    shift_[c] = static_cast<float>(mean_[c]);
    scale_[c] = static_cast<float>(1.0 / std::sqrt(std::max(deviation_[c] / count_, least_variance)));
  }
}

void Normaliser::fold(std::span<const float> rows) {
  const std::size_t columns = mean_.size(), n = rows.size() / columns;
  if (n == 0) return;
  std::fill(batch_mean_.begin(), batch_mean_.end(), 0.0);
  std::fill(batch_deviation_.begin(), batch_deviation_.end(), 0.0);
  const auto number = static_cast<double>(n);
  for (std::size_t r = 0; r < n; ++r)
    for (std::size_t c = 0; c < columns; ++c) batch_mean_[c] += static_cast<double>(rows[r * columns + c]);
  for (std::size_t c = 0; c < columns; ++c) batch_mean_[c] /= number;
  for (std::size_t r = 0; r < n; ++r)
    for (std::size_t c = 0; c < columns; ++c) {
      const double off = static_cast<double>(rows[r * columns + c]) - batch_mean_[c];
      batch_deviation_[c] += off * off;
    }
  const double total = count_ + number;
  for (std::size_t c = 0; c < columns; ++c) {
    const double apart = batch_mean_[c] - mean_[c];
    mean_[c] += apart * number / total;
    deviation_[c] += batch_deviation_[c] + apart * apart * count_ * number / total;
  }
  count_ = total;
  refresh();
}

void Normaliser::apply(std::span<const float> rows, std::span<float> out) const noexcept {
  const std::size_t columns = mean_.size();
  const float *shift = shift_.data(), *scale = scale_.data();
  for (std::size_t first = 0; first + columns <= rows.size(); first += columns) {
    const float* in = rows.data() + first;
    float* to = out.data() + first;
    for (std::size_t c = 0; c < columns; ++c) to[c] = std::clamp((in[c] - shift[c]) * scale[c], -limit, limit);
  }
}

}  // namespace zithercraft
