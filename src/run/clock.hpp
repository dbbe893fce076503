#pragma once

#include <chrono>

namespace zithercraft::run_internal {

using Clock = std::chrono::steady_clock;

inline double seconds_since(Clock::time_point start) {
  return std::chrono::duration<double>(Clock::now() - start).count();
}

}  // namespace zithercraft::run_internal
