#pragma once

#include <cstddef>
#include <span>

namespace zithercraft {

/// An estimate with its 95% interval.
struct Interval {
  double mean = 0.0, low = 0.0, high = 0.0;
};

/// Share of successes, with the score interval of Wilson (1927), which holds its promise near 0 and 1 too.
/// `trials` must be at least 1.
Interval share_interval(std::size_t successes, std::size_t trials);

/// Mean of independent values, with the normal interval of the mean; of one value the interval is the value.
/// `values` must not be empty.
Interval mean_interval(std::span<const double> values);

}  // namespace zithercraft
