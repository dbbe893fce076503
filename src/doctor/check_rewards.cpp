#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <numeric>

#include "doctor/checks.hpp"

namespace zithercraft::doctor_internal {
namespace {

struct Mean {
  double value = 0.0;
  std::size_t count = 0;
};

template <class Use, class Value>
Mean mean_of(const std::vector<EpisodeSurvey>& episodes, const Use& use, const Value& value) {
  Mean mean;
  for (const EpisodeSurvey& e : episodes)
    if (use(e)) {
      mean.value += value(e);
      ++mean.count;
    }
  mean.value /= static_cast<double>(std::max<std::size_t>(1, mean.count));
  return mean;
}

bool has_verdict(const RoleSpec& role, Verdict verdict) {
  return std::any_of(role.rewards.begin(), role.rewards.end(),
                     [&](const Term& term) { return term.ends == verdict; });
}

class RewardChecks {
 public:
  RewardChecks(const Examined& e, std::size_t role, Findings& findings)
      : e_(e), role_(role), spec_(e.game.spec().roles[role]), findings_(findings) {}

  void check() {
    check_triggers();
    check_swamping();
    // What success is worth, if any player succeeded.
    Mean success;
    for (const Survey& survey : e_.surveys) {
      const Mean own = mean_of(
          survey.roles[role_].episodes,
          [](const EpisodeSurvey& s) { return s.result.outcome == Outcome::success; },
          [](const EpisodeSurvey& s) { return s.result.episode_return; });
      success.value = (success.value * static_cast<double>(success.count) +
                       own.value * static_cast<double>(own.count)) /
                      static_cast<double>(std::max<std::size_t>(1, success.count + own.count));
      success.count += own.count;
    }
    check_against_success("idle", "doing nothing", "idle agent earns more", success);
    check_against_success("to and fro", "going to and fro", "dithering earns more", success);
    check_idle_pay(success);
  }

 private:
  void add(Severity severity, const char* check, const std::string& subject, std::string what,
           std::string evidence, std::string fix) {
    findings_.push_back({severity, check,
                         role_name(e_.game, role_) + (subject.empty() ? "" : ", " + subject),
                         std::move(what), std::move(evidence), std::move(fix)});
  }

  void check_triggers() {
    const auto& terms = e_.game.roles()[role_].terms;
    for (std::size_t t = 0; t < terms.size(); ++t) {
      std::size_t times = 0;
      std::int64_t steps = 0;
      for (const Survey& survey : e_.surveys) {
        times += survey.roles[role_].terms[t].times;
        steps += survey.steps;
      }
      if (times > 0 || steps == 0) continue;
      const bool nothing = spec_.rewards[t].weight == 0.0;
      add(nothing ? Severity::note : Severity::warning, "term without reward",
          "term '" + terms[t] + "'",
          nothing ? "has weight 0 and pays nothing" : "gave no reward to any player",
          fmt::format("0 rewards in {} steps", steps),
          nothing ? "give it a weight, or leave it out"
                  : "check what triggers it; if it is only rare, add a term that leads there or "
                    "stages that begin nearer");
    }
  }

  void check_swamping() {
    const auto& terms = e_.game.roles()[role_].terms;
    std::vector<double> sizes(terms.size());
    for (const Survey& survey : e_.surveys)
      for (std::size_t t = 0; t < terms.size(); ++t)
        sizes[t] += survey.roles[role_].terms[t].absolute;
    const double all = std::accumulate(sizes.begin(), sizes.end(), 0.0);
    for (std::size_t t = 0; t < terms.size(); ++t) {
      const double rest = all - sizes[t];
      if (terms.size() < 2 || rest <= 0.0 || sizes[t] < 50.0 * rest) continue;
      add(Severity::warning, "swamping term", "term '" + terms[t] + "'",
          fmt::format("pays {:.0f} times as much as all other terms together", sizes[t] / rest),
          fmt::format("{} of all rewards by size", percent(sizes[t] / all)),
          "lower its weight, or limit it with `most_per_episode`");
    }
  }

  void check_against_success(const char* player, const char* doing, const char* check,
                             const Mean& success) {
    const Survey* survey = e_.by(player);
    if (survey == nullptr || success.count < 3 || !has_verdict(spec_, Verdict::success)) return;
    const auto& episodes = survey->roles[role_].episodes;
    // What counts is the reward of continuing so, without a lucky end; a learner finds the best
    // form of it.
    std::vector<double> returns;
    for (const EpisodeSurvey& s : episodes)
      if (s.result.outcome != Outcome::success) returns.push_back(s.result.episode_return);
    if (returns.size() < 3) return;
    std::sort(returns.rbegin(), returns.rend());
    const std::size_t best = std::max<std::size_t>(1, returns.size() / 10);
    const double own =
        std::accumulate(returns.begin(), returns.begin() + static_cast<std::ptrdiff_t>(best), 0.0) /
        static_cast<double>(best);
    if (own <= success.value) return;
    add(Severity::error, check, "", fmt::format("{} can earn more than success", doing),
        fmt::format("{:.3g} per episode in the best tenth of {} episodes, success {:.3g} in {}",
                    own, returns.size(), success.value, success.count),
        best_term(*survey));
  }

  // The term that pays those who get nowhere.
  std::string best_term(const Survey& survey) const {
    const auto& reward = survey.roles[role_].terms;
    const auto best = std::max_element(
        reward.begin(), reward.end(),
        [](const TermSurvey& a, const TermSurvey& b) { return a.reward < b.reward; });
    return fmt::format(
        "'{}' pays for it: pay progress instead, or limit it with `counts` or `most_per_episode`; "
        "let "
        "success pay more, and time cost something",
        e_.game.roles()[role_].terms[static_cast<std::size_t>(best - reward.begin())]);
  }

  void check_idle_pay(const Mean& success) {
    const Survey* idle = e_.by("idle");
    if (idle == nullptr || !has_verdict(spec_, Verdict::success)) return;
    const RoleSurvey& s = idle->roles[role_];
    if (s.episodes.empty()) return;
    const Mean length = mean_of(
        s.episodes, [](const EpisodeSurvey&) { return true; },
        [](const EpisodeSurvey& one) { return static_cast<double>(one.result.length); });
    // Only what comes again and again, not what a lucky start brings once.
    const auto& terms = e_.game.roles()[role_].terms;
    double steady = 0.0;
    for (std::size_t t = 0; t < terms.size(); ++t)
      if (static_cast<double>(s.terms[t].times) >
          0.5 * static_cast<double>(idle->steps) / static_cast<double>(e_.game.roles().size()))
        steady += s.terms[t].reward;
    const double each = steady / std::max(1.0, static_cast<double>(idle->steps) /
                                                   static_cast<double>(e_.game.roles().size()));
    if (each <= 0.0) return;
    add(success.count > 0 && each * length.value > 0.5 * success.value ? Severity::error
                                                                       : Severity::warning,
        "waiting pays", "", "episodes pay more the longer nothing happens",
        fmt::format("an idle agent gets {:.3g} at every step, {:.3g} over an episode of {:.0f}",
                    each, each * length.value, length.value),
        "let time cost something (a term with `each_step` and a negative weight)");
  }

  const Examined& e_;
  std::size_t role_;
  const RoleSpec& spec_;
  Findings& findings_;
};

}  // namespace

void check_rewards(const Examined& e, Findings& findings) {
  for (std::size_t r = 0; r < e.game.roles().size(); ++r) RewardChecks(e, r, findings).check();
}

}  // namespace zithercraft::doctor_internal
