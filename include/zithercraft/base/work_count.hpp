#pragma once

#include <chrono>
#include <cstdint>
#include <functional>
#include <mutex>

namespace zithercraft {

/// How far work of known size has come, in pieces of it (episodes, steps).
struct WorkProgress {
  std::int64_t done = 0, total = 0;             ///< pieces
  double per_second = 0.0, seconds_left = 0.0;  ///< pieces per second, and until all are done
};
/// Called after one or more pieces, from several threads, one call at a time. May be empty.
using OnProgress = std::function<void(const WorkProgress&)>;

/// Counts the pieces that several threads finish, and reports them.
class WorkCount {
 public:
  /// Nothing done yet. `on_progress` may be empty.
  WorkCount(std::int64_t total, OnProgress on_progress);
  /// Counts pieces as done. Can be called from several threads at once.
  void add(std::int64_t pieces = 1);

 private:
  OnProgress on_progress_;
  std::mutex mutex_;
  std::chrono::steady_clock::time_point began_;
  WorkProgress progress_;
};

}  // namespace zithercraft
