#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "run/sqlite.hpp"
#include "zithercraft/experiment/study.hpp"

namespace zithercraft::experiment_internal {
using namespace run_internal;

/// The results of a study, run by run: results.db.
class StudyStore {
 public:
  /// Opens or creates it.
  explicit StudyStore(const std::filesystem::path& folder);

  /// All runs of the plan; those that are not there yet are added with the next free numbers, seed
  /// by seed.
  std::vector<StudyRun> runs(const StudyPlan& plan);
  /// Keeps how a run ended.
  void keep(const StudyRun& run, const Measures& measures);

 private:
  std::vector<StudyRun> stored(const Measures& measures);
  Database db_;
};

}  // namespace zithercraft::experiment_internal
