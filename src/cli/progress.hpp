#pragma once

#include <chrono>
#include <functional>
#include <string>

#include "zithercraft/study/study.hpp"
#include "zithercraft/study/train.hpp"

namespace zithercraft::cli {

/// Shows how long work goes on standard error: one live line on a terminal, else a plain line now and then.
class ProgressLine {
 public:
  /// A quiet one shows nothing.
  explicit ProgressLine(bool quiet = false);
  void show(const TrainingProgress& progress);
  void show(const StudyProgress& progress);
  /// Ends the live line.
  void close();

 private:
  void show(const std::function<std::string(int)>& text, bool last);
  std::chrono::steady_clock::time_point last_;
  bool terminal_, quiet_, open_ = false;
};

/// The text of the line; `columns` is the width of the terminal, 0 for a plain line without a bar.
std::string progress_text(const TrainingProgress& progress, int columns);
std::string progress_text(const StudyProgress& progress, int columns);

}  // namespace zithercraft::cli
