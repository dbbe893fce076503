#include <fmt/format.h>
#include <algorithm>

#include "doctor/checks.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft::doctor_internal {

// Whoever plays, what no rule ever does is not part of the game that is learned.
void check_rules(const Examined& e, Findings& findings) {
  const auto& rules = e.game.spec().rules;
  std::size_t played = 0;
  std::string watched;
  for (const Survey& survey : e.surveys) {
    played += survey.moments;
    watched += (watched.empty() ? "" : ", ") + survey.player;
  }
  for (std::size_t i = 0; i < rules.size() && played > 0; ++i) {
    if (rules[i].coded()) continue;
    const bool ever = std::any_of(e.surveys.begin(), e.surveys.end(), [&](const Survey& s) {
      return i < s.rules.size() && s.rules[i] > 0;
    });
    if (ever) continue;
    findings.push_back(
        {Severity::warning, "a rule that is never carried out",
         fmt::format("rules[{}] '{}'", i, rules[i].name), in_words(rules[i]),
         fmt::format("not once in {} steps of lanes, played by: {}", played, watched),
         "if it should happen in such play, check its tags, places and numbers; if it takes skill, "
         "begin some episodes near to it (stages)"});
  }
}

}  // namespace zithercraft::doctor_internal
