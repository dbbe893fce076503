#pragma once

#include <string>
#include <vector>

#include "zithercraft/experiment/study.hpp"

namespace zithercraft {

/// What is taken away in turn.
struct AblationParts {
  /// each term of the first role's rewards that pays something: it pays nothing then
  bool terms = true;
  bool senses = true;  ///< each of its senses, if there are two or more
};

/// The plan with the game as it is and a variant without each part. Throws Error (usage) if nothing
/// can be taken away.
StudyPlan ablation_plan(StudyPlan plan, const AblationParts& parts = {});

/// What a part is worth: how much a measure falls without it.
struct AblationRow {
  std::string part{};            ///< "term.NAME" or "sense.NAME"; empty for the game as it is
  std::size_t runs = 0, of = 0;  ///< trainings that are done, of how many
  Interval value{};              ///< of the measure
  Interval effect{};             ///< with it less without it; over the seeds
  /// What was shown of a part.
  enum class Verdict { unfinished, helps, hurts, not_shown };
  Verdict verdict = Verdict::unfinished;  ///< what was shown of this one
};
/// The words for it.
const char* name_of(AblationRow::Verdict verdict) noexcept;

/// The game as it is first, then the parts by their effect, greatest first. Throws Error (refused)
/// if the study is no ablation.
std::vector<AblationRow> ablation_table(const Study& study, const std::string& measure = "success");

}  // namespace zithercraft
