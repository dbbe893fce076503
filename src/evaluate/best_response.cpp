#include "zithercraft/evaluate/best_response.hpp"

#include <algorithm>
#include <memory>
#include <utility>

#include "base/json.hpp"
#include "evaluate/intervals_json.hpp"
#include "evaluate/opposed_sides.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
using namespace evaluate_internal;
namespace {

class Search {
 public:
  Search(const GameSpec& spec, const PlayerSource& player, const BestResponseOptions& options)
      : game_(spec),
        player_(player),
        options_(options),
        pool_(options.threads),
        sides_(opposed_sides(game_, "a best response")),
        progress_(2 * options.steps, options.on_progress) {}

  Exploitability find() {
    Exploitability found{.game = game_.spec().name,
                         .player = player_.name(),
                         .as = player_.as(),
                         .actions = player_.actions(options_.actions),
                         .options = options_};
    const auto as_it_is = play(lineup({}, nullptr));
    std::vector<double> sums(static_cast<std::size_t>(options_.episodes));
    for (std::size_t s = 0; s < 2; ++s) {
      const std::string& side = sides_[s];
      const auto own = returns(as_it_is, side),
                 other = returns(play(lineup(side, respond(side).get())), side);
      for (std::size_t e = 0; e < sums.size(); ++e) sums[e] += other[e] - own[e];
      found.responses.push_back(
          {side, mean_interval(own), mean_interval(other), paired_difference(other, own)});
    }
    found.sum = mean_interval(sums);
    return found;
  }

 private:
  using Players = std::vector<std::shared_ptr<const Player>>;  // of each role

  std::shared_ptr<const Player> usual(std::size_t role) {
    const Role& own = game_.roles()[role];
    if (own.side.empty()) return usual_player(game_, role, options_.seed);
    return player_.player(game_, role, options_.actions, derived_seed(options_.seed, own.name));
  }

  std::unique_ptr<Learner> respond(const std::string& side) {
    std::vector<RolePlayer> players(game_.roles().size());
    for (std::size_t r = 0; r < players.size(); ++r)
      if (game_.roles()[r].side != side) players[r].player = usual(r);
    auto learner = std::make_unique<Ppo>(game_, PolicyGradientSettings{},
                                         derived_seed(options_.seed, "response as " + side),
                                         options_.steps, pool_, nullptr, std::move(players));
    while (learner->steps() < options_.steps) {
      const std::int64_t before = learner->steps();
      learner->collect();
      learner->improve();
      progress_.add(std::min(learner->steps(), options_.steps) - before);
    }
    return learner;
  }

  // The player on all sides, except that the response takes one.
  Players lineup(const std::string& side, const Learner* response) {
    Players players;
    for (std::size_t r = 0; r < game_.roles().size(); ++r)
      players.push_back(
          response != nullptr && game_.roles()[r].side == side
              ? std::shared_ptr<const Player>(policy_player(game_, r, response->policy(r)))
              : usual(r));
    return players;
  }

  std::vector<std::vector<EpisodeResult>> play(const Players& players) {
    std::vector<const Player*> list;
    for (const auto& player : players) list.push_back(player.get());
    return play_all_roles(game_, list, options_.episodes, derived_seed(options_.seed, "score"),
                          pool_);
  }

  // Of each episode, in the mean over a side's seats.
  std::vector<double> returns(const std::vector<std::vector<EpisodeResult>>& results,
                              const std::string& side) const {
    std::vector<double> sums(static_cast<std::size_t>(options_.episodes));
    double seats = 0.0;
    for (std::size_t r = 0; r < results.size(); ++r) {
      if (game_.roles()[r].side != side) continue;
      const std::size_t each = game_.roles()[r].seats.size();
      seats += static_cast<double>(each);
      for (std::size_t i = 0; i < results[r].size(); ++i)
        sums[i / each] += results[r][i].episode_return;
    }
    for (double& sum : sums) sum /= seats;
    return sums;
  }

  Game game_;
  const PlayerSource& player_;
  const BestResponseOptions& options_;
  WorkerPool pool_;
  std::vector<std::string> sides_;
  WorkCount progress_;
};

}  // namespace

Exploitability exploitability(const GameSpec& game, const PlayerSource& player,
                              const BestResponseOptions& options) {
  if (options.steps < 1)
    throw Error(ErrorKind::usage, "no step to train a response", "steps", "give at least 1");
  if (options.episodes < 1)
    throw Error(ErrorKind::usage, "no episode to play", "episodes", "give at least 1");
  return Search(game, player, options).find();
}

std::string Exploitability::to_json() const {
  Json j{{"game", game},
         {"player", player},
         {"steps", options.steps},
         {"episodes", options.episodes},
         {"seed", options.seed},
         {"as", name_of(as)},
         {"actions", name_of(actions)}};
  j["responses"] = Json::array();
  for (const BestResponse& r : responses)
    j["responses"].push_back({{"side", r.side},
                              {"player_return", json_of(r.player_return)},
                              {"return_against", json_of(r.return_against)},
                              {"gain", json_of(r.gain)}});
  j["exploitability"] = json_of(sum);
  return j.dump(2);
}

}  // namespace zithercraft
