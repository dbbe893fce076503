#include "zithercraft/evaluate/behaviour.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <limits>
#include <map>
#include <utility>

#include "base/json.hpp"
#include "evaluate/intervals_json.hpp"
#include "evaluate/mixed_seats.hpp"
#include "evaluate/watch.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/record/replay.hpp"

namespace zithercraft {
using namespace evaluate_internal;
namespace {

// Fixed: which rows share a block must not depend on the number of threads.
constexpr std::size_t lanes_together = 32;

std::vector<bool> only(std::size_t seat, std::size_t seats) {
  std::vector<bool> own(seats, false);
  own[seat] = true;
  return own;
}

Seat find_seat(const Game& game, const std::string& name) {
  const std::size_t colon = name.rfind(':');
  const std::string role = name.substr(0, colon);
  std::size_t number = 1;
  if (colon != std::string::npos) {
    const char* const end = name.data() + name.size();
    if (std::from_chars(name.data() + colon + 1, end, number).ptr != end) number = 0;
  }
  std::vector<std::string> names;
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    names.push_back(game.roles()[r].name);
    if (names.back() != role) continue;
    if (number >= 1 && number <= game.roles()[r].seats.size()) return {r, number - 1};
    throw Error(ErrorKind::usage,
                fmt::format("'{}' is no seat: the role has {}", name, game.roles()[r].seats.size()),
                "seat", "count from 1, as in " + role + ":1");
  }
  throw Error(ErrorKind::usage, "the game has no role '" + role + "'", "seat", advice(role, names));
}

// The recorded episodes: their keys, and the arena as they left it.
struct Recorded {
  std::vector<EpisodeKey> keys;
  std::vector<std::vector<std::byte>> ends;
};

Recorded recorded_in(const std::filesystem::path& file) {
  Recorded recorded;
  Replay replay(file);
  for (std::size_t e = 0; e < replay.episodes().size(); ++e) {
    recorded.keys.push_back(episode_key(replay.moment(e, 0)));
    recorded.ends.push_back(replay.moment(e, replay.episodes()[e].moments - 1).state);
  }
  return recorded;
}

bool same(const EpisodeKey& a, const EpisodeKey& b) {
  return a.seed == b.seed && a.lane == b.lane && a.episode == b.episode;
}

class BehaviourSurvey {
 public:
  BehaviourSurvey(const GameSpec& spec, const std::vector<PlayerSource>& players,
                  const BehaviourOptions& options)
      : game_(spec), players_(players), options_(options), pool_(options.threads) {
    if (!options.seat.empty()) seat_ = find_seat(game_, options.seat);
    if (!options.as.empty()) as_ = find_seat(game_, options.as).role;
    if (seat_ && as_)
      throw Error(ErrorKind::usage, "players cannot be watched and watch the others at once", "as",
                  "give a seat, or a role to be watched in");
    if (!seat_ && !as_ && !options.others.empty())
      throw Error(ErrorKind::usage,
                  "a player of the others matters only if players take a seat or a role", "others",
                  "name it, or leave the others out");
    choose_episodes();
  }

  BehaviourTable measure() {
    BehaviourTable table{
        game_.spec().name, options_, static_cast<std::int64_t>(keys_.size()), {}, 0, {}, 0};
    WorkCount progress(static_cast<std::int64_t>(keys_.size() * players_.size()),
                       options_.on_progress);
    std::vector<std::vector<EpisodeBehaviour>> all;
    for (const PlayerSource& player : players_)
      all.push_back(play(player, progress, table.replayed_differently));
    name_measures(all, table);
    for (std::size_t p = 0; p < players_.size(); ++p) table.rows.push_back(row(p, all, table));
    return table;
  }

 private:
  void choose_episodes() {
    for (const PlayerSource& player : players_) {
      if (!player.recording()) continue;
      Recorded recorded = recorded_in(*player.recording());
      if (!keys_.empty() &&
          !std::equal(keys_.begin(), keys_.end(), recorded.keys.begin(), recorded.keys.end(), same))
        throw Error(ErrorKind::refused, "the recordings do not hold the same episodes",
                    "'" + player.name() + "'", "compare one recording at a time");
      keys_ = recorded.keys;
      ends_ = std::move(recorded.ends);
    }
    if (!keys_.empty()) return;
    const std::uint64_t seed = derived_seed(options_.seed, "score");
    for (std::int64_t e = 0; e < options_.episodes; ++e)
      keys_.push_back({seed, 0, static_cast<std::uint32_t>(e)});
  }

