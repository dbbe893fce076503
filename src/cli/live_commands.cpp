// Commands that serve a page until they are interrupted.

#include <fmt/format.h>
#include <unistd.h>

#include <chrono>
#include <thread>

#include "base/json.hpp"
#include "cli/commands.hpp"
#include "cli/file_guard.hpp"
#include "cli/games.hpp"
#include "cli/serving.hpp"
#include "cli/signals.hpp"
#include "zithercraft/remote/policy_server.hpp"
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

int ServePolicyCommand::run() const {
  auto policies = policies_in(TensorFile::load(checkpoint_named(policy)));
  const bool sampled = actions_of(policies.front(), actions) == ActionMode::sampled;
  const PolicyServer server(std::move(policies), {.address = serving.address,
                                                  .port = serving.port,
                                                  .token = serving.token,
                                                  .sampled = sampled,
                                                  .seed = seed});
  fmt::print(stderr, "games ask at {}; Ctrl-C ends\n", server.address());
  std::fflush(stderr);
  while (!stop_on_signal()) std::this_thread::sleep_for(std::chrono::milliseconds(50));
  const PolicyServerReport report = server.report();
  if (json)
    fmt::print("{}\n",
               Json{{"requests", report.requests}, {"decisions", report.decisions}}.dump(2));
  else
    fmt::print("decided {} times in {} answers\n", report.decisions, report.requests);
  return done;
}

int WatchCommand::run() const {
  constexpr int background = 19;
  if (::nice(background) == -1) return unexpected;  // a training has the processor first
  serve_run(run_folder, serve_options(serving));
  return done;
}

}  // namespace zithercraft::cli
