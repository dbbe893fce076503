#include "zithercraft/experiment/speed.hpp"

#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <fstream>
#include <limits>
#include <memory>
#include <numeric>
#include <optional>
#include <utility>

#include "base/json.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/run/methods.hpp"

namespace zithercraft {
namespace {

using Clock = std::chrono::steady_clock;

constexpr std::uint64_t speed_seed = 1;
constexpr std::size_t looked_into = 3;  // parts for which a cheaper form is tried

double seconds_since(Clock::time_point start) {
  return std::chrono::duration<double>(Clock::now() - start).count();
}

// Bytes that the process has in memory.
std::size_t resident() {
  std::ifstream file("/proc/self/statm");
  std::size_t all = 0, here = 0;
  file >> all >> here;
  return here * static_cast<std::size_t>(sysconf(_SC_PAGESIZE));
}

// ---- Playing by random controls, on one thread.

class Playing {
 public:
  explicit Playing(const GameSpec& spec) : lanes_(Game(spec), lanes_of(spec)) {
    const Game& game = lanes_.game();
    for (std::size_t role = 0; role < game.roles().size(); ++role) {
      players_.push_back(random_player(speed_seed));
      seats_ += lanes_.seats(role);
    }
    all_.resize(lanes_.count());
    std::iota(all_.begin(), all_.end(), std::size_t{0});
    for (const std::size_t lane : all_)
      lanes_.begin(lane, {speed_seed, static_cast<std::uint32_t>(lane), 0});
  }

  // Microseconds for a step of a seat, over as many steps as fit into the time.
  double play(double seconds) {
    const Clock::time_point start = Clock::now();
    std::size_t steps = 0;
    do {
      for (int i = 0; i < 16; ++i) step();
      steps += 16;
    } while (seconds_since(start) < seconds);
    return 1e6 * seconds_since(start) / static_cast<double>(steps * seats_ * lanes_.count());
  }

  std::size_t lane_bytes() const {
    std::size_t bytes = lanes_.state(0).size();
    for (std::size_t role = 0; role < players_.size(); ++role)
      bytes += (lanes_.observations(role).size() + lanes_.given_controls(role).size() +
                lanes_.rewards(role).size()) *
               sizeof(float) / lanes_.count();
    return bytes;
  }

 private:
  static std::size_t lanes_of(const GameSpec& spec) {
    std::size_t seats = 0;
    const Game game(spec);
    for (const Role& role : game.roles()) seats += role.seats.size();
    return std::max<std::size_t>(1, 32 / std::max<std::size_t>(1, seats));
  }

  void step() {
    for (std::size_t role = 0; role < players_.size(); ++role)
      players_[role]->decide(lanes_, role, 0, lanes_.count());
    lanes_.step_lanes(all_);
    for (const std::size_t lane : all_)
      if (lanes_.outcome(lane) != Outcome::running) {
        EpisodeKey next = lanes_.key(lane);
        ++next.episode;
        lanes_.begin(lane, next);
      }
  }

