#pragma once

#include <cstddef>
#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "zithercraft/study/study.hpp"

namespace zithercraft {

std::filesystem::path trial_folder_of(const std::filesystem::path& study, const Trial& trial);

/// Carries out trials of a study; what comes of one depends on the plan and the trial alone.
class TrialWork {
 public:
  TrialWork(const StudyPlan& plan, const StudyOptions& options) : plan_(plan), options_(options) {}

  const StudyPlan& plan() const { return plan_; }
  bool stopped() const { return options_.stop != nullptr && options_.stop->load(); }
  /// The trial as it stands then: done, failed, or unfinished if it was stopped before its end. Throws Error (file,
  /// refused) if its folder cannot be used.
  Trial carry_out(Trial trial, std::size_t threads, const std::function<void(std::int64_t)>& on_steps) const;

 private:
  bool train_and_measure(Trial& trial, std::size_t threads,
                         const std::function<void(std::int64_t)>& on_steps) const;
  const StudyPlan& plan_;
  const StudyOptions& options_;
};

/// A trial as processes tell it each other, and back; none of no bytes.
std::vector<std::byte> bytes_of(const Trial& trial);
std::optional<Trial> trial_of(std::span<const std::byte> bytes);

}  // namespace zithercraft
