// Commands that serve a page until they are interrupted.

#include <fmt/format.h>
#include <unistd.h>

#include "base/json.hpp"
#include "cli/commands.hpp"
#include "cli/file_guard.hpp"
#include "cli/games.hpp"
#include "cli/serving.hpp"
#include "zithercraft/zithercraft.hpp"

namespace zithercraft::cli {
namespace {

Json episode_json(const DrivenEpisode& e) {
  Json ledger = Json::object();
  for (const auto& [term, reward] : e.ledger) ledger[term] = reward;
  return {{"outcome", name_of(e.outcome)},
          {"steps", e.steps},
          {"return", e.episode_return},
          {"ledger", ledger}};
}

void print_episode(const DrivenEpisode& e, std::size_t number) {
  if (number == 0) {
    fmt::print("{:>8}  {:<9} {:>9} {:>8} ", "episode", "outcome", "steps", "return");
    for (const auto& [term, reward] : e.ledger) fmt::print(" {:>9}", term);
    fmt::print("\n");
  }
  fmt::print("{:>8}  {:<9} {:>9} {:>8.3f} ", number, name_of(e.outcome), e.steps, e.episode_return);
  for (const auto& [term, reward] : e.ledger) fmt::print(" {:>9.3f}", reward);
  fmt::print("\n");
  std::fflush(stdout);
}

}  // namespace

int DriveCommand::run() const {
  FileGuard().reads(game).reads_player(with).reads_player(keys).writes("--out", out).check(json);
  const Game compiled(find_game(game, set));
  const DriveOptions options{seat, with, out, seed};
  std::vector<DrivenEpisode> episodes;
  if (!keys.empty()) {
    episodes.push_back(drive_by_keys(compiled, options, KeyScript::load(keys)));
    if (!json) print_episode(episodes.back(), 0);
  } else {
    std::size_t number = 0;
    episodes = drive(compiled, options, serve_options(serving), [&](const DrivenEpisode& e) {
      if (!json) print_episode(e, number);
      ++number;
    });
  }
  if (json) {
    Json j{{"game", compiled.spec().name},
           {"seed", seed},
           {"replay", out},
           {"episodes", Json::array()}};
    for (const DrivenEpisode& e : episodes) j["episodes"].push_back(episode_json(e));
    fmt::print("{}\n", j.dump(2));
  } else if (!out.empty()) {
    fmt::print("{} {}\n",
               episodes.empty() ? "nothing was driven, so nothing is recorded in" : "recorded in",
               out);
  }
  return done;
}

int WatchCommand::run() const {
  constexpr int background = 19;
  if (::nice(background) == -1) return unexpected;  // a training has the processor first
  serve_run(run_folder, serve_options(serving));
  return done;
}

}  // namespace zithercraft::cli