  Lanes lanes_;
  std::vector<std::unique_ptr<Player>> players_;
  std::vector<std::size_t> all_;
  std::size_t seats_ = 0;
};

// Several games in turns, so that what disturbs the machine disturbs all of them; the least of some
// rounds is what each takes undisturbed.
std::vector<double> play_in_turns(const std::vector<GameSpec>& games, double seconds) {
  constexpr int rounds = 5;
  std::vector<std::unique_ptr<Playing>> list;
  list.reserve(games.size());
  for (const GameSpec& game : games) list.push_back(std::make_unique<Playing>(game));
  std::vector<double> least(games.size(), std::numeric_limits<double>::infinity());
  for (auto& one : list) one->play(0.0);
  for (int round = 0; round < rounds; ++round)
    for (std::size_t i = 0; i < list.size(); ++i)
      least[i] = std::min(least[i], list[i]->play(seconds / rounds));
  return least;
}

// ---- Learning.

struct Learned {
  SpeedPoint point{};
  std::vector<std::pair<std::string, double>> phases{};  // microseconds for a step, by their names
  std::size_t bytes = 0;                                 // that the process has taken for it
};

LearnerSettings settled(const LearnerSettings& learner, const Game& game, std::int64_t steps) {
  const LearningMethod& method = learning_method(learner.method());
  const auto players = usual_players(game, speed_seed);
  return method.settle ? method.settle(learner, game, {steps, 0}, players) : learner;
}

// Updates until the time is over, after those that make room.
Learned learn(const Game& game, const LearnerSettings& settings, std::int64_t steps,
              std::size_t threads, double seconds) {
  const LearningMethod& method = learning_method(settings.method());
  const std::size_t before_it = resident();
  WorkerPool pool(threads);
  const auto learner =
      method.make({game, settings, speed_seed, {steps, 0}, usual_players(game, speed_seed), pool});
  Learned learned;
  for (const MetricInfo& info : method.metrics)
    if (info.chart == time_chart) learned.phases.emplace_back(info.name, 0.0);
  // Some methods play for a while before they learn.
  constexpr double longest_beginning = 20.0;  // times as long as what is measured
  const Clock::time_point begun = Clock::now();
  do {
    learner->collect();
    learner->improve();
  } while (metric_in(learner->report().policies.front().metrics, "learn_seconds") == 0.0 &&
           seconds_since(begun) < longest_beginning * seconds);
  const std::int64_t before = learner->steps();
  const Clock::time_point start = Clock::now();
  do {
    learner->collect();
    learner->improve();
    const LearnerReport report = learner->report();
    for (auto& [name, sum] : learned.phases)
      sum += metric_in(report.policies.front().metrics, name).value_or(0.0);
  } while (seconds_since(start) < seconds);
  if (const std::size_t now = resident(); now > before_it) learned.bytes = now - before_it;
  const auto taken = static_cast<double>(learner->steps() - before);
  for (auto& phase : learned.phases) phase.second *= 1e6 / taken;
  learned.point = {0, pool.threads(), taken / seconds_since(start)};
  if (settings.has("lanes"))
    if (const auto values = settings.values(); values.contains("lanes"))
      if (const auto* lanes = std::get_if<std::int64_t>(&values.at("lanes").held))
        learned.point.lanes = *lanes;
  return learned;
}

// ---- Parts, and cheaper forms of them.

std::string sense_name(const Sense& sense) {
  return std::visit([](const auto& s) { return s.name; }, sense);
}

template <class Rays>
std::string halve_rays(Rays& s) {
  if (s.rays < 2) return {};
  s.rays = (s.rays + 1) / 2;
  return "half as many rays";
}
std::string halve(RayFan& s) { return halve_rays(s); }
std::string halve(RayCone& s) { return halve_rays(s); }
std::string halve(Camera& s) {
  if (s.width < 8 || s.height < 8) return {};
  s.width /= 2;
  s.height /= 2;
  for (auto& pixels : s.crop) pixels /= 2;
  if (s.reduce < 2) return "half as many pixels a side";
  s.reduce /= 2;
  return "drawn half as fine, and reduced less";
}
std::string halve(Compass& s) {
  if (!s.along_path) return {};
  s.along_path = false;
  return "straight, not along the path";
}
std::string halve(Crowd& s) {
  if (s.nearest < 2) return {};
  s.nearest = (s.nearest + 1) / 2;
  return "half as many others";
}
std::string halve(Window& s) {
  bool any = false;
  for (auto* cells : {&s.ahead, &s.behind, &s.left, &s.right})
    if (*cells > 1) {
      *cells = (*cells + 1) / 2;
      any = true;
    }
  return any ? "half as far around" : "";
}
std::string halve(Hazards& s) {
  if (s.moves <= 4) return {};
  s.moves = 4;
  return "four moves";
}
template <class Other>
std::string halve(Other&) {
  return {};
}

// Without what steers nothing here, and may need what is left out.
GameSpec plain(GameSpec spec) {
  spec.stages.clear();
  spec.roles.front().script = {};
  return spec;
}

std::optional<GameSpec> playable(GameSpec spec) {
  try {
    const Game checked(spec);
  } catch (const Error&) {
    return std::nullopt;
  }
  return spec;
}

// Nothing if the game cannot do without it: a control may point at what a sense lists.
std::optional<GameSpec> leave_out(const GameSpec& game, const std::string& part) {
  GameSpec spec = plain(game);
  RoleSpec& role = spec.roles.front();
  const std::string name = part.substr(part.find('.') + 1);
  if (part.starts_with("term.")) {
    std::erase_if(role.rewards, [&](const Term& term) { return term.name == name; });
  } else {
    std::erase_if(role.senses, [&](const Sense& sense) { return sense_name(sense) == name; });
  }
  return playable(std::move(spec));
}

// Each sense and each term of the first role is left out in turn; what is left is the arena.
void play_without_parts(const GameSpec& spec, double seconds, SpeedTable& table) {
  std::vector<std::string> names;
  const RoleSpec& role = spec.roles.front();
  for (const Sense& sense : role.senses) names.push_back("sense." + sense_name(sense));
  for (const Term& term : role.rewards) names.push_back("term." + term.name);
  std::vector<GameSpec> games{plain(spec)};
  std::erase_if(names, [&](const std::string& name) {
    auto without = leave_out(spec, name);
    if (without) games.push_back(std::move(*without));
    return !without;
  });
  const auto times = play_in_turns(games, seconds);
  table.play_microseconds = times.front();
  table.lane_bytes = Playing(games.front()).lane_bytes();
  double parts = 0.0;
  for (std::size_t i = 0; i < names.size(); ++i) {
    const double saved = std::max(0.0, times.front() - times[i + 1]);
    parts += saved;
    table.parts.push_back({names[i], saved});
  }
  table.parts.push_back({"arena", std::max(0.0, times.front() - parts)});
}

void sort_parts(SpeedTable& table) {
  std::stable_sort(
      table.parts.begin(), table.parts.end(),
      [](const SpeedPart& a, const SpeedPart& b) { return a.microseconds > b.microseconds; });
}

class Measuring {
 public:
  Measuring(const GameSpec& spec, const SpeedOptions& options)
      : spec_(spec),
        options_(options),
        game_(spec),
        settings_(settled(options.learner, game_, options.steps)) {}

