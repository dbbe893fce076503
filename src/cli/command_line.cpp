// The commands and their options as the command line has them; what they do is in commands.hpp.

#include "cli/command_line.hpp"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <memory>
#include <string>
#include <vector>

#include "cli/commands.hpp"
#include "cli/remote_games.hpp"
#include "zithercraft/run/methods.hpp"

namespace zithercraft::cli {
namespace {

bool is_number(const std::string& text, double least, bool itself) {
  double value = 0.0;
  return CLI::detail::lexical_cast(text, value) && (itself ? value >= least : value > least);
}
const CLI::Validator above_zero(
    [](const std::string& text) {
      return is_number(text, 0.0, false) ? std::string{} : "'" + text + "' is no number above 0";
    },
    "POSITIVE");
const CLI::Validator zero_or_more(
    [](const std::string& text) {
      return is_number(text, 0.0, true) ? std::string{} : "'" + text + "' is no number from 0 on";
    },
    "NONNEGATIVE");

void add_remote(CLI::App& sub, RemoteFlags& flags) {
  auto* group = sub.add_option_group("Games in other processes");
  auto* launch = group->add_option("--launch", flags.launch,
                                   "Command line that starts a game; {address} in it is where it "
                                   "joins. It is started again when it ends");
  auto* join =
      group->add_option("--join-at", flags.join_at,
                        "PORT or ADDRESS:PORT where games join that are started by others");
  auto* page = group->add_option("--page", flags.page,
                                 "HTML file of a game that is a page; it is served, with the files "
                                 "beside it");
  auto* instances =
      group->add_option("--instances", flags.instances, "Games to start, or to wait for")
          ->check(CLI::Range(1, 4096))
          ->capture_default_str();
  auto* token = group->add_option("--join-token", flags.token,
                                  "What games must carry; needed beyond this machine");
  auto* free = group->add_flag("--free", flags.free,
                               "Games that are ready play on; else every step waits for all of "
                               "them, and the result does not depend on their speed");
  auto* limit = group
                    ->add_option("--answer-limit", flags.answer_limit,
                                 "Seconds after which a game that does not answer is dropped")
                    ->check(above_zero)
                    ->capture_default_str();
  const auto some = [launch, join, page](const std::string&) -> std::string {
    if (!launch->empty() || !join->empty() || !page->empty()) return {};
    return "it needs --launch, --join-at or --page";
  };
  for (auto* option : {instances, token, free, limit}) option->check(some, "");
}

// What of a command's words may name a game, or a run of one.
template <class Command>
std::vector<std::string> games_named_by(const Command& command) {
  std::vector<std::string> names;
  if constexpr (requires { command.runs.game; }) names.push_back(command.runs.game);
  if constexpr (requires { command.game; }) names.push_back(command.game);
  if constexpr (requires { command.run_folder; }) names.push_back(command.run_folder);
  const auto add_all = [&](const std::vector<std::string>& list) {
    names.insert(names.end(), list.begin(), list.end());
  };
  if constexpr (requires { command.players; }) add_all(command.players);
  if constexpr (requires { command.paths; }) add_all(command.paths);
  if constexpr (requires { command.files; }) add_all(command.files);
  return names;
}

// Registers a command whose options fill in a struct of commands.hpp and whose `run` gives the exit
// status.
template <class Command, class Describe>
void add(CLI::App& app, const std::string& name, const std::string& about, int& status,
         Describe describe) {
  auto* sub = app.add_subcommand(name, about);
  auto command = std::make_shared<Command>();
  describe(*sub, *command);
  sub->add_flag("--json", command->json, "Print the result as JSON");
  sub->footer("Exit statuses: see `zithercraft --help`.");
  if constexpr (requires { command->remote; }) add_remote(*sub, command->remote);
  sub->final_callback([command, &status] {
    if constexpr (requires { command->remote; })
      join_games(command->remote, games_named_by(*command));
    status = command->run();
  });
}

void add_game(CLI::App& sub, std::string& game, std::vector<std::string>& set) {
  sub.add_option("GAME", game, "The game")->required();
  sub.add_option("--set", set,
                 "KEY=VALUE: a key of the game, like arena.bodies.hull.count=12 or term.bump=-2")
      ->allow_extra_args(false);
}

void add_serving(CLI::App& sub, ServeFlags& flags) {
  sub.add_option("--port", flags.port, "Port to serve the page at; 0: any that is free")
      ->capture_default_str();
  sub.add_option("--listen", flags.address,
                 "Address to serve it at; beyond this machine only with --token")
      ->capture_default_str();
  sub.add_option("--token", flags.token, "What the page's address must carry");
}

void describe_replay(CLI::App& sub, ReplayCommand& c) {
  sub.add_option("FILE", c.files,
                 "The replay file; up to four for --html and --serve, which show them side by side")
      ->required()
      ->expected(1, 4);
  sub.add_flag("--info", c.info, "Also list roles, players and reward of each term");
  sub.add_flag("--check", c.check, "Play it again and compare every bit");
  sub.add_flag("--serve", c.serve, "Show it in a page until interrupted");
  add_serving(sub, c.serving);
  sub.add_option("--network", c.networks,
                 "With --html and --serve: a run or a checkpoint whose network is shown at work; "
                 "one, or one for each file")
      ->allow_extra_args(false);
  sub.add_option("--html", c.html, "Write a self-contained page that plays it");
  sub.add_option("--csv", c.csv, "Write states.csv, events.csv and ledger.csv into this folder");
  sub.add_option("--gltf", c.gltf,
                 "Write an episode as an animated glTF 2.0 scene (.gltf or .glb)");
  sub.add_option("--png", c.png, "Draw an episode's path into this PNG file");
  sub.add_option("--sheet", c.sheet, "Draw twelve moments of an episode into this PNG file");
  sub.add_option("--gif", c.gif, "Write an episode as an animated GIF; needs ffmpeg");
  sub.add_option("--webm", c.webm, "Write an episode as a WebM film; needs ffmpeg");
  sub.add_option("--episode", c.episode, "Which episode to draw or convert, from 0")
      ->check(zero_or_more)
      ->capture_default_str();
  sub.add_option("--tick", c.tick, "With --png: which tick of the episode to draw, from 0");
}

void describe_drive(CLI::App& sub, DriveCommand& c) {
  add_game(sub, c.game, c.set);
  sub.add_option("--seat", c.seat,
                 "The seat to steer: a role's name, or ROLE:2 for its second seat");
  sub.add_option("--with", c.with, "A run whose policy plays the other seats of its role");
  sub.add_option("--out", c.out, "Record what is driven into this replay file");
  sub.add_option("--seed", c.seed, "Seed of the episodes")
      ->check(zero_or_more)
      ->capture_default_str();
  sub.add_option("--keys", c.keys, "Play one episode by a script of keys, without a page");
  add_serving(sub, c.serving);
}

void add_threads(CLI::App& sub, std::size_t& threads) {
  sub.add_option("--threads", threads,
                 "Threads, 0 for one per processor; no influence on the result")
      ->check(CLI::Range(0, 1024))
      ->capture_default_str();
}

void add_quiet(CLI::App& sub, bool& quiet) { sub.add_flag("--quiet", quiet, "Show no progress"); }

void add_episodes(CLI::App& sub, std::int64_t& episodes, std::uint64_t& seed,
                  const std::string& about) {
  sub.add_option("--episodes", episodes, about)
      ->check(CLI::Range(1, 10'000'000))
      ->capture_default_str();
  sub.add_option("--seed", seed, "Seed of the episodes")
      ->check(zero_or_more)
      ->capture_default_str();
}

void add_method(CLI::App& sub, std::string& method) {
  std::string about = "How it learns (default ppo)";
  for (const LearningMethod& known : learning_methods())
    about += fmt::format("\n{}: {}", known.name, known.about);
  sub.add_option("--method", method, about);
}

void add_learner_settings(CLI::App& sub, std::vector<std::string>& settings) {
  sub.add_option("--learner", settings,
                 "KEY=VALUE: one of the learner's settings, as run.toml names them")
      ->allow_extra_args(false);
}

void add_existing(CLI::App& sub, bool& resume, bool& fresh, const std::string& resume_about,
                  const std::string& what) {
  auto* going_on = sub.add_flag("--resume", resume, resume_about);
  sub.add_flag("--fresh", fresh, "Delete the " + what + " in the folder and start again")
      ->excludes(going_on);
}

void add_study(CLI::App& sub, StudyFlags& flags) {
  sub.add_option("--out", flags.folder, "The study's folder; made if missing")->required();
  add_threads(sub, flags.threads);
  add_existing(sub, flags.resume, flags.fresh, "Resume the study in the folder, or extend it",
               "study");
  add_quiet(sub, flags.quiet);
}

void add_run_flags(CLI::App& sub, StudyRunFlags& flags) {
  add_game(sub, flags.game, flags.set);
  add_method(sub, flags.method);
  add_learner_settings(sub, flags.learner);
  sub.add_option("--teacher", flags.teachers,
                 "Whom to learn from as well, as `train --teacher`; may be given several times")
      ->allow_extra_args(false);
  sub.add_option("--measure", flags.measures,
                 "What to measure: success, return, length, term.NAME, events.NAME, "
                 "steps_to_target, seconds_to_target "
                 "(default success and return)")
      ->allow_extra_args(false);
  sub.add_option("--seeds", flags.seeds, "Seeds of the trainings of each variant (default 1,2,3)");
  sub.add_option("--steps", flags.steps, "Steps that each trains for (default 1000000)")
      ->check(above_zero);
  sub.add_option("--episodes", flags.episodes,
                 "Fresh episodes that each is measured on (default 200)")
      ->check(CLI::Range(1, 10'000'000));
}

void add_actions(CLI::App& sub, ActionMode& actions) {
  auto* greedy = sub.add_flag_callback(
      "--greedy", [&] { actions = ActionMode::greedy; },
      "Take the most likely actions, as most do anyway");
  sub.add_flag_callback(
         "--sampled", [&] { actions = ActionMode::sampled; },
         "Sample actions by their probabilities; policies evolved to do so need no option")
      ->excludes(greedy);
}

void add_as(CLI::App& sub, TrainedAs& as) {
  static const std::map<std::string, TrainedAs> words{{"latest", TrainedAs::latest},
                                                      {"mixture", TrainedAs::mixture},
                                                      {"average", TrainedAs::average}};
  sub.add_option_function<std::string>(
         "--as", [&](const std::string& word) { as = words.at(word); },
         "Who plays for a training with opposed sides: its latest policy, in each episode one of "
         "its past policies (mixture), or a network that imitates them (average)")
      ->check(CLI::IsMember({"latest", "mixture", "average"}))
      ->default_str("latest");
}

// Players, as several commands take them.
template <class Command>
void add_players(CLI::App& sub, Command& c) {
  sub.add_option("PLAYER", c.players,
                 "script, random, expert, a run, RUN:CHECKPOINT, a checkpoint's file or a replay");
  sub.add_option("--all", c.all, "Every kept checkpoint of this run is a player");
  sub.add_option("--game", c.game, "The game (default: that of the first player that has one)");
  sub.add_option("--set", c.set, "KEY=VALUE: a key of the game")->allow_extra_args(false);
  add_actions(sub, c.actions);
}

void describe_compare(CLI::App& sub, CompareCommand& c) {
  sub.add_option("RUN", c.paths,
                 "Runs, folders of runs named seed-N, studies; the first group is compared with")
      ->required();
  sub.add_option("--target", c.target,
                 "Success of the last 100 episodes in training that counts as reached")
      ->check(CLI::Range(0.0, 1.0))
      ->capture_default_str();
  add_episodes(sub, c.episodes, c.seed, "Episodes for each run");
  sub.add_option("--png", c.png, "Draw the curves into this file (.png or .svg); needs gnuplot");
  sub.add_option("--over", c.over, "What the curves are drawn over: steps, or seconds of training")
      ->check(CLI::IsMember({"steps", "seconds"}))
      ->capture_default_str()
      ->needs("--png");
  sub.add_option("--html", c.html, "Write a page with table and both curves; needs gnuplot");
  add_threads(sub, c.threads);
  add_quiet(sub, c.quiet);
}

void describe_behaviour(CLI::App& sub, BehaviourCommand& c) {
  add_players(sub, c);
  sub.add_option("--seat", c.seat,
                 "ROLE or ROLE:2: the players take this seat in turn, all others are watched");
  sub.add_option("--as", c.as, "ROLE: the players play this role alone, and are watched")
      ->excludes("--seat");
  sub.add_option("--others", c.others, "Player of all other roles (default: script, or random)");
  add_episodes(sub, c.episodes, c.seed,
               "Episodes for each player; of a replay those that it holds");
  sub.add_option("--square", c.square, "Metres along the squares that places are counted in")
      ->check(above_zero)
      ->capture_default_str();
  CLI::Option* const way =
      sub.add_option("--way", c.ways,
                     "EVENT or EVENT=WORTH, like 'mob tern=3': a way of living; tells the share of "
                     "seats that live by each of them")
          ->allow_extra_args(false);
  sub.add_option(
         "--region", c.region,
         "Metres along squares: also tells these shares where seats spend most of their time")
      ->check(above_zero)
      ->needs(way);
  sub.add_option(
      "--png", c.png,
      "Draw what differs, or how it changed, into this file (.png or .svg); needs gnuplot");
  sub.add_option(
         "--draw", c.draw,
         "A measure to draw (default: all; of many checkpoints the events that change most)")
      ->allow_extra_args(false)
      ->needs("--png");
  add_threads(sub, c.threads);
  add_quiet(sub, c.quiet);
}

void describe_invade(CLI::App& sub, InvadeCommand& c) {
  sub.add_option("PLAYER", c.players,
                 "script, random, a run, RUN:CHECKPOINT or a checkpoint's file; two or more")
      ->required();
  sub.add_option("--game", c.game, "The game (default: that of the first player that has one)");
  sub.add_option("--set", c.set, "KEY=VALUE: a key of the game")->allow_extra_args(false);
  sub.add_option("--role", c.role, "The role (default: the first with several seats)");
  sub.add_option("--share", c.share, "Share of its seats that is invaded, at least one seat")
      ->check(CLI::Range(0.0, 1.0))
      ->capture_default_str();
  add_actions(sub, c.actions);
  add_episodes(sub, c.episodes, c.seed, "Episodes of each pair");
  add_threads(sub, c.threads);
  add_quiet(sub, c.quiet);
}

void describe_match(CLI::App& sub, MatchCommand& c) {
  add_players(sub, c);
  add_as(sub, c.as);
  add_episodes(sub, c.episodes, c.seed, "Episodes for each two, and again with sides swapped");
  auto* by_return =
      sub.add_flag("--by-return", c.by_return,
                   "The greater return wins an episode that is cut off, which else is a draw");
  auto* replays =
      sub.add_option("--replays", c.replays, "Keep the most notable episodes in this folder");
  auto* png =
      sub.add_option("--png", c.png, "Draw the table into this file (.png or .svg); needs gnuplot");
  auto* response = sub.add_option("--best-response", c.best_response,
                                  "Train who plays best against this player on each side, and say "
                                  "what it gains: how far others can exploit the player");
  sub.add_option("--steps", c.steps, "Steps to train each best response")
      ->check(above_zero)
      ->capture_default_str()
      ->needs(response);
  for (const char* other : {"PLAYER", "--all"}) response->excludes(sub.get_option(other));
  for (auto* other : {by_return, replays, png}) response->excludes(other);
  add_threads(sub, c.threads);
  add_quiet(sub, c.quiet);
}

void describe_sweep(CLI::App& sub, SweepCommand& c) {
  add_run_flags(sub, c.runs);
  sub.add_option("--grid", c.grid, "KEY=LOW:HIGH:COUNT or KEY=A,B,C; once or twice")
      ->required()
      ->allow_extra_args(false);
  add_study(sub, c.study);
}

void describe_ablate(CLI::App& sub, AblateCommand& c) {
  add_run_flags(sub, c.runs);
  sub.add_option("--only", c.only, "Take away only these")
      ->check(CLI::IsMember({"terms", "senses"}));
  add_study(sub, c.study);
}

void describe_study(CLI::App& sub, StudyCommand& c) {
  sub.add_option("PLAN", c.plan, "The plan's TOML file")->required();
  add_study(sub, c.study);
}

void describe_show(CLI::App& sub, ShowCommand& c) {
  add_game(sub, c.game, c.set);
  sub.add_option("--png", c.png,
                 "Draw a start, its rays and a hand-steered path into this PNG file");
  sub.add_option("--svg", c.svg, "The same into this SVG file");
  sub.add_flag("--senses", c.senses,
               "List what each column reads over random play; with --png, draw one moment as "
               "it is sensed");
  sub.add_option("--seed", c.seed, "Which start to draw")->capture_default_str();
}

void describe_doctor(CLI::App& sub, DoctorCommand& c) {
  add_game(sub, c.game, c.set);
  sub.add_option("--run", c.run_folder, "A run of it: look at its training and its policy too");
  sub.add_option("--steps", c.steps, "Steps to watch of each player")
      ->check(CLI::Range(1000, 100'000'000))
      ->capture_default_str();
  sub.add_option("--method", c.method,
                 "The method that is meant to train it: say whether it fits the controls");
  sub.add_option("--best-response", c.best_response,
                 "With a run of opposed sides: train best responses for so many steps, to see how "
                 "far others can exploit its policies")
      ->check(above_zero)
      ->needs("--run");
  sub.add_option("--strange", c.strange,
                 "Write the strangest episodes as replays into this folder");
  sub.add_option("--seed", c.seed, "Seed of the episodes")
      ->check(zero_or_more)
      ->capture_default_str();
  add_threads(sub, c.threads);
  add_quiet(sub, c.quiet);
}

void describe_speed(CLI::App& sub, SpeedCommand& c) {
  add_game(sub, c.game, c.set);
  add_method(sub, c.method);
  add_learner_settings(sub, c.learner);
  sub.add_option("--steps", c.steps, "Length of the training that the other settings follow from")
      ->check(above_zero)
      ->capture_default_str();
  sub.add_option("--seconds", c.seconds, "Seconds of each measurement")
      ->check(above_zero)
      ->capture_default_str();
  sub.add_option("--threads", c.threads, "Threads that train, 0 for one per processor")
      ->check(CLI::Range(0, 1024))
      ->capture_default_str();
  add_quiet(sub, c.quiet);
}

void describe_train(CLI::App& sub, TrainCommand& c) {
  add_game(sub, c.game, c.set);
  sub.add_option("--run", c.folder, "The run's folder; made if missing")->required();
  sub.add_option("--steps", c.steps, "Steps to train for (default 10000000)")->check(above_zero);
  add_method(sub, c.method);
  sub.add_option("--generations", c.generations,
                 "Of methods that make generations: how many, whatever the steps")
      ->check(above_zero)
      ->excludes("--steps");
  sub.add_option("--seed", c.seed, "Seed of everything random (default 1)")->check(zero_or_more);
  sub.add_option("--lanes", c.lanes,
                 "Copies of the game played side by side (default: by the length)")
      ->check(CLI::Range(1, 65536));
  sub.add_option("--checkpoint-every", c.checkpoint_every,
                 "Steps between checkpoints (default 250000)")
      ->check(above_zero);
  sub.add_option("--seeds", c.seeds, "Train a run for each of these seeds, 1,2,3, in RUN/seed-N");
  add_threads(sub, c.threads);
  sub.add_option("--learner", c.learner,
                 "KEY=VALUE: one of the learner's settings, as run.toml names them; "
                 "ROLE:KEY=VALUE: of one role")
      ->allow_extra_args(false);
  sub.add_option("--role", c.roles,
                 "ROLE=PLAYER: how a role is played: learns, script, random, expert, a run, a "
                 "checkpoint's file, a replay (default: "
                 "the first and its mirror images learn, others by script or at random)")
      ->allow_extra_args(false);
  sub.add_option("--from", c.from,
                 "A checkpoint or a run to continue from: what fits of its policy is taken");
  sub.add_option(
         "--teacher", c.teachers,
         "Whom to learn from as well: script, expert, random, a run, a checkpoint's file, a "
         "replay, a file of demonstrations; may be given several times")
      ->allow_extra_args(false);
  sub.add_option("--teacher-episodes", c.teacher_episodes,
                 "Episodes that teachers play beforehand, in all (default 200); replays show all "
                 "that they hold")
      ->check(above_zero);
  sub.add_flag("--interactive", c.interactive,
               "Of clone: let the policy play, and ask the teacher what it would have done there");
  sub.add_flag("--offline", c.offline,
               "Of dqn, sac and their like: play nothing, learn from demonstrations alone");
  sub.add_option("--freeze", c.freeze,
                 "Parts of the networks that stay as they are, like policy.hidden.0")
      ->allow_extra_args(false);
  sub.add_flag("--profile", c.profile, "Tell at the end where the time went");
  add_existing(sub, c.resume, c.fresh, "Go on where the run's last checkpoint stands", "run");
  add_quiet(sub, c.quiet);
}

void describe_network(CLI::App& sub, NetworkCommand& c) {
  sub.add_option("POLICY", c.policy, "A run, RUN:CHECKPOINT or a checkpoint's file")->required();
  sub.add_option("--role", c.role,
                 "Whose policy, of those that a checkpoint holds (default: the first)");
  sub.add_option("--graph", c.graph, "Draw nodes and links into this file (.png or .svg)");
  sub.add_option("--weights", c.weights,
                 "Draw the weights as matrices into this file (.png or .svg)");
  sub.add_option("--table", c.table,
                 "Write a policy's table into this file (.csv), with its states in words");
  sub.add_option("--column", c.column,
                 "Tell and draw the links of this node alone: a column, a control");
  sub.add_option("--layout", c.layout,
                 "Of the graph: layers, or free: hidden nodes near those they are linked with")
      ->check(CLI::IsMember({"layers", "free"}))
      ->capture_default_str();
  sub.add_option("--strongest", c.strongest, "How many links to draw, the strongest")
      ->check(CLI::Range(1, 10'000'000))
      ->capture_default_str();
}

void describe_evaluate(CLI::App& sub, EvaluateCommand& c) {
  sub.add_option("RUN", c.run_folder, "The run's folder")->required();
  add_episodes(sub, c.episodes, c.seed, "Episodes for each player");
  auto* against =
      sub.add_option("--against", c.against,
                     "Compare with these only: random, script, expert, or another run's folder")
          ->allow_extra_args(false);
  add_actions(sub, c.actions);
  add_as(sub, c.as);
  auto* checkpoints = sub.add_flag("--checkpoints", c.checkpoints,
                                   "Evaluate every kept checkpoint on the same episodes");
  auto* vary =
      sub.add_option("--vary", c.vary,
                     "KEY=LOW:HIGH:COUNT or KEY=A,B,C: evaluate in changed games; once or twice")
          ->allow_extra_args(false);
  auto* variants =
      sub.add_option("--variants", c.variants, "Evaluate in the variants of this plan file");
  sub.add_option(
      "--png", c.png,
      "With variants or checkpoints: draw them into this file (.png or .svg); needs gnuplot");
  auto* csv = sub.add_option("--csv", c.csv,
                             "Write every episode as comma-separated values into this file");
  for (auto* other : {against, vary, variants, csv}) checkpoints->excludes(other);
  checkpoints->excludes("--as");
  add_threads(sub, c.threads);
  add_quiet(sub, c.quiet);
}

void describe_export(CLI::App& sub, ExportCommand& c) {
  sub.add_option("RUN", c.run_folder, "The run's folder")->required();
  sub.add_option("--out", c.out, "The file (.safetensors)")->required();
  sub.add_option("--checkpoint", c.checkpoint,
                 "Which checkpoint: a kept one's name, like at-000001000000")
      ->capture_default_str();
  add_as(sub, c.as);
  add_quiet(sub, c.quiet);
}

void describe_record(CLI::App& sub, RecordCommand& c) {
  sub.add_option("RUN", c.run_folder, "The run's folder")->required();
  sub.add_option("--out", c.out, "The replay file (.zrep)")->required();
  sub.add_option("--episodes", c.episodes, "Episodes to record")
      ->check(CLI::Range(1, 1'000'000))
      ->capture_default_str();
  sub.add_option("--seed", c.seed, "Seed of the episodes")
      ->check(zero_or_more)
      ->capture_default_str();
  sub.add_option("--checkpoint", c.checkpoint,
                 "Whose policy plays: a kept checkpoint's name, like at-000001000000")
      ->capture_default_str();
  add_actions(sub, c.actions);
}

void describe_serve_policy(CLI::App& sub, ServePolicyCommand& c) {
  sub.add_option("POLICY", c.policy, "A run, RUN:CHECKPOINT or a checkpoint's file")->required();
  sub.add_option("--port", c.serving.port, "Port where games ask; 0: any that is free")
      ->capture_default_str();
  sub.add_option("--listen", c.serving.address,
                 "Address where they ask; beyond this machine only with --token")
      ->capture_default_str();
  sub.add_option("--token", c.serving.token, "What games must carry");
  sub.add_option("--seed", c.seed, "Seed of sampled actions")
      ->check(zero_or_more)
      ->capture_default_str();
  add_actions(sub, c.actions);
}

void describe_watch(CLI::App& sub, WatchCommand& c) {
  sub.add_option("RUN", c.run_folder, "The run's folder")->required();
  add_serving(sub, c.serving);
}

void describe_report(CLI::App& sub, ReportCommand& c) {
  sub.add_option("RUN", c.run_folder, "The run's folder")->required();
  sub.add_option("--html", c.html, "The page's file");
  sub.add_option("--csv", c.csv, "Write the curves as comma-separated values into this file");
  sub.add_option("--episodes", c.episodes, "Episodes to evaluate for its table")
      ->check(CLI::Range(1, 10'000'000))
      ->capture_default_str();
  add_quiet(sub, c.quiet);
}

// Commands that set players, games or trainings side by side.
void add_comparisons(CLI::App& app, int& status) {
  add<BehaviourCommand>(app, "behaviour",
                        "Describe how players behave, or how others react to the player of a seat",
                        status, describe_behaviour);
  add<MatchCommand>(app, "match",
                    "Tournament: trained, scripted, random or recorded players meet, and are rated",
                    status, describe_match);
  add<InvadeCommand>(app, "invade",
                     "Invasion test: how a few seats of a role fare by one player among another's",
                     status, describe_invade);
  add<SweepCommand>(app, "sweep",
                    "Grid search: train over a grid of one or two keys, several seeds in each cell",
                    status, describe_sweep);
  add<AblateCommand>(
      app, "ablate",
      "Ablation: take away each reward term and each sense in turn; which of them mattered?",
      status, describe_ablate);
  add<StudyCommand>(app, "study", "Run a planned experiment: several games, variants and seeds",
                    status, describe_study);
}

}  // namespace

void add_commands(CLI::App& app, int& status) {
  add<GamesCommand>(app, "games", "List the demo games (environments)", status,
                    [](CLI::App&, GamesCommand&) {});
  add<ShowCommand>(
      app, "show",
      "Describe a game: senses (observations), controls (actions), rewards, curriculum, episodes",
      status, describe_show);
  add<DoctorCommand>(
      app, "doctor",
      "Diagnose what would keep an agent from learning a game, or kept it from learning", status,
      describe_doctor);
  add<SpeedCommand>(app, "speed",
                    "Measure how fast a game is played and learned, what costs most, and what a "
                    "cheaper form of it would bring",
                    status, describe_speed);
  add<TrainCommand>(app, "train",
                    "Train agents into a run folder: PPO and other reinforcement learning, "
                    "self-play of teams, neuroevolution",
                    status, describe_train);
  add<NetworkCommand>(app, "network",
                      "Show a policy's network: what it listens to, its links and its weights",
                      status, describe_network);
  add<EvaluateCommand>(
      app, "evaluate",
      "Evaluate a trained policy on fresh episodes, beside random play and the script", status,
      describe_evaluate);
  add<ExportCommand>(app, "export",
                     "Write a run's policies alone into a small file, for a finished game", status,
                     describe_export);
  add<ServePolicyCommand>(app, "serve-policy",
                          "Answer games that ask a trained policy what to do, over a socket",
                          status, describe_serve_policy);
  add<RecordCommand>(app, "record", "Record episodes of a trained policy into a replay file",
                     status, describe_record);
  add<ReplayCommand>(app, "replay", "Play back, check, draw, show and convert a recorded match",
                     status, describe_replay);
  add<DriveCommand>(app, "drive", "Steer a seat by keyboard or gamepad in a page", status,
                    describe_drive);
  add<WatchCommand>(app, "watch", "Show a running or finished training in a page", status,
                    describe_watch);
  add<ReportCommand>(app, "report", "Write one self-contained page about a run", status,
                     describe_report);
  add<CompareCommand>(app, "compare",
                      "Compare runs and studies: success, chance to be better, steps to a target",
                      status, describe_compare);
  add_comparisons(app, status);
}

}  // namespace zithercraft::cli
