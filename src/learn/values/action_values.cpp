#include "learn/values/action_values.hpp"

#include <algorithm>

namespace zithercraft::learn_internal {

ActionValues::ActionValues(std::span<const ControlInfo> controls, bool duelling,
                           std::size_t quantiles)
    : quantiles_(std::max<std::size_t>(1, quantiles)), duelling_(duelling) {
  for (const ControlInfo& control : controls) first_.push_back(options_ += control.options.size());
}

float ActionValues::weight(std::size_t choice, std::size_t option, std::size_t other) const {
  const float own = option == other ? 1.0f : 0.0f;
  return duelling_ ? own - 1.0f / static_cast<float>(options_of(choice)) : own;
}

void ActionValues::quantiles_of(std::span<const float> outputs, std::size_t choice,
                                std::size_t option, std::span<float> quantiles) const {
  const float* const own = outputs.data() + option * quantiles_;
  std::copy_n(own, quantiles_, quantiles.begin());
  if (!duelling_) return;
  const float share = 1.0f / static_cast<float>(options_of(choice));
  const float* const moment = outputs.data() + options_ * quantiles_;
  for (std::size_t k = 0; k < quantiles_; ++k) {
    float sum = 0.0f;
    for (std::size_t o = first_[choice]; o < first_[choice + 1]; ++o)
      sum += outputs[o * quantiles_ + k];
    quantiles[k] += moment[k] - sum * share;
  }
}

void ActionValues::means(std::span<const float> outputs, std::span<float> values) const {
  const auto mean = [&](std::size_t o) {
    if (quantiles_ == 1) return outputs[o];
    float sum = 0.0f;
    for (std::size_t k = 0; k < quantiles_; ++k) sum += outputs[o * quantiles_ + k];
    return sum / static_cast<float>(quantiles_);
  };
  for (std::size_t o = 0; o < options_; ++o) values[o] = mean(o);
  if (!duelling_) return;
  const float moment = mean(options_);
  for (std::size_t c = 0; c + 1 < first_.size(); ++c) {
    float sum = 0.0f;
    for (std::size_t o = first_[c]; o < first_[c + 1]; ++o) sum += values[o];
    const float shift = moment - sum / static_cast<float>(options_of(c));
    for (std::size_t o = first_[c]; o < first_[c + 1]; ++o) values[o] += shift;
  }
}

void ActionValues::add_gradient(std::size_t choice, std::size_t option, std::span<const float> by,
                                std::span<float> gradient) const {
  float* const own = gradient.data() + option * quantiles_;
  for (std::size_t k = 0; k < quantiles_; ++k) own[k] += by[k];
  if (!duelling_) return;
  const float share = 1.0f / static_cast<float>(options_of(choice));
  float* const moment = gradient.data() + options_ * quantiles_;
  for (std::size_t k = 0; k < quantiles_; ++k) {
    const float shared = by[k] * share;
    for (std::size_t o = first_[choice]; o < first_[choice + 1]; ++o)
      gradient[o * quantiles_ + k] -= shared;
    moment[k] += by[k];
  }
}

void ActionValues::merge_outputs(const Network<float>& from, std::span<const float> parameters,
                                 const Network<float>& to, std::span<float> merged) const {
  for (std::size_t p = 0; p < to.parts().size(); ++p) {
    const NetworkPart &old = from.parts()[p], &part = to.parts()[p];
    const auto row = [&](std::size_t r) { return parameters.subspan(old.offset + r * old.stride); };
    if (!part.name.starts_with("output.")) {
      for (std::size_t r = 0; r < part.rows; ++r)
        std::copy_n(row(r).begin(), part.width,
                    merged.begin() + static_cast<std::ptrdiff_t>(part.offset + r * part.stride));
      continue;
    }
    // A bias is one row of all outputs, a weight has a row for each.
    const bool bias = part.rows == 1 && part.width == options_ && part.name == "output.bias";
    const std::size_t width = bias ? 1 : part.width;
    const auto number = [&](std::size_t output, std::size_t i) {
      return bias ? row(0)[output] : row(output)[i];
    };
    for (std::size_t c = 0; c + 1 < first_.size(); ++c)
      for (std::size_t option = first_[c]; option < first_[c + 1]; ++option)
        for (std::size_t i = 0; i < width; ++i) {
          float sum = 0.0f;
          for (std::size_t k = 0; k < quantiles_; ++k) {
            for (std::size_t o = first_[c]; o < first_[c + 1]; ++o)
              sum += weight(c, option, o) * number(o * quantiles_ + k, i);
            if (duelling_) sum += number(options_ * quantiles_ + k, i);
          }
          merged[bias ? part.offset + option : part.offset + option * part.stride + i] =
              sum / static_cast<float>(quantiles_);
        }
  }
}

void ActionValues::split_outputs(const Network<float>& from, std::span<const float> merged,
                                 const Network<float>& to, std::span<float> parameters) const {
  for (std::size_t p = 0; p < to.parts().size(); ++p) {
    const NetworkPart &old = from.parts()[p], &part = to.parts()[p];
    const bool outputs = part.name.starts_with("output."), bias = part.name == "output.bias";
    const std::size_t rows = bias ? part.width : part.rows, width = bias ? 1 : part.width,
                      each = outputs ? quantiles_ : 1;
    for (std::size_t r = 0; r < rows; ++r)
      for (std::size_t i = 0; i < width; ++i) {
        const bool is_option = !outputs || r / each < options_;
        const std::size_t before = r / each;
        parameters[bias ? part.offset + r : part.offset + r * part.stride + i] =
            !is_option ? 0.0f
                       : merged[bias ? old.offset + before : old.offset + before * old.stride + i];
      }
  }
}

}  // namespace zithercraft::learn_internal
