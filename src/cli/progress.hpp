#pragma once

#include <chrono>
#include <string>

#include "zithercraft/study/train.hpp"

namespace zithercraft::cli {

/// Shows a training on standard error: one live line on a terminal, else a plain line now and then.
class ProgressLine {
 public:
  ProgressLine();
  void show(const TrainingProgress& progress);
  /// Ends the live line.
  void close();

 private:
  std::chrono::steady_clock::time_point last_;
  bool terminal_, open_ = false;
};

/// The text of the line; `columns` is the width of the terminal, 0 for a plain line without a bar.
std::string progress_text(const TrainingProgress& progress, int columns);

}  // namespace zithercraft::cli
