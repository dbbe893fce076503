#include "learn/policy/value_scale.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/net/network.hpp"

namespace zithercraft::learn_internal {

ValueScale::Change ValueScale::fold(double count, double mean, double variance, double most_kept) {
  if (count <= 0.0) return {};
  // Nothing is known of returns before the first ones: predictions may as well begin at their mean.
  const bool first = count_ == 0.0;
  const double kept = std::min(count_, most_kept), total = kept + count, apart = mean - mean_;
  variance_ = (kept * variance_ + count * variance + apart * apart * kept * count / total) / total;
  const double new_mean = mean_ + apart * count / total,
               new_stddev = std::max(1e-4, std::sqrt(variance_));
  const Change change =
      first ? Change{} : Change{stddev_ / new_stddev, (mean_ - new_mean) / new_stddev};
  mean_ = new_mean;
  stddev_ = new_stddev;
  count_ = total;
  return change;
}

void ValueScale::store(std::span<double> numbers) const {
  numbers[0] = mean_;
  numbers[1] = stddev_;
  numbers[2] = count_;
  numbers[3] = variance_;
}

void ValueScale::restore(std::span<const double> numbers) {
  mean_ = numbers[0];
  stddev_ = numbers[1];
  count_ = numbers[2];
  variance_ = numbers[3];
}

void change_output(std::span<const NetworkPart> parts, std::span<float> parameters,
                   std::size_t output, ValueScale::Change change) {
  const auto factor = static_cast<float>(change.factor);
  for (const NetworkPart& part : parts) {
    if (part.name == "output.weight")
      for (float& w : parameters.subspan(part.offset + output * part.stride, part.width))
        w *= factor;
    if (part.name == "output.bias") {
      float& bias = parameters[part.offset + output];
      bias = static_cast<float>(change.factor * static_cast<double>(bias) + change.shift);
    }
  }
}

}  // namespace zithercraft::learn_internal
