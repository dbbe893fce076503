#pragma once

#include <cmath>

#include "base/json.hpp"
#include "zithercraft/evaluate/statistics.hpp"

namespace zithercraft::evaluate_internal {

/// JSON knows no infinite numbers: they are null.
inline Json json_of(double value) { return std::isfinite(value) ? Json(value) : Json(); }
inline Json json_of(const Interval& i) {
  return {{"mean", json_of(i.mean)}, {"low", json_of(i.low)}, {"high", json_of(i.high)}};
}

}  // namespace zithercraft::evaluate_internal