  std::unique_ptr<Player> other(std::size_t role) const {
    const std::uint64_t seed = derived_seed(options_.seed, game_.roles()[role].name);
    if (options_.others.empty()) return usual_player(game_, role, seed);
    const PlayerSource others = PlayerSource::find(options_.others);
    return others.objection(game_, role).empty()
               ? others.player(game_, role, options_.actions, seed)
               : usual_player(game_, role, seed);
  }

  // The player of each role, and the seats that are watched.
  std::vector<std::unique_ptr<Player>> players(const PlayerSource& player,
                                               std::vector<Seat>& watched) const {
    std::vector<std::unique_ptr<Player>> list;
    watched.clear();
    for (std::size_t r = 0; r < game_.roles().size(); ++r) {
      const std::size_t seats = game_.roles()[r].seats.size();
      const std::uint64_t seed = derived_seed(options_.seed, game_.roles()[r].name);
      if (!seat_) {
        const bool plays = as_ ? *as_ == r : player.objection(game_, r).empty();
        list.push_back(plays ? player.player(game_, r, options_.actions, seed) : other(r));
        for (std::size_t s = 0; plays && s < seats; ++s) watched.push_back({r, s});
        continue;
      }
      const bool here = seat_->role == r;
      for (std::size_t s = 0; s < seats; ++s)
        if (!here || s != seat_->number) watched.push_back({r, s});
      auto own = here ? player.player(game_, r, options_.actions, seed) : other(r);
      list.push_back(here && seats > 1 ? std::make_unique<MixedSeats>(only(seat_->number, seats),
                                                                      std::move(own), other(r))
                                       : std::move(own));
    }
    if (watched.empty())
      throw Error(
          ErrorKind::refused,
          seat_ ? "there is no other seat to watch" : "'" + player.name() + "' plays no role",
          "game '" + game_.spec().name + "'",
          seat_ ? "leave the seat out" : "name a player that does");
    return list;
  }

  std::vector<EpisodeBehaviour> play(const PlayerSource& player, WorkCount& progress,
                                     std::int64_t& differently) {
    std::vector<Seat> watched;
    const auto own = players(player, watched);
    const bool recorded = player.recording().has_value();
    std::vector<EpisodeBehaviour> episodes(keys_.size());
    std::vector<std::uint8_t> differs(keys_.size());
    struct Scratch {
      std::unique_ptr<Lanes> lanes;
      std::vector<std::unique_ptr<Player>> players;
      std::vector<Watch> watches;
    };
    std::vector<Scratch> scratch(pool_.threads());
    const std::size_t together = lanes_within(game_, lanes_together);
    const auto play_some = [&](std::size_t group, std::size_t worker) {
      Scratch& mine = scratch[worker];
      const std::size_t first = group * together, n = std::min(together, keys_.size() - first);
      if (!mine.lanes) {
        mine.lanes = std::make_unique<Lanes>(game_, together);
        for (const auto& each : own) mine.players.push_back(each->copy());
        mine.watches.assign(together, Watch(game_, watched, seat_ ? &*seat_ : nullptr, options_));
      }
      Lanes& lanes = *mine.lanes;
      std::vector<LaneStart> starts;
      std::vector<std::size_t> running;
      for (std::size_t lane = 0; lane < n; ++lane) {
        starts.push_back({lane, keys_[first + lane]});
        running.push_back(lane);
        mine.watches[lane].begin();
      }
      lanes.begin_lanes(starts);
      while (!running.empty()) {
        for (std::size_t role = 0; role < mine.players.size(); ++role)
          mine.players[role]->decide(lanes, role, 0, n);
        lanes.step_lanes(running);
        std::erase_if(running, [&](std::size_t lane) {
          if (lanes.lost(lane)) mine.watches[lane].begin();
          if (lanes.idle(lane) || lanes.steps(lane) == 0) return false;
          mine.watches[lane].look(lanes, lane);
          if (lanes.outcome(lane) == Outcome::running) return false;
          episodes[first + lane] = mine.watches[lane].finish(lanes, lane);
          if (recorded) {
            const auto& end = ends_[first + lane];
            differs[first + lane] =
                std::memcmp(end.data(), lanes.arena_state(lane), end.size()) == 0 ? 0 : 1;
          }
          progress.add();
          return true;
        });
      }
    };
    pool_.run((keys_.size() + together - 1) / together, play_some);
    differently += std::count(differs.begin(), differs.end(), std::uint8_t{1});
    return episodes;
  }

