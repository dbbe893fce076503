// Changes a demo game with a reward term of its own, trains it, and says how well it went.
// Run it: gentle_skiff [STEPS [FOLDER]]

#include <cstdio>
#include <cstdlib>
#include <filesystem>

#include "zithercraft/zithercraft.hpp"

namespace zc = zithercraft;

// Metres per second; together with its weight the term makes the skiff prefer to go gently.
double haste(const zc::SeatView& seat) { return static_cast<double>(seat.speed()); }

int main(int argc, char** argv) {
  const long steps = argc > 1 ? std::atol(argv[1]) : 2'000'000;
  const std::filesystem::path folder = argc > 2 ? argv[2] : "runs/gentle";
  try {
    // Or built from the same structs in C++.
    zc::GameSpec game = zc::demo_game("mooring");
    game.role("skiff").rewards.push_back({.name = "gentle", .weight = -0.005, .each_step = haste});
    zc::Run run = zc::train(
        game, {.folder = folder, .steps = steps, .seed = 1, .existing = zc::Existing::fresh});
    // With 95% intervals, beside random and script.
    zc::Score score = zc::evaluate(run, {.episodes = 500});
    zc::record(run, folder / "gentle.zrep", {.episodes = 5});
    for (const zc::PlayerScore& player : score.players)
      std::printf("%-8s moored %5.1f%% [%.1f, %.1f]\n", player.name.c_str(),
                  100 * player.success.mean, 100 * player.success.low, 100 * player.success.high);
  } catch (const zc::Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return static_cast<int>(error.kind());
  }
}
