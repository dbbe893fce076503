#include "zithercraft/experiment/ablation.hpp"

#include <algorithm>

#include "zithercraft/base/error.hpp"
#include "zithercraft/experiment/measure.hpp"

namespace zithercraft {
namespace {

constexpr const char* as_it_is = "as it is";

}  // namespace

const char* name_of(AblationRow::Verdict verdict) noexcept {
  switch (verdict) {
    case AblationRow::Verdict::unfinished: return "unfinished";
    case AblationRow::Verdict::helps: return "helps";
    case AblationRow::Verdict::hurts: return "hurts";
    case AblationRow::Verdict::not_shown: return "no effect shown";
  }
  return "unknown";
}

StudyPlan ablation_plan(StudyPlan plan, const AblationParts& parts) {
  std::vector<std::string> names;
  const RoleSpec& role = plan.games.at(0).roles.at(0);
  if (parts.terms)
    for (const Term& term : role.rewards)
      if (term.weight != 0.0) names.push_back("term." + term.name);
  if (parts.senses && role.senses.size() > 1)
    for (const Sense& sense : role.senses)
      names.push_back("sense." + std::visit([](const auto& s) { return s.name; }, sense));
  if (names.empty())
    throw Error(ErrorKind::usage, "there is nothing to take away", "role '" + role.name + "'",
                "choose terms, or senses of a role that has several");
  plan.variants = {{.name = as_it_is}};
  for (const std::string& name : names)
    plan.variants.push_back({.name = "without " + name, .without = {name}});
  return plan;
}

std::vector<AblationRow> ablation_table(const Study& study, const std::string& measure) {
  const StudyPlan& plan = study.plan();
  if (plan.variants.front().name != as_it_is || plan.variants.size() < 2 ||
      !std::all_of(plan.variants.begin() + 1, plan.variants.end(), [](const Variant& v) {
        return v.without.size() == 1 && v.set.empty() && v.method.empty() && v.learner.empty();
      }))
    throw Error(ErrorKind::refused, "the study takes nothing away", study.folder().string(),
                "name the folder of an ablation");
  const auto with = study.values(plan.games.at(0).name, as_it_is, measure);
  std::vector<AblationRow> rows;
  for (const Variant& variant : plan.variants) {
    const auto values = study.values(plan.games[0].name, variant.name, measure);
    AblationRow row{.part = variant.without.empty() ? "" : variant.without.front(),
                    .runs = values.size(),
                    .of = plan.seeds.size()};
    if (!values.empty()) row.value = measure_interval(measure, values, plan.episodes);
    if (!row.part.empty() && !values.empty() && !with.empty()) {
      row.effect = measure_difference(measure, with, values);
      if (row.runs == row.of && with.size() == row.of)
        row.verdict = row.effect.low > 0.0    ? AblationRow::Verdict::helps
                      : row.effect.high < 0.0 ? AblationRow::Verdict::hurts
                                              : AblationRow::Verdict::not_shown;
    }
    rows.push_back(std::move(row));
  }
  std::stable_sort(rows.begin() + 1, rows.end(), [](const AblationRow& a, const AblationRow& b) {
    return a.effect.mean > b.effect.mean;
  });
  return rows;
}

}  // namespace zithercraft
