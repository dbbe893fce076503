#include "commands.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>

#include "games.hpp"
#include "progress.hpp"
#include "signals.hpp"
#include "zithercraft/zithercraft.hpp"

namespace zithercraft::cli {
namespace {

using nlohmann::ordered_json;

ordered_json column_json(const Column& c) {
  return {{"name", c.name}, {"unit", c.unit}, {"low", c.low}, {"high", c.high}, {"scale", c.scale}};
}

ordered_json control_json(const ControlInfo& c) {
  ordered_json j{{"name", c.name},
                 {"kind", c.is_choice() ? "choice" : "dial"},
                 {"unit", c.unit},
                 {"low", c.low},
                 {"high", c.high}};
  if (c.is_choice()) j["options"] = c.options;
  return j;
}

ordered_json game_json(const Game& game) {
  ordered_json j{{"name", game.spec().name},
                 {"about", game.spec().about},
                 {"fingerprint", game.fingerprint()},
                 {"tags", std::vector<std::string>(game.arena().tags().begin(), game.arena().tags().end())}};
  for (const Role& role : game.roles()) {
    ordered_json r{{"name", role.name}, {"seats", role.seats.size()}};
    for (const Column& c : role.columns) r["columns"].push_back(column_json(c));
    for (const ControlInfo& c : role.controls) r["controls"].push_back(control_json(c));
    r["terms"] = role.terms;
    j["roles"].push_back(r);
  }
  return j;
}

// Columns that differ only in the number between brackets are listed as one: "rays[0..23].hull".
struct ColumnGroup {
  std::string before, after;
  int first = 0, last = 0;
  bool numbered = false;
  Column column;
  std::string name() const {
    return !numbered       ? column.name
           : first == last ? column.name
                           : fmt::format("{}[{}..{}]{}", before, first, last, after);
  }
};

std::vector<ColumnGroup> grouped(const std::vector<Column>& columns) {
  std::vector<ColumnGroup> groups;
  for (const Column& c : columns) {
    const auto open = c.name.find('['), close = c.name.find(']');
    if (open == std::string::npos || close == std::string::npos) {
      groups.push_back({{}, {}, 0, 0, false, c});
      continue;
    }
    const std::string before = c.name.substr(0, open), after = c.name.substr(close + 1);
    const int number = std::stoi(c.name.substr(open + 1, close - open - 1));
    const auto same = std::find_if(groups.begin(), groups.end(), [&](const ColumnGroup& g) {
      return g.numbered && g.before == before && g.after == after;
    });
    if (same == groups.end()) {
      groups.push_back({before, after, number, number, true, c});
    } else {
      same->last = number;
    }
  }
  return groups;
}

void print_game(const Game& game) {
  fmt::print("{}: {}\n", game.spec().name, game.spec().about);
  std::map<std::string, int> things;
  for (const Entity& e : game.arena().entities()) ++things[e.name];
  fmt::print("arena:   ");
  for (const auto& [name, count] : things) fmt::print(" {} x{} ", name, count);
  fmt::print("\ntime:     a decision every {:.2f} s, cut off after {} decisions\n",
             static_cast<double>(game.spec().think_every) * game.spec().arena.tick, game.spec().cutoffs.decisions);
  for (const Role& role : game.roles()) {
    fmt::print("\nrole {} ({} seat{}), script: {}\n", role.name, role.seats.size(), role.seats.size() == 1 ? "" : "s",
               game.spec().role(role.name).script.used() ? game.spec().role(role.name).script.name() : "none");
    fmt::print("  {:<26} {:<14} {:>7} {:>7}  {}\n", "senses", "unit", "low", "high", "1 stands for");
    for (const ColumnGroup& g : grouped(role.columns))
      fmt::print("  {:<26} {:<14} {:>7.2f} {:>7.2f}  {}\n", g.name(), g.column.unit, g.column.low, g.column.high,
                 g.column.unit == "flag" || g.column.scale == 1.0
                     ? ""
                     : fmt::format("{:.2f} {}", g.column.scale, g.column.unit));
    fmt::print("  {:<26} {:<14} {:>7} {:>7}\n", "controls", "unit", "low", "high");
    for (const ControlInfo& c : role.controls) {
      fmt::print("  {:<26} {:<14} {:>7.2f} {:>7.2f}", c.name, c.unit, c.low, c.high);
      for (const auto& option : c.options) fmt::print("  {}", option);
      fmt::print("\n");
    }
    fmt::print("  {:<26} {:<14} {}\n", "rewards", "weight", "ends the episode");
    for (const Term& t : game.spec().role(role.name).rewards)
      fmt::print("  {:<26} {:<14} {}\n", t.name, t.weight,
                 t.ends == Verdict::success   ? "success"
                 : t.ends == Verdict::failure ? "failure"
                                              : "");
  }
}

// Whoever can play the game without training: its script, else random controls.
std::unique_ptr<Pilot> untrained_pilot(const Game& game, std::size_t role = 0) {
  return game.spec().roles[role].script.playable() ? script_pilot(game, role) : random_pilot();
}

void draw_game(const Game& game, const ShowCommand& command) {
  std::vector<std::unique_ptr<Pilot>> pilots;
  std::vector<Pilot*> hands;
  for (std::size_t role = 0; role < game.roles().size(); ++role)
    hands.push_back(pilots.emplace_back(untrained_pilot(game, role)).get());
  const EpisodeKey key{derived_seed(command.seed, "score"), 0, 0};
  Path path;
  play_one(game, hands, key, [&](const Lanes& lanes) { extend(path, lanes); });
  Lanes start(game, 1);
  start.begin(0, key);
  const Picture picture{&start,
                        true,
                        {path},
                        fmt::format("{}: start of seed {} and the path of the {} pilot", game.spec().name, command.seed,
                                    hands[0]->name())};
  if (!command.png.empty()) draw_png(command.png, picture);
  if (!command.svg.empty()) draw_svg(command.svg, picture);
}

std::string with_range(const Interval& i, const char* format) {
  return fmt::format("{} [{}, {}]", fmt::format(fmt::runtime(format), i.mean), fmt::format(fmt::runtime(format), i.low),
                     fmt::format(fmt::runtime(format), i.high));
}

Interval in_percent(const Interval& i) { return {100 * i.mean, 100 * i.low, 100 * i.high}; }

void print_score(const Score& s) {
  fmt::print("{}: {} episodes of seed {}, greedy decisions, 95% intervals\n\n", s.game, s.episodes, s.seed);
  fmt::print("{:<10} {:<24} {:<24} {:<24}\n", "pilot", "success %", "return", "length");
  for (const PilotScore& p : s.pilots)
    fmt::print("{:<10} {:<24} {:<24} {:<24}\n", p.name, with_range(in_percent(p.success), "{:.1f}"),
               with_range(p.episode_return, "{:.2f}"), with_range(p.length, "{:.1f}"));
  fmt::print("\n{:<10}", "paid by");
  for (const auto& [term, interval] : s.pilots[0].terms) fmt::print(" {:<22}", term);
  for (const PilotScore& p : s.pilots) {
    fmt::print("\n{:<10}", p.name);
    for (const auto& [term, interval] : p.terms) fmt::print(" {:<22}", with_range(interval, "{:.2f}"));
  }
  fmt::print("\n");
}

}  // namespace

int GamesCommand::run() const {
  ordered_json list = ordered_json::array();
  for (const DemoGame& demo : demo_games()) {
    list.push_back({{"name", demo.name}, {"about", demo.spec.about}});
    if (!json) fmt::print("{:<12} {}\n", demo.name, demo.spec.about);
  }
  if (json) fmt::print("{}\n", list.dump(2));
  return done;
}

int ShowCommand::run() const {
  const Game compiled(find_game(game));
  if (!png.empty() || !svg.empty()) draw_game(compiled, *this);
  if (json) {
    fmt::print("{}\n", game_json(compiled).dump(2));
  } else {
    print_game(compiled);
  }
  return done;
}

int TrainCommand::run() const {
  const GameSpec spec = find_game(game);
  TrainOptions options;
  if (resume && holds_run(folder)) {
    const RunSettings stored = Run::open(folder).settings();
    options.decisions = stored.decisions;
    options.seed = stored.seed;
    options.checkpoint_every = stored.checkpoint_every;
    options.learner = stored.learner;
  }
  options.folder = folder;
  options.decisions = decisions.value_or(options.decisions);
  options.seed = seed.value_or(options.seed);
  options.learner.lanes = lanes.value_or(options.learner.lanes);
  options.threads = threads;
  options.existing = resume ? Existing::resume : fresh ? Existing::fresh : Existing::refuse;
  ProgressLine line;
  TrainingProgress last;
  options.on_progress = [&](const TrainingProgress& p) {
    last = p;
    line.show(p);
  };
  options.stop = &stop_on_signal();
  const Run trained = train(spec, options);
  line.close();

  const std::int64_t made = trained.decisions_done();
  const bool finished = made >= options.decisions;
  if (json) {
    fmt::print("{}\n", ordered_json{{"run", folder},
                                    {"game", spec.name},
                                    {"seed", options.seed},
                                    {"decisions", made},
                                    {"total", options.decisions},
                                    {"finished", finished},
                                    {"seconds", last.seconds},
                                    {"recent_success", last.success},
                                    {"recent_return", last.mean_return},
                                    {"checkpoint", trained.last_checkpoint().string()}}
                           .dump(2));
  } else if (finished) {
    fmt::print("trained {} decisions in {:.1f} s: {}\n", made, last.seconds, trained.last_checkpoint().string());
  } else {
    fmt::print("stopped and saved at {} of {} decisions; go on with: zithercraft train {} --run {} --resume\n", made,
               options.decisions, game, folder);
  }
  return finished ? done : stopped_by_signal;
}

int ScoreCommand::run() const {
  ScoreOptions options{.episodes = episodes, .seed = seed, .threads = threads};
  if (!against.empty()) options.against = {against};
  const Score result = score(Run::open(run_folder), options);
  if (json) {
    fmt::print("{}\n", result.to_json());
  } else {
    print_score(result);
  }
  return done;
}

int RecordCommand::run() const {
  record(Run::open(run_folder), out, {episodes, seed, checkpoint});
  const Replay replay(out);
  if (json) {
    fmt::print("{}\n",
               ordered_json{{"file", out}, {"episodes", replay.episodes().size()}, {"bytes", replay.bytes()}}.dump(2));
  } else {
    fmt::print("recorded {} episodes in {} ({} bytes)\n", replay.episodes().size(), out, replay.bytes());
  }
  return done;
}

int ReportCommand::run() const {
  const Run opened = Run::open(run_folder);
  write_report(opened, html, {.episodes = episodes});
  if (json) {
    fmt::print("{}\n", ordered_json{{"run", run_folder}, {"html", html}}.dump(2));
  } else {
    fmt::print("report: {}\n", html);
  }
  return done;
}

}  // namespace zithercraft::cli
