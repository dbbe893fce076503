// One leader alone fills a map of cells with its tail: learned by a network from the cells around,
// which knows larger maps too, and in a table from a few flags.

#include <gtest/gtest.h>

#include "support.hpp"
#include "zithercraft/evaluate/evaluation.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/learn/q_table.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {
namespace {

// A tug in a square dock of `n` times `n` cells, whose tow grows by each lighter it comes upon.
GameSpec fill_the_map(std::size_t n, const std::string& senses) {
  std::string map = "#" + std::string(n, '#') + "#\n";
  for (std::size_t row = 0; row < n; ++row) map += "#" + std::string(n, '.') + "#\n";
  map += "#" + std::string(n, '#') + "#\n";
  const std::string most = std::to_string(n * n - 1), middle = std::to_string(n / 2),
                    next = std::to_string(n / 2 + 1);
  return parse_game(R"(
    name = "fill"
    ticks_per_step = 1
    [cutoffs]
    steps = 5000
    stalls = [{ since = "collect", steps = 60 }]
    [arena]
    tick = 0.25
    [arena.cells]
    size = 1.0
    kinds = [
      { name = "quay", symbol = "#", solid = true, kills = ["tug"] },
      { name = "water", symbol = ".", seen = false },
    ]
    layers = ["""
)" + map + R"("""]
    [[arena.bodies]]
    name = "tug"
    motion = "free"
    shape = { kind = "disc", radius = 0.4 }
    mover = { kind = "stepper" }
    meters = [{ name = "tow", low = 0, high = )" +
                    most + R"(, start = 2 }]
    place = { region = [)" +
                    middle + ", " + middle + ", " + next + ", " + next +
                    R"(], heading = [-180, 180] }
    [[arena.bodies]]
    name = "tow"
    count = )" + most +
                    R"(
    motion = "carried"
    shape = { kind = "disc", radius = 0.4 }
    kills = ["tug"]
    tail = { follows = "tug", length = "tow" }
    [[arena.items]]
    name = "lighter"
    shape = { kind = "disc", radius = 0.3 }
    effects = [{ meter = "tow", amount = 1 }]
    returns = { after = 0, elsewhere = true }
    place = { on = ["water"] }
    [[roles]]
    name = "tug"
    senses = [)" + senses +
                    R"(]
    controls = [{ kind = "choice", name = "go", options = [
      { name = "on", sets = { ahead = 1 } },
      { name = "left", sets = { turn = 1, ahead = 1 } },
      { name = "right", sets = { turn = -1, ahead = 1 } },
    ] }]
    rewards = [
      { name = "gathered", weight = 1, on = { event = "collect", as = "who" } },
      { name = "died", weight = -1, on = { event = "die", as = "who" }, ends = "failure" },
    ])");
}

const char* const around = R"(
    { kind = "window", name = "window", ahead = 3, behind = 3, left = 3, right = 3, sees = ["quay", "tow"], beyond = "quay" },
    { kind = "compass", name = "lighter", to = "lighter", reach = 14 },
    { kind = "gauges", name = "own" })";
const char* const flags = R"(
    { kind = "hazards", name = "hazards", moves = 4, within = 1.0, fatal = ["quay", "tow"] },
    { kind = "hazards", name = "soon", moves = 4, within = 2.0, fatal = ["quay", "tow"] },
    { kind = "compass", name = "lighter", to = "lighter", bearings = "eight", reach = 14 })";

double gathered(const zithercraft::Run& run, const GameSpec& game) {
  const Score score = evaluate(run, game, {.episodes = 100, .against = {"random"}, .threads = 2});
  EXPECT_EQ(score.players.front().terms.front().first, "gathered");
  return score.players.front().terms.front().second.mean;
}

TEST(FillTheMap, IsLearnedFromTheCellsAroundAndKnownOnALargerMap) {
  const test::TemporaryFolder folder;
  const GameSpec game = fill_the_map(10, around);
  const zithercraft::Run run =
      train(game, {.folder = folder / "run", .steps = 1'500'000, .seed = 1, .threads = 2});
  const double here = gathered(run, game), there = gathered(run, fill_the_map(20, around));
  RecordProperty("gathered", std::to_string(here) + " and " + std::to_string(there));
  EXPECT_GT(here, 30.0);
  EXPECT_GT(there, 0.5 * here);
}

TEST(FillTheMap, IsLearnedInATable) {
  const test::TemporaryFolder folder;
  const GameSpec game = fill_the_map(10, flags);
  const zithercraft::Run run = train(game, {.folder = folder / "run",
                                            .steps = 2'000'000,
                                            .seed = 1,
                                            .learner = QTableSettings{.discount = 0.9},
                                            .threads = 2});
  const double here = gathered(run, game);
  RecordProperty("gathered", std::to_string(here));
  EXPECT_GT(here, 14.0);
}

}  // namespace
}  // namespace zithercraft
