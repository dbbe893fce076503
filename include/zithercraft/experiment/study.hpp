#pragma once

#include <atomic>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "zithercraft/evaluate/statistics.hpp"
#include "zithercraft/experiment/plan.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {

/// How far a training of a study is.
enum class StudyRunStatus : std::uint8_t {
  unfinished,
  done,
  failed  ///< stopped by an error, which is kept
};
/// The word for it.
std::string_view name_of(StudyRunStatus status) noexcept;

/// One training of a study and what was measured of it.
struct StudyRun {
  std::size_t index = 0;                               ///< its folder's: runs/0007
  std::string game{}, variant{};                       ///< the names of both
  std::int64_t seed = 0;                               ///< of the training
  StudyRunStatus status = StudyRunStatus::unfinished;  ///< how far it is
  double seconds = 0.0;            ///< of training and measuring, of the last sitting
  std::vector<double> measured{};  ///< in the order of the plan's measures, once done
  std::string error{};             ///< what it failed by; empty if it did not
};

/// A study's folder: study.toml (the resolved plan), results.db, runs/. See docs/formats/study.md.
class Study {
 public:
  /// Throws Error (file) if the folder holds no study, Error (spec) if its plan is damaged.
  static Study open(const std::filesystem::path& folder);

  /// Where it lives.
  const std::filesystem::path& folder() const noexcept { return folder_; }
  /// What was planned.
  const StudyPlan& plan() const noexcept { return plan_; }
  /// All runs of the plan by index.
  const std::vector<StudyRun>& runs() const noexcept { return runs_; }
  std::filesystem::path run_folder(const StudyRun& run) const;
  /// How many trainings are that far.
  std::size_t count(StudyRunStatus status) const;

  /// What a measure came to in the finished runs of a game and a variant, by seed. Throws Error
  /// (usage) if the plan does not measure it.
  std::vector<double> values(const std::string& game, const std::string& variant,
                             const std::string& measure) const;

 private:
  Study(std::filesystem::path folder, StudyPlan plan, std::vector<StudyRun> runs);
  friend Study run_study(const StudyPlan& plan, const struct StudyOptions& options);
  std::filesystem::path folder_;
  StudyPlan plan_;
  std::vector<StudyRun> runs_;
};

/// Whether the folder holds a study.
bool holds_study(const std::filesystem::path& folder);

/// How a study stands.
struct StudyProgress {
  std::size_t done = 0, failed = 0, runs = 0;  ///< trainings
  std::int64_t steps = 0, total = 0;           ///< of all runs
  double seconds = 0.0;                        ///< since this call began
  /// Steps of all trainings per second; how long it may still take.
  double steps_per_second = 0.0, seconds_left = 0.0;
};

/// Where a study goes, and how it is run.
struct StudyOptions {
  std::filesystem::path folder{};  ///< made if missing
  /// Threads in all, 0 for one per processor: that many runs run at once, each on one; a study of
  /// fewer runs gives each several. No influence on the result.
  std::size_t threads = 0;
  /// `resume` also extends a study by variants and seeds that its plan lacks; any other difference
  /// is refused.
  Existing existing = Existing::refuse;
  /// when it becomes true, all runs save and the call returns
  const std::atomic<bool>* stop = nullptr;
  /// Processes among which runs are handed out, one to each at a time; null if this one is alone.
  /// All call `run_study` with the same plan and see the same folder; the first alone writes
  /// results and reports. No influence on the result.
  ProcessGroup* processes = nullptr;
  /// called from several threads, one at a time
  std::function<void(const StudyProgress&)> on_progress{};
};

/// Runs what is left of a study and returns it as it then stands. Runs are taken seed by seed, so
/// that a study that is cut short has something of every variant; one that fails is noted and the
/// others continue. An interrupted run continues from its last checkpoint, to the same bits. Throws
/// Error: spec, file, refused.
Study run_study(const StudyPlan& plan, const StudyOptions& options);

}  // namespace zithercraft
