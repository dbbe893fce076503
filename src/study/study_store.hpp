#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "sqlite.hpp"
#include "zithercraft/study/study.hpp"

namespace zithercraft {

/// The results of a study, trial by trial: results.db.
class StudyStore {
 public:
  /// Opens or creates it.
  explicit StudyStore(const std::filesystem::path& folder);

  /// All trials of the plan; those that are not there yet are added with the next free numbers, seed by seed.
  std::vector<Trial> trials(const StudyPlan& plan);
  /// Keeps how a trial ended.
  void keep(const Trial& trial, const Measures& measures);

 private:
  std::vector<Trial> stored(const Measures& measures);
  Database db_;
};

}  // namespace zithercraft
