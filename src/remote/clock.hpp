#pragma once

#include <chrono>

namespace zithercraft::remote_internal {

/// What waiting is measured by.
using Clock = std::chrono::steady_clock;

}  // namespace zithercraft::remote_internal
