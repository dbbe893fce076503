#include "zithercraft/base/work_count.hpp"

#include <algorithm>
#include <utility>

namespace zithercraft {

WorkCount::WorkCount(std::int64_t total, OnProgress on_progress)
    : on_progress_(std::move(on_progress)), began_(std::chrono::steady_clock::now()) {
  progress_.total = total;
}

void WorkCount::add(std::int64_t pieces) {
  if (!on_progress_ || pieces == 0) return;
  const std::lock_guard lock(mutex_);
  progress_.done = std::min(progress_.total, progress_.done + pieces);
  const double seconds =
      std::chrono::duration<double>(std::chrono::steady_clock::now() - began_).count();
  progress_.per_second = seconds > 0.0 ? static_cast<double>(progress_.done) / seconds : 0.0;
  if (progress_.per_second > 0.0)
    progress_.seconds_left =
        static_cast<double>(progress_.total - progress_.done) / progress_.per_second;
  on_progress_(progress_);
}

}  // namespace zithercraft
