#pragma once

#include <atomic>

namespace zithercraft::cli {

/// From the first call on, SIGINT and SIGTERM make this true instead of ending the program.
const std::atomic<bool>& stop_on_signal();

}  // namespace zithercraft::cli
