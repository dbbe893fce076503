#include "zithercraft/evaluate/matches.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

#include "base/json.hpp"
#include "evaluate/intervals_json.hpp"
#include "evaluate/opposed_sides.hpp"
#include "evaluate/recorded_episode.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
using namespace evaluate_internal;
namespace {

// An episode as two sides see it.
struct Bout {
  std::size_t a = 0;  // the player of the first side
  std::size_t b = 0;  // the second
  std::uint32_t episode = 0;
  int winner = 0;  // 1: the first side, -1: the second, 0: nobody
  double first_return = 0.0, second_return = 0.0, length = 0.0;
  std::vector<double> first_terms{}, second_terms{};
};

std::vector<std::string> terms_of(const Game& game, const std::string& side) {
  for (const Role& role : game.roles())
    if (role.side == side) return role.terms;
  return {};
}

class Tournament {
 public:
  Tournament(const GameSpec& spec, const std::vector<PlayerSource>& players,
             const MatchOptions& options)
      : game_(spec),
        sides_(opposed_sides(game_, "a match")),
        players_(players),
        options_(options),
        pool_(options.threads) {}

  MatchTable play() {
    MatchTable table{game_.spec().name, sides_, {}, options_, {}, {}, {}, {}};
    for (const PlayerSource& player : players_) table.players.push_back(player.name());
    const auto pairs = seatings();
    WorkCount progress(static_cast<std::int64_t>(pairs.size()) * options_.episodes,
                       options_.on_progress);
    for (const auto& [a, b] : pairs) play_seating(a, b, progress);
    for (std::size_t a = 0; a < players_.size(); ++a)
      for (std::size_t b = a + 1; b < players_.size(); ++b) table.pairings.push_back(pairing(a, b));
    std::vector<Tally> tallies;
    for (const Pairing& m : table.pairings) tallies.push_back(m.tally);
    table.ratings = fit_ratings(players_.size(), tallies);
    table.cycles = find_cycles(tallies);
    if (!options_.replays.empty()) keep_notable(table);
    return table;
  }

 private:
  std::string objection(std::size_t player, std::size_t side) const {
    for (std::size_t r = 0; r < game_.roles().size(); ++r)
      if (game_.roles()[r].side == sides_[side])
        if (auto text = players_[player].objection(game_, r); !text.empty()) return text;
    return {};
  }

  // Which player takes which side against which: both seatings where possible.
  std::vector<std::pair<std::size_t, std::size_t>> seatings() const {
    std::vector<std::array<std::string, 2>> objections;
    for (std::size_t p = 0; p < players_.size(); ++p)
      objections.push_back({objection(p, 0), objection(p, 1)});
    const auto fits = [&](std::size_t p, std::size_t side) { return objections[p][side].empty(); };
    std::vector<std::pair<std::size_t, std::size_t>> list;
    for (std::size_t a = 0; a < players_.size(); ++a)
      for (std::size_t b = a + 1; b < players_.size(); ++b) {
        const std::size_t before = list.size();
        if (fits(a, 0) && fits(b, 1)) list.emplace_back(a, b);
        if (fits(b, 0) && fits(a, 1)) list.emplace_back(b, a);
        if (list.size() > before) continue;
        const std::size_t p = fits(a, 0) || fits(a, 1) ? b : a;
        throw Error(ErrorKind::refused,
                    "'" + players_[a].name() + "' and '" + players_[b].name() +
                        "' cannot be seated against each other",
                    "'" + players_[p].name() + "'",
                    objections[p][0].empty() ? objections[p][1] : objections[p][0]);
      }
    return list;
  }

  std::vector<std::unique_ptr<Player>> players(std::size_t a, std::size_t b) const {
    std::vector<std::unique_ptr<Player>> list;
    for (std::size_t r = 0; r < game_.roles().size(); ++r) {
      const std::string& side = game_.roles()[r].side;
      if (side.empty()) {
        list.push_back(usual_player(game_, r, options_.seed));
      } else {
        const std::size_t player = side == sides_[0] ? a : b;
        // Of two that play the same policy, each samples its own actions.
        const std::uint64_t own = derived_seed(options_.seed, game_.roles()[r].name);
        list.push_back(players_[player].player(game_, r, options_.actions, own));
      }
    }
    return list;
  }

  std::uint64_t episodes_seed() const { return derived_seed(options_.seed, "score"); }

  void play_seating(std::size_t a, std::size_t b, WorkCount& progress) {
    const auto own = players(a, b);
    std::vector<const Player*> lineup;
    lineup.reserve(own.size());
    for (const auto& player : own) lineup.push_back(player.get());
    const auto results =
        play_all_roles(game_, lineup, options_.episodes, episodes_seed(), pool_, &progress);
    for (std::int64_t e = 0; e < options_.episodes; ++e)
      bouts_.push_back(bout(a, b, static_cast<std::size_t>(e), results));
  }

