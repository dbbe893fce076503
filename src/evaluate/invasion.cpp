#include "zithercraft/evaluate/invasion.hpp"

#include <algorithm>
#include <cmath>

#include "base/json.hpp"
#include "evaluate/intervals_json.hpp"
#include "evaluate/mixed_seats.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
using namespace evaluate_internal;
namespace {

std::size_t role_to_invade(const Game& game, const std::string& name) {
  std::vector<std::string> names;
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const Role& role = game.roles()[r];
    names.push_back(role.name);
    if (name.empty() ? role.seats.size() < 2 : role.name != name) continue;
    if (role.seats.size() > 1) return r;
    throw Error(ErrorKind::refused, "the role '" + name + "' has one seat, so nobody is beside it",
                "role", "name a role with several");
  }
  if (name.empty())
    throw Error(ErrorKind::refused, "no role of the game has several seats",
                "game '" + game.spec().name + "'", "invade games in which many are alike");
  throw Error(ErrorKind::usage, "the game has no role '" + name + "'", "role", advice(name, names));
}

class InvasionSurvey {
 public:
  InvasionSurvey(const GameSpec& spec, const std::vector<PlayerSource>& players,
                 const InvasionOptions& options)
      : game_(spec),
        players_(players),
        options_(options),
        pool_(options.threads),
        role_(role_to_invade(game_, options.role)),
        seats_(game_.roles()[role_].seats.size()) {
    const double wanted = std::floor(options.share * static_cast<double>(seats_) + 0.5);
    few_ = std::clamp<std::size_t>(static_cast<std::size_t>(wanted), 1, seats_ - 1);
  }

  InvasionTable measure() {
    InvasionTable table{.game = game_.spec().name,
                        .role = game_.roles()[role_].name,
                        .few = few_,
                        .seats = seats_,
                        .episodes = options_.episodes};
    WorkCount progress(
        static_cast<std::int64_t>(players_.size() * (players_.size() - 1)) * options_.episodes,
        options_.on_progress);
    for (const PlayerSource& few : players_)
      for (const PlayerSource& many : players_)
        if (&few != &many) table.rows.push_back(invade(few, many, progress));
    return table;
  }

 private:
  std::unique_ptr<Player> player(const PlayerSource& source, const char* purpose) const {
    return source.player(game_, role_, options_.actions, derived_seed(options_.seed, purpose));
  }

  Invasion invade(const PlayerSource& few, const PlayerSource& many, WorkCount& progress) {
    std::vector<bool> own(seats_, false);
    std::fill_n(own.begin(), few_, true);
    std::vector<std::unique_ptr<Player>> lineup;
    for (std::size_t r = 0; r < game_.roles().size(); ++r)
      lineup.push_back(r == role_ ? std::make_unique<MixedSeats>(own, player(few, "invader"),
                                                                 player(many, "resident"))
                                  : usual_player(game_, r, options_.seed));
    std::vector<const Player*> players;
    for (const auto& one : lineup) players.push_back(one.get());
    const auto results = play_all_roles(game_, players, options_.episodes,
                                        derived_seed(options_.seed, "score"), pool_, &progress);
    std::vector<double> of_few, of_many;
    for (std::size_t e = 0; e < static_cast<std::size_t>(options_.episodes); ++e) {
      double sums[2] = {0.0, 0.0};
      for (std::size_t seat = 0; seat < seats_; ++seat)
        sums[seat < few_ ? 0 : 1] += results[role_][e * seats_ + seat].episode_return;
      of_few.push_back(sums[0] / static_cast<double>(few_));
      of_many.push_back(sums[1] / static_cast<double>(seats_ - few_));
    }
    return {few.name(), many.name(), mean_interval(of_few), mean_interval(of_many),
            paired_difference(of_few, of_many)};
  }

  Game game_;
  const std::vector<PlayerSource>& players_;
  const InvasionOptions& options_;
  WorkerPool pool_;
  std::size_t role_, seats_, few_ = 1;
};

}  // namespace

InvasionTable measure_invasion(const GameSpec& game, const std::vector<PlayerSource>& players,
                               const InvasionOptions& options) {
  if (players.size() < 2)
    throw Error(ErrorKind::usage, "one player has nobody to invade", "players", "name two or more");
  if (options.episodes < 1)
    throw Error(ErrorKind::usage, "no episode to play", "episodes", "give at least 1");
  if (!(options.share > 0.0 && options.share < 1.0))
    throw Error(ErrorKind::usage, "the share of invaders is no part of all", "share",
                "give a number above 0 and below 1");
  for (const PlayerSource& player : players)
    if (player.recording())
      throw Error(ErrorKind::refused, "a recording plays all seats as they were played",
                  "'" + player.name() + "'", "name policies, scripts or random");
  return InvasionSurvey(game, players, options).measure();
}

std::string InvasionTable::to_json() const {
  Json j{{"game", game},   {"role", role},         {"few", few},
         {"seats", seats}, {"episodes", episodes}, {"rows", Json::array()}};
  for (const Invasion& row : rows)
    j["rows"].push_back({{"invader", row.invader},
                         {"resident", row.resident},
                         {"few", json_of(row.few)},
                         {"many", json_of(row.many)},
                         {"difference", json_of(row.difference)}});
  return j.dump(2);
}

}  // namespace zithercraft
