#include "learn/dqn/noisy_parameters.hpp"

#include <algorithm>
#include <cmath>

namespace zithercraft::learn_internal {
namespace {

// Noise of a weight is the product of one number of its row and one of its column, each so bent.
float bent(float x) { return x < 0.0f ? -std::sqrt(-x) : std::sqrt(x); }

}  // namespace

NoisyParameters::NoisyParameters(const Network<float>& net)
    : noise_(net.parameters()), parameters_(net.parameters()) {
  std::size_t widest = 0, most_rows = 0;
  for (const NetworkPart& part : net.parts()) {
    if (!part.name.starts_with("hidden.") && !part.name.starts_with("output.")) continue;
    parts_.push_back(part);
    widest = std::max(widest, part.width);
    most_rows = std::max(most_rows, part.rows);
  }
  by_row_.resize(most_rows);
  by_column_.resize(widest);
}

void NoisyParameters::first_strengths(std::span<float> strengths) const {
  constexpr float at_first = 0.5f;
  std::fill(strengths.begin(), strengths.end(), 0.0f);
  for (const NetworkPart& part : parts_) {
    const float strength = at_first / std::sqrt(static_cast<float>(part.width));
    for (std::size_t r = 0; r < part.rows; ++r)
      std::fill_n(strengths.begin() + static_cast<std::ptrdiff_t>(part.offset + r * part.stride),
                  part.width, strength);
  }
}

void NoisyParameters::draw(std::span<const float> means, std::span<const float> strengths,
                           RandomStream random) {
  for (const NetworkPart& part : parts_) {
    for (float& x : std::span(by_row_).first(part.rows))
      x = part.rows == 1 ? 1.0f : bent(random.normal());
    for (float& x : std::span(by_column_).first(part.width)) x = bent(random.normal());
    for (std::size_t r = 0; r < part.rows; ++r)
      for (std::size_t i = 0; i < part.width; ++i)
        noise_[part.offset + r * part.stride + i] = by_row_[r] * by_column_[i];
  }
  for (std::size_t i = 0; i < parameters_.size(); ++i)
    parameters_[i] = means[i] + strengths[i] * noise_[i];
}

void NoisyParameters::add_gradient(std::span<const float> by_parameters,
                                   std::span<float> by_strengths) const {
  for (std::size_t i = 0; i < noise_.size(); ++i) by_strengths[i] += noise_[i] * by_parameters[i];
}

}  // namespace zithercraft::learn_internal
