#include "cli/commands.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <map>

#include "base/json.hpp"
#include "cli/file_guard.hpp"
#include "cli/games.hpp"
#include "cli/progress.hpp"
#include "cli/signals.hpp"
#include "cli/table.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/zithercraft.hpp"

namespace zithercraft::cli {

int ExportCommand::run() const {
  FileGuard().reads_player(run_folder).writes("--out", out).check(json);
  const TensorFile file = exported_policies(Run::open(run_folder), checkpoint, as);
  file.save(out);
  const auto bytes = static_cast<std::int64_t>(std::filesystem::file_size(out));
  if (json) {
    fmt::print("{}\n", Json{{"file", out}, {"as", name_of(as)}, {"bytes", bytes}}.dump(2));
  } else if (!quiet) {
    fmt::print("{}: {}, {} kB\n", out,
               as == TrainedAs::latest    ? "the latest policies"
               : as == TrainedAs::mixture ? "the policies of the mixture"
                                          : "average policies",
               (bytes + 999) / 1000);
  }
  return done;
}

namespace {

// Where the time of a training went: of all threads together, and by the clock.
class Profile {
 public:
  explicit Profile(const LearningMethod& method) {
    for (const MetricInfo& info : method.metrics)
      if (info.chart == time_chart) phases_.push_back({info.name, info.about, 0.0});
  }

  void add(const TrainingProgress& p) {
    for (Phase& phase : phases_) phase.seconds += metric_in(p.learner, phase.name).value_or(0.0);
    wall_ += p.wall_seconds;
  }

  Json to_json() const {
    Json j;
    for (const Phase& phase : phases_) j[phase.name] = phase.seconds;
    j["wall_seconds"] = wall_;
    return j;
  }

  void print(const TrainingProgress& last) const {
    double busy = 0.0;
    for (const Phase& phase : phases_) busy += phase.seconds;
    const double steps = std::max(1.0, static_cast<double>(last.steps));
    if (busy == 0.0) return;
    fmt::print("\n{:<28} {:>10} {:>9} {:>16}\n", "phase", "seconds", "share %", "us per step");
    for (const Phase& phase : phases_)
      fmt::print("{:<28} {:>10.2f} {:>9.1f} {:>16.2f}\n", phase.about, phase.seconds,
                 100 * phase.seconds / busy, 1e6 * phase.seconds / steps);
    fmt::print("{:.2f} s by the clock; the threads were busy for {:.0f}% of the last update\n",
               wall_, 100 * last.busy_share);
  }