  // Those of every episode, then events of any seat.
  void name_measures(const std::vector<std::vector<EpisodeBehaviour>>& all,
                     BehaviourTable& table) const {
    std::vector<std::string> events;
    for (const auto& episodes : all) {
      for (const auto& episode : episodes) {
        for (const auto& [name, value] : episode.measures)
          if (std::find(table.measures.begin(), table.measures.end(), name) == table.measures.end())
            table.measures.push_back(name);
        for (const auto& [name, number] : episode.events) events.push_back(name);
      }
    }
    table.first_event = table.measures.size();
    std::sort(events.begin(), events.end());
    events.erase(std::unique(events.begin(), events.end()), events.end());
    table.measures.insert(table.measures.end(), events.begin(), events.end());
    for (const WayOfLiving& way : options_.ways)
      if (std::none_of(events.begin(), events.end(), [&](const std::string& name) {
            return name == way.event || name.ends_with(": " + way.event);
          }))
        table.never_done.push_back(way.event);
  }

  // What did not happen in an episode happened no times; a region where nobody lived has no shares.
  static double value_of(const EpisodeBehaviour& episode, const std::string& measure, bool event) {
    if (event) {
      const auto found = episode.events.find(measure);
      return found == episode.events.end() ? 0.0 : found->second;
    }
    for (const auto& [name, value] : episode.measures)
      if (name == measure) return value;
    return std::numeric_limits<double>::quiet_NaN();
  }

  BehaviourRow row(std::size_t p, const std::vector<std::vector<EpisodeBehaviour>>& all,
                   const BehaviourTable& table) const {
    BehaviourRow row{players_[p].name(), {}, {}, {}, 0.0, 0.0};
    for (std::size_t m = 0; m < table.measures.size(); ++m) {
      const std::string& measure = table.measures[m];
      const bool event = m >= table.first_event;
      std::vector<double> values, first, second;
      for (std::size_t e = 0; e < keys_.size(); ++e) {
        const double own = value_of(all[p][e], measure, event),
                     before = value_of(all[0][e], measure, event);
        if (std::isnan(own)) continue;
        values.push_back(own);
        if (std::isnan(before)) continue;
        first.push_back(own);
        second.push_back(before);
      }
      row.values.push_back(values.empty() ? Interval{}
                           : event        ? count_interval(values)
                                          : mean_interval(values));
      row.stddevs.push_back(stddev_of(values));
      if (p > 0)
        row.differences.push_back(first.empty() ? Interval{} : paired_difference(first, second));
    }
    if (p > 0) compare_places(all[0], all[p], row);
    return row;
  }

  static double stddev_of(const std::vector<double>& values) {
    double mean = 0.0, square = 0.0;
    const auto n = static_cast<double>(values.size());
    for (const double v : values) mean += v / n;
    for (const double v : values) square += (v - mean) * (v - mean);
    return values.size() < 2 ? 0.0 : std::sqrt(square / (n - 1.0));
  }

  // Half the sum of the differences of the shares of time. If the player made no difference, the
  // two episodes of a pair could as well be exchanged: how large the sum then becomes is tried.
  void compare_places(const std::vector<EpisodeBehaviour>& a,
                      const std::vector<EpisodeBehaviour>& b, BehaviourRow& row) const {
    const auto apart = [&](const std::vector<std::uint8_t>& exchanged) {
      std::map<std::pair<int, int>, double> difference;
      for (std::size_t e = 0; e < a.size(); ++e) {
        const double sign = exchanged[e] != 0 ? -1.0 : 1.0;
        for (const auto& [square, share] : a[e].places) difference[square] += sign * share;
        for (const auto& [square, share] : b[e].places) difference[square] -= sign * share;
      }
      double sum = 0.0;
      for (const auto& [square, d] : difference) sum += std::fabs(d);
      return 0.5 * sum / static_cast<double>(a.size());
    };
    std::vector<std::uint8_t> exchanged(a.size());
    row.elsewhere = apart(exchanged);
    constexpr std::uint32_t tries = 200;
    std::vector<double> chances;
    for (std::uint32_t t = 0; t < tries; ++t) {
      RandomStream random(0, t, 0, Purpose::user);
      for (std::uint8_t& x : exchanged) x = random.below(2) != 0 ? 1 : 0;
      chances.push_back(apart(exchanged));
    }
    std::sort(chances.begin(), chances.end());
    row.elsewhere_by_chance = chances[tries * 95 / 100];
  }

