#pragma once

#include <chrono>
#include <functional>
#include <string>

#include "zithercraft/base/work_count.hpp"
#include "zithercraft/experiment/study.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft::cli {

/// Shows the progress of work on standard error: one live line on a terminal, else a plain line now
/// and then.
class ProgressLine {
 public:
  /// A quiet one shows nothing.
  explicit ProgressLine(bool quiet = false);
  void show(const TrainingProgress& progress);
  void show(const StudyProgress& progress);
  /// `pieces`: what the work is counted in, like "episodes". Short work shows nothing.
  void show(const WorkProgress& progress, const std::string& pieces);
  /// Shows work's progress as it comes.
  OnProgress of(const std::string& pieces) {
    return [this, pieces](const WorkProgress& progress) { show(progress, pieces); };
  }
  /// Ends the live line, which stays; or wipes it out, before results take its place.
  void close();
  void wipe();

 private:
  void show(const std::function<std::string(int)>& text, bool last);
  std::chrono::steady_clock::time_point last_;
  bool terminal_, quiet_, open_ = false;
};

/// The text of the line; `columns` is the width of the terminal, 0 for a plain line without a bar.
std::string progress_text(const TrainingProgress& progress, int columns);
std::string progress_text(const StudyProgress& progress, int columns);
std::string progress_text(const WorkProgress& progress, const std::string& pieces, int columns);

}  // namespace zithercraft::cli