 private:
  struct Phase {
    std::string name, about;
    double seconds = 0.0;
  };
  std::vector<Phase> phases_;
  double wall_ = 0.0;
};

std::string list_of(const std::vector<std::string>& names) {
  std::string text;
  for (std::size_t i = 0; i < names.size() && i < 8; ++i) text += (i == 0 ? "" : ", ") + names[i];
  return names.size() > 8 ? fmt::format("{} and {} more", text, names.size() - 8) : text;
}

void print_continuation(const Continuation& c) {
  fmt::print("continued from the old policy:\n");
  for (const auto& part : c.parts)
    fmt::print("  {:<34} {}\n", part.name,
               part.taken == Continuation::Taken::all ? "taken"
               : part.taken == Continuation::Taken::none
                   ? "fresh"
                   : fmt::format("{} of {} numbers taken", part.numbers, part.of));
  const auto tell = [](const char* what, const std::vector<std::string>& names) {
    if (!names.empty()) fmt::print("  {}: {}\n", what, list_of(names));
  };
  tell("columns that are new", c.new_columns);
  tell("columns that are gone", c.lost_columns);
  tell("controls that are new", c.new_controls);
  tell("controls that are gone", c.lost_controls);
}

RoleTraining& role_training(std::vector<RoleTraining>& roles, const std::string& role) {
  for (RoleTraining& known : roles)
    if (known.role == role) return known;
  return roles.emplace_back(RoleTraining{role});
}

// "ROLE=WHO"
void add_role(std::vector<RoleTraining>& roles, const std::string& text) {
  const std::size_t equals = text.find('=');
  if (equals == 0 || equals == std::string::npos || equals + 1 == text.size())
    throw Error(ErrorKind::usage, "'" + text + "' does not name a player for a role", "--role",
                "write ROLE=PLAYER, like blocker=learns");
  role_training(roles, text.substr(0, equals)).played_by = text.substr(equals + 1);
}

// "KEY=VALUE" or "ROLE:KEY=VALUE"
void add_setting(TrainOptions& options, const std::string& text) {
  const std::size_t colon = text.substr(0, text.find('=')).find(':');
  if (colon == std::string::npos) return options.learner.set(text);
  const auto [key, value] = parse_assignment(text.substr(colon + 1), "--learner");
  role_training(options.roles, text.substr(0, colon)).learner[key] = value;
}

}  // namespace

int GamesCommand::run() const {
  Table table(json);
  const auto add = [&](const GameSpec& game) {
    table.add({text_cell("name", game.name, 12), text_cell("about", game.about, 1)});
  };
  for (const GameSpec& own : added_games()) add(own);
  for (const DemoGame& demo : demo_games()) add(demo.spec);
  if (json) fmt::print("{}\n", table.rows().dump(2));
  return done;
}

namespace {

// Prints what came of the training.
void tell(const TrainCommand& c, const GameSpec& spec, const Run& trained,
          const TrainOptions& options, const TrainingProgress& last,
          const Profile& where_time_went) {
  const LearningMethod& by = learning_method(options.learner.method());
  const auto [made, updates] = trained.counters();
  const bool by_generations = options.generations > 0;
  if (c.json) {
    Json result{{"run", c.folder},
                {"game", spec.name},
                {"method", by.name},
                {"seed", options.seed},
                {"steps", made}};
    if (!by_generations) result["total"] = options.steps;
    if (by.generations) result["generations"] = updates;
    if (by_generations) result["total_generations"] = options.generations;
    result["finished"] = trained.finished();
    result["seconds"] = last.seconds;
    result["recent_success"] = last.success;
    result["recent_return"] = last.mean_return;
    result["checkpoint"] = trained.last_checkpoint().string();
    result["profile"] = where_time_went.to_json();
    fmt::print("{}\n", result.dump(2));
  } else if (trained.finished()) {
    fmt::print("trained {}{} steps in {:.1f} s: {}\n",
               by.generations ? fmt::format("{} generations, ", updates) : "", made, last.seconds,
               trained.last_checkpoint().string());
    if (!trained.settings().teachers.empty())
      fmt::print("{}beside its teachers: zithercraft evaluate {}\n",
                 last.note.empty() ? "" : last.note + "; ", c.folder);
  } else {
    std::string again = c.game;
    for (const std::string& assignment : c.set) again += fmt::format(" --set '{}'", assignment);
    if (!c.remote.launch.empty()) again += fmt::format(" --launch '{}'", c.remote.launch);
    if (!c.remote.join_at.empty()) again += " --join-at " + c.remote.join_at;
    if (!c.remote.page.empty()) again += " --page " + c.remote.page;
    if (c.remote.instances > 1) again += fmt::format(" --instances {}", c.remote.instances);
    fmt::print("stopped and saved at {}; continue with: zithercraft train {} --run {} --resume\n",
               by_generations ? fmt::format("{} of {} generations", updates, options.generations)
                              : fmt::format("{} of {} steps", made, options.steps),
               again, c.folder);
  }
}

}  // namespace

// The given options, on top of those of the run that is resumed.
TrainOptions TrainCommand::options() const {
  TrainOptions options;
  if (resume && holds_run(folder)) {
    const RunSettings stored = Run::open(folder).settings();
    options.steps = stored.steps;
    options.seed = stored.seed;
    options.checkpoint_every = stored.checkpoint_every;
    options.learner = stored.learner;
    options.generations = stored.generations;
    options.roles = stored.roles;
    options.teachers = stored.teachers;
    options.teacher_episodes = stored.teacher_episodes;
    if (!method.empty() && method != stored.learner.method())
      throw Error(ErrorKind::refused, "the run trains by " + stored.learner.method(), "--method",
                  "leave it out, or start a new run");
  } else if (!method.empty()) {
    options.learner = learning_method(method).settings;
  }
  options.folder = folder;
  options.steps = steps.value_or(options.steps);
  options.generations = generations.value_or(steps ? 0 : options.generations);
  options.seed = seed.value_or(options.seed);
  options.checkpoint_every = checkpoint_every.value_or(options.checkpoint_every);
  const std::string& by = options.learner.method();
  if (!learning_method(by).generations && options.generations > 0)
    throw Error(ErrorKind::usage, by + " has no generations", "--generations",
                "count --steps, or add --method with one that makes generations");
  const auto give = [&](const char* option, const char* key, const Value& value) {
    if (!options.learner.has(key))
      throw Error(ErrorKind::usage, by + " has no such option", option,
                  "leave it out; its settings are those of [learner] in run.toml");
    options.learner.set(key, value, option);
  };
  if (lanes) give("--lanes", "lanes", *lanes);
  if (interactive) give("--interactive", "interactive", true);
  if (offline) give("--offline", "offline", true);
  if (!teachers.empty()) options.teachers = teachers;
  options.teacher_episodes = teacher_episodes.value_or(options.teacher_episodes);
  for (const std::string& text : roles) add_role(options.roles, text);
  for (const std::string& setting : learner) add_setting(options, setting);
  if (!freeze.empty()) give("--freeze", "frozen", Value::List(freeze.begin(), freeze.end()));
  options.from = from;
  return options;
}

// Says which option helps where a folder cannot be used as the options say.
void TrainCommand::check_folders(const TrainOptions& options) const {
  std::vector<std::filesystem::path> folders{folder};
  if (!seeds.empty()) {
    folders.clear();
    for (const std::uint64_t number : parse_seeds(seeds))
      folders.push_back(std::filesystem::path(folder) / fmt::format("seed-{}", number));
  }
  for (const std::filesystem::path& each : folders)
    if (options.existing == Existing::refuse && holds_run(each))
      throw Error(ErrorKind::refused, "the folder holds a run already", each.string(),
                  "use --resume to continue it, --fresh to delete it and start again, or another "
                  "folder");
  if (options.existing == Existing::resume && seeds.empty() && !holds_run(folder))
    throw Error(ErrorKind::refused, "there is no run to resume", folder, "leave out --resume");
}

int TrainCommand::run() const {
  const auto processes = join_process_group();
  const bool first = processes == nullptr || processes->number() == 0;
  const GameSpec spec = find_game(game, set);
  TrainOptions options = this->options();
  options.processes = processes.get();
  if (first && !json) options.on_continuation = print_continuation;
  options.on_note = [](const std::string& note) {
    fmt::print(stderr, "zithercraft: note: {}\n", note);
  };
  if (const auto copies = copies_of(Game(spec)); copies && lanes)
    if (const auto there = static_cast<std::int64_t>(*copies); *lanes > there)
      options.on_note(
          fmt::format("{} of {} lanes wait until more games join", *lanes - there, *lanes));
  const LearningMethod& by = learning_method(options.learner.method());
  Profile where_time_went(by);
  options.threads = threads;
  options.existing = resume ? Existing::resume : fresh ? Existing::fresh : Existing::refuse;
  ProgressLine line(quiet);
  TrainingProgress last;
  options.on_progress = [&](const TrainingProgress& p) {
    last = p;
    where_time_went.add(p);
    if (first) line.show(p);
  };
  options.stop = &stop_on_signal();
  if (first) check_folders(options);
  if (!seeds.empty()) return train_all(spec, options, line);
  const Run trained = train(spec, options);
  if (!first) return last.steps >= last.total ? done : stopped_by_signal;
  line.close();

  tell(*this, spec, trained, options, last, where_time_went);
  if (!json)
    for (const std::string& warning : last.warnings) fmt::print("warning: {}\n", warning);
  if (profile && !json) where_time_went.print(last);
  return trained.finished() ? done : stopped_by_signal;
}

// One run for each seed, in folders of their own.
int TrainCommand::train_all(const GameSpec& spec, const TrainOptions& options,
                            ProgressLine& line) const {
  if (seed.has_value())
    throw Error(ErrorKind::usage, "--seed and --seeds cannot be given both", "train",
                "give one of them");
  const auto runs = train_seeds(spec, options, parse_seeds(seeds));
  line.close();
  const bool finished =
      std::all_of(runs.begin(), runs.end(), [](const Run& run) { return run.finished(); });
  Table table(json);
  for (const Run& run : runs) {
    const auto newest = Metrics(run.metrics()).newest();
    const double success = newest ? newest->recent_success : 0.0;
    table.add({text_cell("run", run.folder().string(), 32, "run"),
               whole_cell("seed", static_cast<std::int64_t>(run.settings().seed), -6, "seed"),
               whole_cell("steps", run.steps_done(), -12, "steps"),
               {"finished", run.finished()},
               {"recent_success", success, "success of the last 100 episodes",
                fmt::format("{:.0f}%", 100 * success), 1}});
  }
  if (json) {
    fmt::print("{}\n", Json{{"game", spec.name}, {"runs", table.rows()}}.dump(2));
  } else if (finished) {
    fmt::print("compare them with: zithercraft compare {}\n", folder);
  } else {
    fmt::print("stopped and saved; continue with the same command and --resume\n");
  }
  return finished ? done : stopped_by_signal;
}

int RecordCommand::run() const {
  FileGuard().reads_player(run_folder).writes("--out", out).check(json);
  record(Run::open(run_folder), out, {episodes, seed, checkpoint, actions});
  Json recorded{{"file", out}, {"episodes", episodes}};
  std::error_code code;  // a pipe has no size
  if (const auto bytes = std::filesystem::file_size(out, code); !code) recorded["bytes"] = bytes;
  if (json) {
    fmt::print("{}\n", recorded.dump(2));
  } else {
    fmt::print("recorded {} episodes in {}{}\n", episodes, out,
               recorded.contains("bytes")
                   ? fmt::format(" ({} bytes)", recorded["bytes"].get<std::uintmax_t>())
                   : "");
  }
  return done;
}

int ReportCommand::run() const {
  if (html.empty() && csv.empty())
    throw Error(ErrorKind::usage, "there is nothing to write", "report",
                "give --html FILE, --csv FILE, or both");
  FileGuard().reads_player(run_folder).writes("--html", html).writes("--csv", csv).check(json);
  const Run opened = Run::open(run_folder);
  if (!csv.empty()) write_atomically(csv, metrics_csv(Metrics(opened.metrics()).rows()));
  if (!html.empty()) {
    ProgressLine line(quiet);
    write_report(opened, html, {.episodes = episodes, .on_progress = line.of("episodes")});
    line.wipe();
  }
  if (json) {
    Json written{{"run", run_folder}};
    if (!html.empty()) written["html"] = html;
    if (!csv.empty()) written["csv"] = csv;
    fmt::print("{}\n", written.dump(2));
  } else {
    if (!html.empty()) fmt::print("report: {}\n", html);
    if (!csv.empty()) fmt::print("curves: {}\n", csv);
  }
  return done;
}

}  // namespace zithercraft::cli