  Game game_;
  const std::vector<PlayerSource>& players_;
  const BehaviourOptions& options_;
  WorkerPool pool_;
  std::optional<Seat> seat_;
  std::optional<std::size_t> as_;  // a role
  std::vector<EpisodeKey> keys_;
  std::vector<std::vector<std::byte>> ends_;  // of recorded episodes
};

}  // namespace

BehaviourTable measure_behaviour(const GameSpec& game, const std::vector<PlayerSource>& players,
                                 const BehaviourOptions& options) {
  if (players.empty())
    throw Error(ErrorKind::usage, "no player is named", "players", "name at least one");
  if (options.episodes < 1)
    throw Error(ErrorKind::usage, "no episode to play", "episodes", "give at least 1");
  if (!(options.square > 0.0) || !std::isfinite(options.square))
    throw Error(ErrorKind::usage, "squares need a size", "square", "give metres above 0");
  if (options.region && (!(*options.region > 0.0) || !std::isfinite(*options.region)))
    throw Error(ErrorKind::usage, "regions need a size", "region", "give metres above 0");
  if (options.region && options.ways.empty())
    throw Error(ErrorKind::usage, "regions tell where seats live by what", "region",
                "name ways of living, or leave it out");
  for (const WayOfLiving& way : options.ways)
    if (!(way.worth > 0.0) || !std::isfinite(way.worth))
      throw Error(ErrorKind::usage, "'" + way.event + "' brings nothing", "way",
                  "give a worth above 0");
  return BehaviourSurvey(game, players, options).measure();
}

std::string course_of(const std::vector<Interval>& values) {
  if (values.empty()) return "steady";
  std::vector<int> steps;          // 1 up, -1 down, without repeats
  Interval turn = values.front();  // the farthest so far in the present direction
  for (const Interval& v : values) {
    const int step = v.low > turn.high ? 1 : v.high < turn.low ? -1 : 0;
    const int direction = steps.empty() ? 0 : steps.back();
    if (step != 0 && step != direction) steps.push_back(step);
    if (step != 0 || (direction > 0 && v.mean > turn.mean) || (direction < 0 && v.mean < turn.mean))
      turn = v;
  }
  const auto word = [](int step) { return step > 0 ? "rises" : "falls"; };
  if (steps.empty()) return "steady";
  if (steps.size() == 1) return word(steps[0]);
  if (steps.size() == 2) return fmt::format("{}, then {}", word(steps[0]), word(steps[1]));
  return fmt::format("turns {} times", steps.size() - 1);
}

std::string BehaviourTable::to_json() const {
  Json j{{"game", game},
         {"seat", options.seat},
         {"as", options.as},
         {"others", options.others},
         {"episodes", episodes},
         {"seed", options.seed},
         {"actions", name_of(options.actions)},
         {"square", options.square},
         {"replayed_differently", replayed_differently}};
  for (const WayOfLiving& way : options.ways)
    j["ways"].push_back({{"event", way.event}, {"worth", way.worth}});
  if (!options.ways.empty()) j["never_done"] = never_done;
  if (options.region) j["region"] = *options.region;
  j["players"] = Json::array();
  for (std::size_t p = 0; p < rows.size(); ++p) {
    const BehaviourRow& row = rows[p];
    Json values = Json::object(), differences = values;
    for (std::size_t m = 0; m < measures.size(); ++m) {
      values[measures[m]] = json_of(row.values[m]);
      if (p > 0) differences[measures[m]] = json_of(row.differences[m]);
    }
    j["players"].push_back({{"name", row.player}, {"measures", values}});
    if (p == 0) continue;
    j["players"].back()["differences"] = differences;
    j["players"].back()["elsewhere"] = row.elsewhere;
    j["players"].back()["elsewhere_by_chance"] = row.elsewhere_by_chance;
  }
  return j.dump(2);
}

}  // namespace zithercraft
