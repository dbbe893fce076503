#include <fmt/format.h>

#include "cli/commands.hpp"
#include "cli/games.hpp"
#include "cli/progress.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/doctor/doctor.hpp"
#include "zithercraft/experiment/speed.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft::cli {
namespace {

void print_findings(const Diagnosis& d) {
  std::string players;
  for (const auto& player : d.players) players += (players.empty() ? "" : ", ") + player;
  fmt::print("{}: watched {} steps of play: {}\n", d.game, d.steps, players);
  if (d.findings.empty()) fmt::print("\nnothing found\n");
  for (const Finding& f : d.findings) {
    fmt::print("\n{:<8} {}: {}\n", name_of(f.severity), f.where, f.what);
    fmt::print("         {}: {}{}\n", f.check, f.evidence,
               f.began >= 0 ? fmt::format(", from step {} on", f.began) : "");
    fmt::print("         fix: {}\n", f.fix);
  }
  std::string role;
  for (const TagSeen& s : d.seen) {
    if (s.role != role) fmt::print("\n{} saw, by share of its steps:", s.role);
    role = s.role;
    fmt::print(" {} {:.3g}%", s.tag, 100.0 * s.share);
  }
  if (!d.seen.empty()) fmt::print("\n");
  if (!d.strange.empty()) fmt::print("\nstrange episodes\n");
  for (const StrangeEpisode& s : d.strange)
    fmt::print("  {:<11} lane {:>2}, episode {:>4}: {}{}\n", s.player, s.lane, s.episode, s.why,
               s.replay.empty() ? "" : "  -> " + s.replay);
}

// What playing costs, in a line.
void print_speed(const GameSpec& game) {
  constexpr double seconds = 0.1, worth_naming = 0.05;
  const SpeedTable speed = measure_play(game, seconds);
  if (speed.parts.empty()) return;
  std::string parts;
  for (std::size_t p = 0; p < speed.parts.size() && p < 3; ++p) {
    const double share = speed.parts[p].microseconds / speed.play_microseconds;
    if (share >= worth_naming)
      parts += fmt::format("{}{} {:.0f}%", parts.empty() ? "" : ", ", speed.parts[p].name,
                           100.0 * share);
  }
  fmt::print(
      "\nspeed: a step of a seat takes {:.3g} us to play on one thread: {}; more by "
      "`zithercraft speed`\n",
      speed.play_microseconds, parts);
}

int status_of(const Diagnosis& d) {
  switch (d.worst()) {
    case Severity::note: return done;
    case Severity::warning: return doctor_warns;
    case Severity::error: return doctor_finds_error;
  }
  return unexpected;
}

}  // namespace

int DoctorCommand::run() const {
  ProgressLine line(quiet);
  const DoctorOptions options{.steps = steps,
                              .seed = seed,
                              .threads = threads,
                              .on_progress = line.of("steps"),
                              .strange_replays = strange,
                              .best_response = best_response,
                              .method = method};
  const GameSpec spec = find_game(game, set);
  Diagnosis d;
  if (run_folder.empty()) {
    d = examine(Game(spec), options);
  } else {
    const Run trained = Run::open(run_folder);
    if (const auto difference = first_difference(self_contained(spec), trained.game_spec());
        !difference.empty())
      throw Error(ErrorKind::refused, "the run is of another game: " + difference, run_folder,
                  "name the game that the run was trained in");
    d = examine(trained, options);
  }
  line.wipe();
  if (json) {
    fmt::print("{}\n", d.to_json());
  } else {
    print_findings(d);
    print_speed(spec);
  }
  return status_of(d);
}

}  // namespace zithercraft::cli
