#pragma once

// The small replay that docs/formats/replay.md takes apart: a buoy drifts towards its mooring for
// two steps.

#include <filesystem>

#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/record/replay.hpp"

namespace zithercraft::test {

inline GameSpec buoy() {
  return parse_game(R"(
    name = "buoy"
    ticks_per_step = 2
    cutoffs = { steps = 2 }
    [arena]
    tick = 0.1
    zones = [{ name = "mooring", place = { region = [2, 0, 2, 0] } }]
    bodies = [{ name = "buoy", motion = "free", mover = { kind = "boat" } }]
    [[roles]]
    name = "buoy"
    senses = [{ kind = "compass", to = "mooring", reach = 10 }]
    controls = [{ kind = "dial", name = "throttle", low = 0 }]
    rewards = [{ name = "time", weight = -1, each_step = "always" }]
  )",
                    "buoy");
}

inline void record_buoy(const std::filesystem::path& file) {
  const Game game(buoy());
  ReplayWriter writer(file, game, {"buoy", to_toml(game.spec()), {"full ahead"}, 7, "0.1.0"});
  Lanes lanes(game, 1);
  lanes.begin(0, {7, 0, 0});
  for (;;) {
    const std::vector<float> values{-2.0f + static_cast<float>(lanes.steps(0))},
        probabilities{0.75f, 0.125f};
    if (lanes.steps(0) == 1) writer.draw({.name = "goal", .numbers = {2.0f, 0.0f, 0.0f}});
    writer.add(lanes, 0, {values, probabilities});
    if (lanes.outcome(0) != Outcome::running) break;
    lanes.control(0, 0)[0] = 1.0f;
    lanes.step(0);
  }
  writer.finish();
}

}  // namespace zithercraft::test
