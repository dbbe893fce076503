#pragma once

#include <fmt/format.h>
#include <cmath>
#include <string>

#include "zithercraft/evaluate/statistics.hpp"

namespace zithercraft::evaluate_internal {

/// "0.5 [0.4, 0.6]"; an unknown end is "?". Values that do not differ at all have no interval.
inline std::string with_range(const Interval& i, const char* format) {
  const auto text = [&](double value) {
    return std::isfinite(value) ? fmt::format(fmt::runtime(format), value) : "?";
  };
  if (i.low == i.high) return text(i.mean) + " (all alike)";
  return fmt::format("{} [{}, {}]", text(i.mean), text(i.low), text(i.high));
}

inline Interval in_percent(const Interval& i) { return {100 * i.mean, 100 * i.low, 100 * i.high}; }

}  // namespace zithercraft::evaluate_internal
