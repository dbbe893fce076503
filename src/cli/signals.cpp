#include "cli/signals.hpp"

#include <csignal>

namespace zithercraft::cli {
namespace {

std::atomic<bool> stop_requested{false};
static_assert(std::atomic<bool>::is_always_lock_free);  // a signal handler may only touch such

void request_stop(int) { stop_requested = true; }

}  // namespace

const std::atomic<bool>& stop_on_signal() {
  std::signal(SIGINT, request_stop);
  std::signal(SIGTERM, request_stop);
  return stop_requested;
}

}  // namespace zithercraft::cli
