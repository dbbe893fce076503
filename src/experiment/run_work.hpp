#pragma once

#include <cstddef>
#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "zithercraft/experiment/study.hpp"

namespace zithercraft::experiment_internal {

std::filesystem::path run_folder_of(const std::filesystem::path& study, const StudyRun& run);

/// Carries out runs of a study; what comes of one depends on the plan and the run alone.
class RunWork {
 public:
  RunWork(const StudyPlan& plan, const StudyOptions& options) : plan_(plan), options_(options) {}

  const StudyPlan& plan() const { return plan_; }
  bool stopped() const { return options_.stop != nullptr && options_.stop->load(); }
  /// The run as it stands then: done, failed, or unfinished if it was stopped before its end.
  /// Throws Error (file, refused) if its folder cannot be used.
  StudyRun carry_out(StudyRun run, std::size_t threads,
                     const std::function<void(std::int64_t)>& on_steps) const;

 private:
  bool train_and_measure(StudyRun& run, std::size_t threads,
                         const std::function<void(std::int64_t)>& on_steps) const;
  const StudyPlan& plan_;
  const StudyOptions& options_;
};

/// A run as processes send it, and back; none of no bytes.
std::vector<std::byte> bytes_of(const StudyRun& run);
std::optional<StudyRun> run_of(std::span<const std::byte> bytes);

}  // namespace zithercraft::experiment_internal
