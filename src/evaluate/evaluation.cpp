#include "zithercraft/evaluate/evaluation.hpp"

#include <fmt/format.h>
#include <algorithm>

#include "base/csv_field.hpp"
#include "base/json.hpp"
#include "evaluate/intervals_json.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
using namespace base_internal;
using namespace evaluate_internal;
namespace {

using Of = double (*)(const EpisodeResult&);
double succeeded(const EpisodeResult& e) { return e.outcome == Outcome::success ? 1.0 : 0.0; }
double returned(const EpisodeResult& e) { return e.episode_return; }

std::vector<double> values(const std::vector<EpisodeResult>& episodes, Of of) {
  std::vector<double> list;
  std::transform(episodes.begin(), episodes.end(), std::back_inserter(list), of);
  return list;
}

PlayerScore tally(std::string name, std::vector<EpisodeResult> results,
                  const std::vector<std::string>& terms, const PlayerScore* trained) {
  PlayerScore score{.name = std::move(name),
                    .success = success_interval(results),
                    .episode_return = return_interval(results),
                    .length = mean_interval(values(
                        results, [](const auto& e) { return static_cast<double>(e.length); }))};
  for (std::size_t t = 0; t < terms.size(); ++t) {
    std::vector<double> reward;
    reward.reserve(results.size());
    for (const EpisodeResult& e : results) reward.push_back(e.ledger[t]);
    score.terms.emplace_back(terms[t], mean_interval(reward));
  }
  if (trained != nullptr) {
    score.success_behind =
        paired_difference(values(trained->episodes, succeeded), values(results, succeeded));
    score.return_behind =
        paired_difference(values(trained->episodes, returned), values(results, returned));
  }
  score.episodes = std::move(results);
  return score;
}

struct ScoredLineup {
  std::string name;
  Lineup lineup;
};

std::vector<ScoredLineup> players(const Run& run, const Game& game,
                                  const EvaluationOptions& options) {
  std::vector<ScoredLineup> list;
  const auto add = [&](std::string name, std::unique_ptr<Player> player) {
    list.push_back({std::move(name), Lineup(game, std::move(player), options.seed)});
  };
  const auto trained = [&](const Run& of) {
    return policy_player(game, 0, of.policy(), options.actions, options.seed);
  };
  add("trained", options.as == TrainedAs::latest
                     ? trained(run)
                     : PlayerSource::find(run.folder().string(), options.as)
                           .player(game, 0, options.actions, options.seed));
  for (const std::string& name : options.against) {
    if (name == "random") {
      add(name, random_player(options.seed));
    } else if (name == "script") {
      // Asked for by default, so a role without one is no error; one asked for alone is. A custom
      // game has an expert instead.
      if (game.spec().custom && game.spec().custom->expert)
        add("expert", expert_player(game));
      else if (has_script(game, 0) || options.against.size() == 1)
        add(name, script_player(game, 0));
    } else if (name == "expert") {
      add(name, expert_player(game));
    } else {
      check_opponent(name);
      add(name, trained(Run::open(name)));
    }
  }
  return list;
}

Score evaluate_in(const Game& game, const Run& run, const EvaluationOptions& options) {
  if (options.episodes < 1)
    throw Error(ErrorKind::usage, "no episode to play", "episodes", "give at least 1");
  WorkerPool pool(options.threads);
  Score result{
      game.spec().name,
      run.folder().string(),
      options.seed,
      options.episodes,
      actions_of(run.policy(),
                 PlayerSource::find(run.folder().string(), options.as).actions(options.actions)),
      options.as,
      {}};
  const auto all = players(run, game, options);
  WorkCount progress(options.episodes * static_cast<std::int64_t>(all.size()), options.on_progress);
  for (const ScoredLineup& player : all) {
    auto episodes = play_episodes(game, player.lineup.const_players(), options.episodes,
                                  derived_seed(options.seed, "score"), pool, &progress);
    const PlayerScore* first = result.players.empty() ? nullptr : &result.players.front();
    PlayerScore own = tally(player.name, std::move(episodes), game.roles()[0].terms, first);
    result.players.push_back(std::move(own));
  }
  return result;
}

}  // namespace