  SpeedTable measure() {
    SpeedTable table;
    table.game = spec_.name;
    table.method = settings_.method();
    next("training");
    const Learned usual =
        learn(game_, settings_, options_.steps, options_.threads, options_.seconds);
    table.training_bytes = usual.bytes;
    table.usual = usual.point;
    scale(table);
    if (!spec_.custom) {
      next("playing without one part after the other");
      play_without_parts(spec_, options_.seconds, table);
    }
    for (const auto& [phase, microseconds] : usual.phases)
      if (phase != "play_seconds" && microseconds > 0.0)
        table.parts.push_back({network_part(phase), microseconds});
    sort_parts(table);
    try_cheaper(table);
    return table;
  }

 private:
  void next(const std::string& what) const {
    if (options_.on_next) options_.on_next(what);
  }

  // What fewer lanes and one thread would do.
  void scale(SpeedTable& table) const {
    if (settings_.has("lanes") && table.usual.lanes >= 4) {
      LearnerSettings fewer = options_.learner;
      fewer.set("lanes", Value(table.usual.lanes / 4), "speed");
      next("a quarter of the lanes");
      table.scaling.push_back(learn(game_, settled(fewer, game_, options_.steps), options_.steps,
                                    options_.threads, options_.seconds)
                                  .point);
    }
    for (std::size_t threads = table.usual.threads / 2; threads >= 1; threads /= 2) {
      next("fewer threads: " + std::to_string(threads));
      table.scaling.push_back(
          learn(game_, settings_, options_.steps, threads, options_.seconds).point);
    }
  }

  // "learn_seconds" is the time of "network.learn".
  static std::string network_part(const std::string& phase) {
    return "network." + phase.substr(0, phase.find("_seconds"));
  }

