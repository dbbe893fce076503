#include "zithercraft/study/score.hpp"

#include <nlohmann/json.hpp>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
namespace {

PilotScore tally(const Pilot& pilot, const std::vector<EpisodeResult>& results, const std::vector<std::string>& terms) {
  std::vector<double> returns, lengths;
  std::size_t successes = 0;
  for (const EpisodeResult& e : results) {
    returns.push_back(e.episode_return);
    lengths.push_back(static_cast<double>(e.length));
    successes += e.outcome == Outcome::success ? 1 : 0;
  }
  PilotScore score{
      pilot.name(), share_interval(successes, results.size()), mean_interval(returns), mean_interval(lengths), {}};
  for (std::size_t t = 0; t < terms.size(); ++t) {
    std::vector<double> paid;
    for (const EpisodeResult& e : results) paid.push_back(e.ledger[t]);
    score.terms.emplace_back(terms[t], mean_interval(paid));
  }
  return score;
}

std::vector<Crew> crews_of(const Run& run, const Game& game, const ScoreOptions& options) {
  std::vector<Crew> crews;
  const auto add = [&](std::unique_ptr<Pilot> pilot) { crews.emplace_back(game, std::move(pilot), options.seed); };
  add(policy_pilot(game, 0, run.policy()));
  for (const std::string& name : options.against) {
    if (name == "random") {
      add(random_pilot(options.seed));
    } else if (name == "script") {
      // Asked for by default, so a role without one is no error; one asked for alone is.
      if (game.spec().roles[0].script.playable() || options.against.size() == 1) add(script_pilot(game, 0));
    } else {
      throw Error(Fault::usage, "no pilot is named '" + name + "'", "against", "choose 'random' or 'script'");
    }
  }
  return crews;
}

nlohmann::ordered_json to_json_value(const Interval& i) { return {{"mean", i.mean}, {"low", i.low}, {"high", i.high}}; }

}  // namespace

Score score(const Run& run, const ScoreOptions& options) {
  if (options.episodes < 1) throw Error(Fault::usage, "no episode to play", "episodes", "give at least 1");
  const Game game = run.game();
  WorkerPool pool(options.threads);
  Score result{game.spec().name, run.folder().string(), options.seed, options.episodes, {}};
  for (const Crew& crew : crews_of(run, game, options))
    result.pilots.push_back(tally(
        crew.first(), play_episodes(game, crew.pilots(), options.episodes, derived_seed(options.seed, "score"), pool),
        game.roles()[0].terms));
  return result;
}

std::string Score::to_json() const {
  nlohmann::ordered_json j{{"game", game}, {"run", run}, {"seed", seed}, {"episodes", episodes}};
  j["pilots"] = nlohmann::ordered_json::array();
  for (const PilotScore& p : pilots) {
    nlohmann::ordered_json terms = nlohmann::ordered_json::object();
    for (const auto& [name, interval] : p.terms) terms[name] = to_json_value(interval);
    j["pilots"].push_back({{"name", p.name},
                           {"success", to_json_value(p.success)},
                           {"return", to_json_value(p.episode_return)},
                           {"length", to_json_value(p.length)},
                           {"terms", terms}});
  }
  return j.dump(2);
}

}  // namespace zithercraft