  Bout bout(std::size_t a, std::size_t b, std::size_t episode,
            const std::vector<std::vector<EpisodeResult>>& results) const {
    Bout bout{a, b, static_cast<std::uint32_t>(episode)};
    double seats[2] = {0.0, 0.0};
    for (std::size_t r = 0; r < game_.roles().size(); ++r) {
      const Role& role = game_.roles()[r];
      if (role.side.empty()) continue;
      const bool first = role.side == sides_[0];
      auto& terms = first ? bout.first_terms : bout.second_terms;
      for (std::size_t seat = 0; seat < role.seats.size(); ++seat) {
        const EpisodeResult& e = results[r][episode * role.seats.size() + seat];
        (first ? bout.first_return : bout.second_return) += e.episode_return;
        seats[first ? 0 : 1] += 1.0;
        bout.length = static_cast<double>(e.length);
        if (e.outcome == Outcome::success) bout.winner = first ? 1 : -1;
        terms.resize(std::max(terms.size(), e.ledger.size()));
        if (role.terms == terms_of(game_, role.side))
          for (std::size_t t = 0; t < e.ledger.size(); ++t) terms[t] += e.ledger[t];
      }
    }
    bout.first_return /= seats[0];
    bout.second_return /= seats[1];
    for (double& reward : bout.first_terms) reward /= seats[0];
    for (double& reward : bout.second_terms) reward /= seats[1];
    if (bout.winner == 0 && options_.decided_by == DecidedBy::returns)
      bout.winner = bout.first_return > bout.second_return   ? 1
                    : bout.first_return < bout.second_return ? -1
                                                             : 0;
    return bout;
  }

  Pairing pairing(std::size_t a, std::size_t b) const {
    Pairing m{a, b, {a, b}, {}, {}, {Tally{a, b}, Tally{a, b}}, {}, {}, {}, {}, {}};
    std::vector<double> shares, a_returns, b_returns, lengths;
    std::vector<std::vector<double>> a_terms, b_terms;
    for (const Bout& bout : bouts_) {
      const bool first = bout.a == a && bout.b == b;
      if (!first && !(bout.a == b && bout.b == a)) continue;
      const int winner = first ? bout.winner : -bout.winner;
      for (Tally* tally : {&m.tally, &m.by_side[first ? 0 : 1]})
        (winner > 0 ? tally->wins : winner < 0 ? tally->losses : tally->draws) += 1.0;
      shares.push_back(0.5 + 0.5 * winner);
      a_returns.push_back(first ? bout.first_return : bout.second_return);
      b_returns.push_back(first ? bout.second_return : bout.first_return);
      lengths.push_back(bout.length);
      a_terms.push_back(first ? bout.first_terms : bout.second_terms);
      b_terms.push_back(first ? bout.second_terms : bout.first_terms);
    }
    m.share = mean_interval(shares);
    const auto won = static_cast<std::size_t>(m.tally.wins),
               lost = static_cast<std::size_t>(m.tally.losses);
    m.decided_share = won + lost == 0 ? Interval{0.5, 0.0, 1.0} : share_interval(won, won + lost);
    m.a_return = mean_interval(a_returns);
    m.b_return = mean_interval(b_returns);
    m.length = mean_interval(lengths);
    m.a_terms = means(a_terms, sides_[0]);
    m.b_terms = means(b_terms, sides_[1]);
    return m;
  }

  std::vector<std::pair<std::string, Interval>> means(const std::vector<std::vector<double>>& rows,
                                                      const std::string& side) const {
    std::vector<std::pair<std::string, Interval>> list;
    const auto names = terms_of(game_, side);
    for (std::size_t t = 0; t < names.size(); ++t) {
      std::vector<double> column;
      for (const auto& row : rows)
        if (t < row.size()) column.push_back(row[t]);
      if (!column.empty()) list.emplace_back(names[t], mean_interval(column));
    }
    return list;
  }