  void try_cheaper(SpeedTable& table) {
    std::vector<std::size_t> senses;
    std::vector<GameSpec> games{plain(spec_)};
    bool network = false;
    for (std::size_t p = 0; p < std::min(looked_into, table.parts.size()); ++p) {
      SpeedPart& part = table.parts[p];
      network = network || part.name.starts_with("network.");
      if (!part.name.starts_with("sense.")) continue;
      GameSpec cheaper = plain(spec_);
      for (Sense& sense : cheaper.roles.front().senses)
        if ("sense." + sense_name(sense) == part.name)
          part.cheaper = std::visit([](auto& s) { return halve(s); }, sense);
      if (part.cheaper.empty()) continue;
      if (auto fits = playable(std::move(cheaper))) {
        games.push_back(std::move(*fits));
        senses.push_back(p);
      } else {
        part.cheaper.clear();
      }
    }
    if (!senses.empty()) {
      next("cheaper senses");
      const auto times = play_in_turns(games, options_.seconds);
      for (std::size_t i = 0; i < senses.size(); ++i) {
        SpeedPart& part = table.parts[senses[i]];
        part.cheaper_microseconds =
            std::max(0.0, part.microseconds - (times.front() - times[i + 1]));
      }
    }
    if (network) try_smaller_network(table);
  }

  void try_smaller_network(SpeedTable& table) const {
    LearnerSettings smaller = options_.learner;
    bool any = false;
    const auto values = settings_.values();
    for (const char* key : {"policy_layers", "value_layers"}) {
      const auto found = values.find(key);
      if (found == values.end()) continue;
      const auto* widths = std::get_if<Value::List>(&found->second.held);
      if (widths == nullptr || widths->empty()) continue;
      Value::List half;
      for (const Value& width : *widths)
        half.emplace_back(std::max<std::int64_t>(1, std::get<std::int64_t>(width.held) / 2));
      smaller.set(key, Value(std::move(half)), "speed");
      any = true;
    }
    if (!any) return;
    next("a smaller network");
    const Learned learned = learn(game_, settled(smaller, game_, options_.steps), options_.steps,
                                  options_.threads, options_.seconds);
    for (std::size_t p = 0; p < std::min(looked_into, table.parts.size()); ++p)
      for (const auto& [phase, microseconds] : learned.phases)
        if (table.parts[p].name == network_part(phase)) {
          table.parts[p].cheaper = "layers half as wide";
          table.parts[p].cheaper_microseconds = microseconds;
        }
  }

  const GameSpec& spec_;
  const SpeedOptions& options_;
  Game game_;
  LearnerSettings settings_;
};

void check_seconds(double seconds) {
  if (!(seconds > 0.0) || seconds > 3600.0)
    throw Error(ErrorKind::usage, "nothing is measured in that time", "seconds",
                "give seconds above 0, at most 3600");
}

Json json_of_point(const SpeedPoint& p) {
  return {{"lanes", p.lanes}, {"threads", p.threads}, {"steps_per_second", p.steps_per_second}};
}

}  // namespace

SpeedTable measure_play(const GameSpec& game, double seconds) {
  check_seconds(seconds);
  SpeedTable table;
  table.game = game.name;
  if (!game.custom) play_without_parts(game, seconds, table);
  sort_parts(table);
  return table;
}

SpeedTable measure_speed(const GameSpec& game, const SpeedOptions& options) {
  check_seconds(options.seconds);
  return Measuring(game, options).measure();
}

std::string SpeedTable::to_json() const {
  Json j{{"game", game},
         {"method", method},
         {"usual", json_of_point(usual)},
         {"play_microseconds", play_microseconds},
         {"lane_bytes", lane_bytes},
         {"training_bytes", training_bytes}};
  j["scaling"] = Json::array();
  for (const SpeedPoint& p : scaling) j["scaling"].push_back(json_of_point(p));
  j["parts"] = Json::array();
  for (const SpeedPart& p : parts) {
    j["parts"].push_back({{"name", p.name}, {"microseconds", p.microseconds}});
    if (p.cheaper.empty()) continue;
    j["parts"].back()["cheaper"] = p.cheaper;
    j["parts"].back()["cheaper_microseconds"] = p.cheaper_microseconds;
  }
  return j.dump(2);
}

}  // namespace zithercraft
