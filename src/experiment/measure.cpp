#include "zithercraft/experiment/measure.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <optional>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/run/metrics.hpp"

namespace zithercraft {
namespace {

constexpr std::string_view term_prefix = "term.", event_prefix = "events.";
const std::vector<std::string> plain_measures{"success", "return", "length", "steps_to_target",
                                              "seconds_to_target"};

std::string after(std::string_view prefix, const std::string& measure) {
  return measure.substr(prefix.size());
}

std::size_t term_number(const GameSpec& game, const std::string& name, const std::string& measure) {
  const auto& terms = game.roles.at(0).rewards;
  std::vector<std::string> names;
  for (std::size_t t = 0; t < terms.size(); ++t) {
    if (terms[t].name == name) return t;
    names.push_back(terms[t].name);
  }
  throw Error(ErrorKind::spec, "the role has no term '" + name + "'", "measure '" + measure + "'",
              advice(name, names));
}

// The game whose terms pay 1 for each event, so that a ledger counts them.
GameSpec counting(GameSpec game) {
  for (Term& term : game.roles.at(0).rewards) {
    if (!term.on) continue;
    term.weight = 1.0;
    term.most_per_step.reset();
    term.most_per_episode.reset();
  }
  return game;
}

std::vector<EpisodeResult> play(const Run& run, const GameSpec& spec, std::int64_t episodes,
                                std::uint64_t seed, WorkerPool& pool,
                                WorkCount* progress = nullptr) {
  const Game game(spec);
  const Lineup lineup(game, policy_player(game, 0, run.policy()), seed);
  return play_episodes(game, lineup.const_players(), episodes, derived_seed(seed, "score"), pool,
                       progress);
}

double mean(const std::vector<EpisodeResult>& results,
            const std::function<double(const EpisodeResult&)>& of) {
  double sum = 0.0;
  for (const EpisodeResult& e : results) sum += of(e);
  return sum / static_cast<double>(results.size());
}

// The first update at which the success of the last 100 episodes reached the target.
std::optional<MetricsRow> reached(const Run& run, double target) {
  const auto rows = Metrics(run.metrics()).rows();
  std::int64_t episodes = 0;
  const auto found = std::find_if(rows.begin(), rows.end(), [&](const MetricsRow& row) {
    episodes += row.episodes;
    return row.recent_success >= target && episodes >= 100;
  });
  return found == rows.end() ? std::nullopt : std::optional(*found);
}

}  // namespace

void check_measures(const GameSpec& game, const Measures& measures) {
  for (const std::string& measure : measures) {
    if (measure.starts_with(term_prefix)) {
      term_number(game, after(term_prefix, measure), measure);
    } else if (measure.starts_with(event_prefix)) {
      const std::size_t term = term_number(game, after(event_prefix, measure), measure);
      if (!game.roles[0].rewards[term].on)
        throw Error(ErrorKind::spec,
                    "the term '" + game.roles[0].rewards[term].name + "' does not pay on an event",
                    "measure '" + measure + "'",
                    "name a term with `on`, or measure term." + game.roles[0].rewards[term].name);
    } else if (std::find(plain_measures.begin(), plain_measures.end(), measure) ==
               plain_measures.end()) {
      throw Error(
          ErrorKind::spec, "there is no measure '" + measure + "'", "measures",
          advice(measure, plain_measures) + " Terms are measured as term.NAME and events.NAME");
    }
  }
}

std::vector<double> take_measures(const Run& run, const GameSpec& game, const Measures& measures,
                                  std::int64_t episodes, std::uint64_t seed, double target,
                                  WorkerPool& pool, WorkCount* progress) {
  const auto results = play(run, game, episodes, seed, pool, progress);
  const bool counts = std::any_of(measures.begin(), measures.end(), [](const std::string& measure) {
    return measure.starts_with(event_prefix);
  });
  const auto counted =
      counts ? play(run, counting(game), episodes, seed, pool) : std::vector<EpisodeResult>{};
  const auto value = [&](const std::string& measure) {
    if (measure == "success")
      return mean(results, [](const auto& e) { return e.outcome == Outcome::success ? 1.0 : 0.0; });
    if (measure == "return") return mean(results, [](const auto& e) { return e.episode_return; });
    if (measure == "length")
      return mean(results, [](const auto& e) { return static_cast<double>(e.length); });
    if (measure == "steps_to_target" || measure == "seconds_to_target") {
      const auto row = reached(run, target);
      if (!row) return std::numeric_limits<double>::infinity();
      return measure == "seconds_to_target" ? row->seconds : static_cast<double>(row->steps);
    }
    const bool event = measure.starts_with(event_prefix);
    const std::size_t term =
        term_number(game, after(event ? event_prefix : term_prefix, measure), measure);
    return mean(event ? counted : results, [&](const auto& e) { return e.ledger[term]; });
  };
  std::vector<double> values;
  std::transform(measures.begin(), measures.end(), std::back_inserter(values), value);
  return values;
}

namespace {

bool is_share(const std::string& measure) { return measure == "success"; }
bool is_count(const std::string& measure) {
  return measure == "length" || measure == "steps_to_target" || measure == "seconds_to_target" ||
         measure.starts_with(event_prefix);
}

Interval measure_within(const Interval& interval, double low, double high) {
  return {interval.mean, std::max(low, interval.low), std::min(high, interval.high)};
}

}  // namespace

Interval measure_interval(const std::string& measure, std::span<const double> values,
                          std::int64_t episodes) {
  Interval found = repetitions_interval(values);
  const auto played = static_cast<std::size_t>(episodes) * values.size();
  if (is_share(measure)) {
    // Policies that all did the same still were seen for so many episodes alone.
    double sum = 0.0;
    for (const double v : values) sum += v;
    const double share = sum / static_cast<double>(values.size());
    const Interval seen = share_interval(
        static_cast<std::size_t>(std::llround(share * static_cast<double>(played))), played);
    found = {found.mean, std::min(found.low, seen.low), std::max(found.high, seen.high)};
    return measure_within(found, 0.0, 1.0);
  }
  if (!is_count(measure)) return found;
  const bool none = std::all_of(values.begin(), values.end(), [](double v) { return v == 0.0; });
  if (none && measure.starts_with(event_prefix))
    return count_interval(std::vector<double>(played, 0.0));
  return measure_within(found, 0.0, std::numeric_limits<double>::infinity());
}

Interval measure_difference(const std::string& measure, std::span<const double> a,
                            std::span<const double> b) {
  const Interval found = repetitions_difference(a, b);
  return is_share(measure) ? measure_within(found, -1.0, 1.0) : found;
}

std::string too_few_seeds(std::size_t seeds) {
  if (seeds >= least_repetitions) return "";
  return seeds == 1 ? "One seed says nothing about others: give at least 3."
                    : std::to_string(seeds) +
                          " seeds are too few to say much about others: give at least 3.";
}

}  // namespace zithercraft
