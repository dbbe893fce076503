#pragma once

#include <fmt/format.h>
#include <cmath>
#include <string>

#include "zithercraft/evaluate/statistics.hpp"

namespace zithercraft::evaluate_internal {

/// A number in this format, but whole where that would write 2000 as a power of ten.
inline std::string plain_number(double value, const char* format) {
  if (!std::isfinite(value)) return "?";
  std::string text = fmt::format(fmt::runtime(format), value);
  const bool power = text.find("e+") != std::string::npos && std::fabs(value) < 1e9;
  if (!power) return text;
  return fmt::format(fmt::runtime(text.front() == '+' ? "{:+.0f}" : "{:.0f}"), value);
}

/// "0.5 [0.4, 0.6]"; an unknown end is "?". Values that do not differ at all have no interval.
inline std::string with_range(const Interval& i, const char* format) {
  const auto text = [&](double value) { return plain_number(value, format); };
  if (i.low == i.high) return text(i.mean) + " (all alike)";
  return fmt::format("{} [{}, {}]", text(i.mean), text(i.low), text(i.high));
}

inline Interval in_percent(const Interval& i) { return {100 * i.mean, 100 * i.low, 100 * i.high}; }

}  // namespace zithercraft::evaluate_internal
