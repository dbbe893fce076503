#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/match/player.hpp"
#include "zithercraft/run/player_source.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft::cli {

class ProgressLine;

/// Games in other processes, for commands that play.
struct RemoteFlags {
  std::string launch, join_at, page, token;
  std::size_t instances = 1;
  double answer_limit = 10.0;
  bool free = false;
  bool used() const { return !launch.empty() || !join_at.empty() || !page.empty(); }
};

struct GamesCommand {
  bool json = false;
  int run() const;
};

struct ShowCommand {
  std::string game, png, svg;
  std::vector<std::string> set;  // keys of the game as KEY=VALUE
  std::uint64_t seed = 0;
  bool senses = false, json = false;
  RemoteFlags remote;
  int run() const;
};

struct DoctorCommand {
  std::string game, run_folder, strange, method;
  std::vector<std::string> set;
  std::int64_t steps = 20'000, best_response = 0;
  std::uint64_t seed = 0;
  std::size_t threads = 0;
  bool json = false, quiet = false;
  RemoteFlags remote;
  int run() const;
};

struct SpeedCommand {
  std::string game, method = "ppo";
  std::vector<std::string> set, learner;
  std::int64_t steps = 10'000'000;
  std::size_t threads = 0;
  double seconds = 1.0;
  bool json = false, quiet = false;
  int run() const;
};

struct TrainCommand {
  std::string game, folder;
  // What is not given comes from the run when resuming, else from the library's defaults.
  std::optional<std::int64_t> steps, generations, lanes, checkpoint_every;
  std::optional<std::uint64_t> seed;
  std::vector<std::string> set;
  std::vector<std::string> learner,
      freeze;                      // settings as [ROLE:]KEY=VALUE; beginnings of parts' names
  std::vector<std::string> roles;  // ROLE=WHO
  std::string from, seeds, method;
  std::vector<std::string> teachers;
  std::optional<std::int64_t> teacher_episodes;
  std::size_t threads = 0;
  bool interactive = false, offline = false;
  bool resume = false, fresh = false, profile = false, json = false, quiet = false;
  RemoteFlags remote;
  int run() const;

 private:
  TrainOptions options() const;
  void check_folders(const TrainOptions& options) const;
  int train_all(const GameSpec& spec, const TrainOptions& options, ProgressLine& line) const;
};

struct EvaluateCommand {
  std::string run_folder, csv, variants, png;
  std::vector<std::string> against, vary;
  std::int64_t episodes = 500;
  std::uint64_t seed = 0;
  std::size_t threads = 0;
  ActionMode actions = ActionMode::usual;
  TrainedAs as = TrainedAs::latest;
  bool checkpoints = false, json = false, quiet = false;
  RemoteFlags remote;
  int run() const;
};

struct ExportCommand {
  std::string run_folder, checkpoint = "last", out;
  TrainedAs as = TrainedAs::latest;
  bool quiet = false, json = false;
  int run() const;
};

struct CompareCommand {
  std::vector<std::string> paths;
  std::string png, html, over = "steps";
  std::int64_t episodes = 200;
  std::uint64_t seed = 0;
  double target = 0.9;
  std::size_t threads = 0;
  bool json = false, quiet = false;
  RemoteFlags remote;
  int run() const;
};

struct MatchCommand {
  std::vector<std::string> players, set;
  std::string game, replays, png, all, best_response;
  std::int64_t episodes = 200, steps = 1'000'000;
  std::uint64_t seed = 0;
  std::size_t threads = 0;
  ActionMode actions = ActionMode::usual;
  TrainedAs as = TrainedAs::latest;
  bool by_return = false, json = false, quiet = false;
  RemoteFlags remote;
  int run() const;
};

struct BehaviourCommand {
  std::vector<std::string> players, set, draw, ways;
  std::string game, png, all, seat, as, others;
  std::int64_t episodes = 200;
  std::uint64_t seed = 0;
  std::size_t threads = 0;
  double square = 4.0;
  std::optional<double> region;
  ActionMode actions = ActionMode::usual;
  bool json = false, quiet = false;
  RemoteFlags remote;
  int run() const;
};

struct InvadeCommand {
  std::vector<std::string> players, set;
  std::string game, role;
  double share = 0.1;
  std::int64_t episodes = 20;
  std::uint64_t seed = 0;
  std::size_t threads = 0;
  ActionMode actions = ActionMode::usual;
  bool json = false, quiet = false;
  RemoteFlags remote;
  int run() const;
};

/// Options of all studies.
struct StudyFlags {
  std::string folder;
  std::size_t threads = 0;
  bool resume = false, fresh = false, quiet = false;
};

/// Options of studies that begin with a game. What is not given comes from the study when resuming.
struct StudyRunFlags {
  std::string game, method;
  std::vector<std::string> set, learner, teachers, measures;
  std::string seeds;
  std::optional<std::int64_t> steps, episodes;
};

struct SweepCommand {
  StudyFlags study;
  StudyRunFlags runs;
  std::vector<std::string> grid;
  bool json = false;
  RemoteFlags remote;
  int run() const;
};

struct AblateCommand {
  StudyFlags study;
  StudyRunFlags runs;
  std::string only;
  bool json = false;
  RemoteFlags remote;
  int run() const;
};

struct StudyCommand {
  StudyFlags study;
  std::string plan;
  bool json = false;
  RemoteFlags remote;
  int run() const;
};

struct RecordCommand {
  std::string run_folder, out, checkpoint = "last";
  std::int64_t episodes = 5;
  std::uint64_t seed = 0;
  ActionMode actions = ActionMode::usual;
  bool json = false;
  RemoteFlags remote;
  int run() const;
};

/// Where a page is served.
struct ServeFlags {
  std::string address = "127.0.0.1", token;
  std::uint16_t port = 0;
};

struct ReplayCommand {
  std::vector<std::string> files, networks;
  std::string png, sheet, html, csv, gif, webm, gltf;
  std::size_t episode = 0;
  std::optional<std::uint32_t> tick;
  ServeFlags serving;
  bool info = false, check = false, serve = false, json = false;
  RemoteFlags remote;
  int run() const;
};

struct DriveCommand {
  std::string game, seat, with, out, keys;
  std::vector<std::string> set;
  std::uint64_t seed = 0;
  ServeFlags serving;
  bool json = false;
  RemoteFlags remote;
  int run() const;
};

struct ServePolicyCommand {
  std::string policy;
  ServeFlags serving;
  std::uint64_t seed = 0;
  ActionMode actions = ActionMode::usual;
  bool json = false;
  int run() const;
};

struct WatchCommand {
  std::string run_folder;
  ServeFlags serving;
  bool json = false;
  RemoteFlags remote;
  int run() const;
};

struct NetworkCommand {
  std::string policy, role, graph, weights, table, column, layout = "layers";
  std::size_t strongest = 600;
  bool json = false;
  int run() const;
};

struct ReportCommand {
  std::string run_folder, html, csv;
  std::int64_t episodes = 500;
  bool json = false, quiet = false;
  RemoteFlags remote;
  int run() const;
};

/// The checkpoint that a run, RUN:CHECKPOINT or a checkpoint's file means. Throws Error (usage).
std::filesystem::path checkpoint_named(const std::string& name);
/// "1,2,3" as numbers. Throws Error (usage).
std::vector<std::uint64_t> parse_seeds(const std::string& text);

/// Exit statuses beyond those of ErrorKind.
constexpr int done = 0, stopped_by_signal = 7, doctor_warns = 8, doctor_finds_error = 9,
              unexpected = 70;

}  // namespace zithercraft::cli