  void keep_notable(MatchTable& table) {
    make_folder(options_.replays);
    const auto keep = [&](const char* why, const Bout* bout) {
      if (bout == nullptr) return;
      std::string name = why;
      std::replace(name.begin(), name.end(), ' ', '-');
      const auto file = options_.replays / (name + ".zrep");
      const auto own = players(bout->a, bout->b);
      record_episode(file, game_, own, {episodes_seed(), 0, bout->episode}, options_.seed);
      table.notable.push_back(
          {why, players_[bout->a].name(), players_[bout->b].name(), bout->episode, file.string()});
    };
    // The first of those that are alike, so that it is always the same one.
    const auto best = [&](const auto& worth) {
      const Bout* found = nullptr;
      for (const Bout& bout : bouts_) {
        const std::optional<double> own = worth(bout);
        if (own && (found == nullptr || *own > *worth(*found))) found = &bout;
      }
      return found;
    };
    keep("closest", best([](const Bout& b) -> std::optional<double> {
           if (b.winner == 0) return std::nullopt;
           return -std::fabs(b.first_return - b.second_return);
         }));
    keep("longest", best([](const Bout& b) { return std::optional(b.length); }));
    keep("biggest upset", best([&](const Bout& b) -> std::optional<double> {
           const double chance = win_chance(table.ratings[b.a].points, table.ratings[b.b].points);
           const double winners = b.winner > 0 ? chance : 1.0 - chance;
           if (b.winner == 0 || winners >= 0.5) return std::nullopt;
           return -winners;
         }));
  }

  Game game_;
  std::vector<std::string> sides_;
  const std::vector<PlayerSource>& players_;
  const MatchOptions& options_;
  WorkerPool pool_;
  std::vector<Bout> bouts_;
};

Json json_of(const Tally& t) {
  return {{"wins", t.wins}, {"draws", t.draws}, {"losses", t.losses}};
}

}  // namespace

MatchTable play_matches(const GameSpec& game, const std::vector<PlayerSource>& players,
                        const MatchOptions& options) {
  if (players.size() < 2)
    throw Error(ErrorKind::usage, "a match needs two players", "players", "name at least two");
  if (options.episodes < 1)
    throw Error(ErrorKind::usage, "no episode to play", "episodes", "give at least 1");
  return Tournament(game, players, options).play();
}

namespace {

// The kept ones, and the last one unless it is among them.
std::vector<std::pair<std::string, std::int64_t>> kept_checkpoints(const Run& run) {
  std::vector<std::pair<std::string, std::int64_t>> kept;
  for (const std::string& name : run.checkpoint_names()) kept.emplace_back(name, steps_of(name));
  if (kept.empty() || kept.back().second != run.steps_done())
    kept.emplace_back("last", run.steps_done());
  return kept;
}

}  // namespace

std::vector<PlayerSource> checkpoint_players(const Run& run, TrainedAs as) {
  std::vector<PlayerSource> players;
  for (const auto& [name, steps] : kept_checkpoints(run))
    players.push_back(PlayerSource::find(run.folder().string() + ":" + name, as));
  return players;
}

std::vector<double> steps_of_checkpoints(const Run& run) {
  std::vector<double> list;
  for (const auto& [name, steps] : kept_checkpoints(run))
    list.push_back(static_cast<double>(steps));
  return list;
}

std::string MatchTable::to_json() const {
  Json j{{"game", game},
         {"sides", sides},
         {"episodes", options.episodes},
         {"seed", options.seed},
         {"actions", name_of(options.actions)},
         {"decided_by", options.decided_by == DecidedBy::verdict ? "verdict" : "returns"}};
  j["players"] = Json::array();
  for (std::size_t p = 0; p < players.size(); ++p)
    j["players"].push_back({{"name", players[p]},
                            {"rating", ratings[p].points},
                            {"rating_standard_error", ratings[p].standard_error}});
  j["pairings"] = Json::array();
  for (const Pairing& m : pairings) {
    Json a_terms = Json::object(), b_terms = Json::object();
    for (const auto& [name, reward] : m.a_terms) a_terms[name] = zithercraft::json_of(reward);
    for (const auto& [name, reward] : m.b_terms) b_terms[name] = zithercraft::json_of(reward);
    j["pairings"].push_back({{"a", players[m.a]},
                             {"b", players[m.b]},
                             {"all", json_of(m.tally)},
                             {"a_first", json_of(m.by_side[0])},
                             {"a_second", json_of(m.by_side[1])},
                             {"share", zithercraft::json_of(m.share)},
                             {"decided_share", zithercraft::json_of(m.decided_share)},
                             {"length", zithercraft::json_of(m.length)},
                             {"a_return", zithercraft::json_of(m.a_return)},
                             {"b_return", zithercraft::json_of(m.b_return)},
                             {"a_terms", a_terms},
                             {"b_terms", b_terms}});
  }
  j["cycles"] = Json::array();
  for (const auto& [a, b, c] : cycles) j["cycles"].push_back({players[a], players[b], players[c]});
  j["notable"] = Json::array();
  for (const NotableEpisode& t : notable)
    j["notable"].push_back({{"why", t.why},
                            {"first", t.first},
                            {"second", t.second},
                            {"episode", t.episode},
                            {"replay", t.replay}});
  return j.dump(2);
}

}  // namespace zithercraft