Interval success_interval(const std::vector<EpisodeResult>& episodes) {
  const auto successes =
      std::count_if(episodes.begin(), episodes.end(),
                    [](const EpisodeResult& e) { return e.outcome == Outcome::success; });
  return share_interval(static_cast<std::size_t>(successes), episodes.size());
}
Interval return_interval(const std::vector<EpisodeResult>& episodes) {
  return mean_interval(values(episodes, returned));
}

void check_opponent(const std::string& name) {
  if (name != "random" && name != "script" && name != "expert" && !holds_run(name))
    throw Error(ErrorKind::usage, "no player is named '" + name + "'", "against",
                "choose 'random', 'script' or 'expert', or name the folder of a run");
}

Score evaluate(const Run& run, const EvaluationOptions& options) {
  return evaluate_in(run.game(), run, options);
}

Score evaluate(const Run& run, const GameSpec& game, const EvaluationOptions& options) {
  return evaluate_in(Game(game), run, options);
}

std::vector<CheckpointScore> evaluate_checkpoints(const Run& run,
                                                  const EvaluationOptions& options) {
  if (options.episodes < 1)
    throw Error(ErrorKind::usage, "no episode to play", "episodes", "give at least 1");
  GameSpec spec = run.game_spec();
  spec.stages.clear();
  const Game game(spec);
  WorkerPool pool(options.threads);
  std::vector<std::pair<std::string, std::int64_t>> checkpoints;
  for (const std::string& name : run.checkpoint_names())
    checkpoints.emplace_back(name, steps_of(name));
  if (const std::int64_t done = run.steps_done();
      checkpoints.empty() || checkpoints.back().second != done)
    checkpoints.emplace_back("last", done);
  WorkCount progress(options.episodes * static_cast<std::int64_t>(checkpoints.size()),
                     options.on_progress);
  std::vector<CheckpointScore> scores;
  for (const auto& [name, steps] : checkpoints) {
    const Lineup lineup(game,
                        policy_player(game, 0, run.policy(name), options.actions, options.seed),
                        options.seed);
    const auto results = play_episodes(game, lineup.const_players(), options.episodes,
                                       derived_seed(options.seed, "score"), pool, &progress);
    scores.push_back({name, steps, success_interval(results), return_interval(results)});
  }
  return scores;
}

std::string Score::to_json() const {
  Json j{{"game", game},
         {"run", run},
         {"seed", seed},
         {"episodes", episodes},
         {"actions", name_of(actions)},
         {"as", name_of(as)}};
  j["players"] = Json::array();
  for (const PlayerScore& p : players) {
    Json terms = Json::object();
    for (const auto& [name, interval] : p.terms) terms[name] = json_of(interval);
    j["players"].push_back({{"name", p.name},
                            {"success", json_of(p.success)},
                            {"return", json_of(p.episode_return)},
                            {"length", json_of(p.length)},
                            {"terms", terms}});
    if (&p == &players.front()) continue;
    j["players"].back()["trained_minus_this"] = {{"success", json_of(p.success_behind)},
                                                 {"return", json_of(p.return_behind)}};
  }
  return j.dump(2);
}

std::string Score::to_csv() const {
  std::string text = "player,episode,outcome,ended_by,return,steps";
  for (const auto& [term, interval] : players.at(0).terms) text += "," + csv_field("term." + term);
  text += "\n";
  for (const PlayerScore& p : players) {
    const std::size_t seats = p.episodes.size() / static_cast<std::size_t>(episodes);
    for (std::size_t i = 0; i < p.episodes.size(); ++i) {
      const EpisodeResult& e = p.episodes[i];
      text += fmt::format("{},{},{},{},{},{}", csv_field(p.name), i / seats, name_of(e.outcome),
                          name_of(e.ended_by), e.episode_return, e.length);
      for (const double reward : e.ledger) text += fmt::format(",{}", reward);
      text += "\n";
    }
  }
  return text;
}

}  // namespace zithercraft
