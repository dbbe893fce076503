#include <fmt/format.h>
#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "doctor/checks.hpp"

namespace zithercraft::doctor_internal {
namespace {

double quantile(std::vector<double> values, double share) {
  std::sort(values.begin(), values.end());
  return values[static_cast<std::size_t>(share * static_cast<double>(values.size() - 1))];
}

std::string ended_by_text(const std::array<std::size_t, 8>& by, std::size_t all) {
  std::string text;
  for (std::size_t i = 0; i < by.size(); ++i)
    if (by[i] > 0)
      text += fmt::format("{}{} {}", text.empty() ? "" : ", ", name_of(static_cast<EndedBy>(i)),
                          percent(static_cast<double>(by[i]) / static_cast<double>(all)));
  return text;
}

}  // namespace

void check_episodes(const Examined& e, Findings& findings) {
  const GameSpec& spec = e.game.spec();
  const auto short_length =
      static_cast<std::uint32_t>(std::max<std::int64_t>(1, 3 / spec.ticks_per_step));
  std::array<std::size_t, 8> by{};
  std::size_t all = 0, brief = 0, verdicts = 0;
  // By names of bodies; of several alike, the one that was out most.
  std::map<std::string, std::size_t> outside;
  std::size_t watched = 0;
  for (const Survey& survey : e.surveys) {
    for (const EpisodeSurvey& episode : survey.roles[0].episodes) {
      if (episode.seat != 0) continue;
      ++all;
      ++by[static_cast<std::size_t>(episode.result.ended_by)];
      verdicts += episode.result.ended_by == EndedBy::verdict ? 1u : 0u;
      if (survey.player == "idle" || survey.player == "random")
        brief += episode.result.length <= short_length ? 1u : 0u;
    }
    watched += survey.moments;
    for (const EntityId body : EntityRange(0, survey.outside.size())) {
      std::size_t& most = outside[e.game.arena().entity(body).name];
      most = std::max(most, survey.outside[body.index()]);
    }
  }
  if (all == 0) {
    findings.push_back({Severity::warning, "episodes do not end", "cutoffs",
                        "no episode ended while players played", "not one in all steps watched",
                        "lower `cutoffs.steps`"});
    return;
  }
  std::size_t begun = 0;
  for (const char* player : {"idle", "random"})
    if (const Survey* survey = e.by(player))
      begun += survey->roles[0].episodes.size() / e.game.roles()[0].seats.size();
  if (begun > 0 && brief * 5 > begun)
    findings.push_back({brief * 2 > begun ? Severity::error : Severity::warning,
                        "episodes end at once", "episodes",
                        "many episodes end within their first three ticks",
                        fmt::format("{} of {} episodes of random and idle play", brief, begun),
                        "keep starts away from what ends an episode (`place.away`, `clearance`)"});
  bool can_end = false;
  for (const RoleSpec& role : spec.roles)
    can_end = can_end || std::any_of(role.rewards.begin(), role.rewards.end(),
                                     [](const Term& term) { return term.ends != Verdict::none; });
  if (can_end && verdicts == 0)
    findings.push_back({Severity::warning, "no verdicts", "episodes",
                        "episodes were only ever ended by cutoffs",
                        fmt::format("of {} episodes: {}", all, ended_by_text(by, all)),
                        "begin nearer to success (stages), or give more time"});
  for (const auto& [name, times] : outside) {
    if (times * 400 < watched || times == 0) continue;
    findings.push_back(
        {spec.cutoffs.too_far.empty() ? Severity::error : Severity::warning, "leaves the arena",
         "body '" + name + "'", "it leaves the arena",
         fmt::format("outside walls and map at {} of {} moments",
                     percent(static_cast<double>(times) / static_cast<double>(watched)), watched),
         "close the walls, or end such episodes with `cutoffs.too_far`"});
  }
}

std::vector<StrangeEpisode> strange_episodes(const Examined& e) {
  struct Candidate {
    double how;
    StrangeEpisode episode;
  };
  std::vector<Candidate> found;
  struct Quality {
    const char* name;
    double (*of)(const EpisodeSurvey&);
  };
  constexpr std::array<Quality, 4> qualities{
      {{"return", [](const EpisodeSurvey& s) { return s.result.episode_return; }},
       {"length", [](const EpisodeSurvey& s) { return static_cast<double>(s.result.length); }},
       {"top speed", [](const EpisodeSurvey& s) { return s.top_speed; }},
       {"distance from the start", [](const EpisodeSurvey& s) { return s.farthest; }}}};
  for (const Survey& survey : e.surveys) {
    const auto& episodes = survey.roles[0].episodes;
    if (episodes.size() < 20) continue;
    for (const Quality& quality : qualities) {
      std::vector<double> values;
      for (const EpisodeSurvey& episode : episodes) values.push_back(quality.of(episode));
      const double low = quantile(values, 0.25), middle = quantile(values, 0.5),
                   high = quantile(values, 0.75);
      const double room = std::max(high - low, 0.02 * std::fabs(middle) + 1e-6);
      for (const EpisodeSurvey& episode : episodes) {
        const double value = quality.of(episode);
        const double how = std::max(value - high, low - value) / room;
        if (how < 4.0) continue;  // Tukey's fences are at 1.5 and 3
        found.push_back({how,
                         {survey.player,
                          episode.key.seed,
                          episode.key.lane,
                          episode.key.episode,
                          fmt::format("{} {:.3g}, the middle half {:.3g} to {:.3g}", quality.name,
                                      value, low, high),
                          {}}});
      }
    }
  }
  std::stable_sort(found.begin(), found.end(),
                   [](const Candidate& a, const Candidate& b) { return a.how > b.how; });
  std::vector<StrangeEpisode> list;
  for (const Candidate& candidate : found) {
    const auto& c = candidate.episode;
    const bool known = std::any_of(list.begin(), list.end(), [&](const StrangeEpisode& s) {
      return s.player == c.player && s.lane == c.lane && s.episode == c.episode;
    });
    if (!known) list.push_back(c);
    if (list.size() == 5) break;
  }
  return list;
}

}  // namespace zithercraft::doctor_internal
