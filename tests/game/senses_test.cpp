// Gauges, windows, paired aims, seats that have left, choices over several inputs, and terms of all
// events.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "support.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

const char* const yard_game = R"(
name = "yard"
ticks_per_step = 1
[arena]
tick = 0.1
[arena.cells]
kinds = [{ name = "wall", symbol = "#", solid = true }, { name = "pit", symbol = "v", kills = ["crew"] }]
layers = ["""
#######
#     #
#    v#
#######
"""]
[[arena.zones]]
name = "bunk_1"
tag = "bunk"
shape = { kind = "disc", radius = 0.4 }
kept_free = false
place = { region = [1.5, 2.5, 1.5, 2.5] }
[[arena.zones]]
name = "bunk_2"
tag = "bunk"
shape = { kind = "disc", radius = 0.4 }
kept_free = false
place = { region = [5.5, 2.5, 5.5, 2.5] }
[[arena.bodies]]
name = "crew"
count = 2
motion = "free"
shape = { kind = "disc", radius = 0.3 }
mover = { kind = "stepper" }
meters = [{ name = "air", high = 10, change = -5 }, { name = "food", low = -1, high = 1, start = 0 }]
place = { region = [2, 2, 5, 3] }
[[arena.items]]
name = "bread"
worth = 3
effects = [{ meter = "food", amount = 0.5 }]
place = { region = [2.5, 1.5, 2.5, 1.5] }
[[roles]]
name = "crew"
senses = [
  { kind = "gauges", meters = ["food", "air"] },
  { kind = "window", ahead = 1, behind = 1, left = 1, right = 1, sees = ["wall", "crew", "bread"] },
  { kind = "compass", to = "bunk", paired = true, reach = 10 },
]
controls = [{ kind = "choice", name = "go", options = [
  { name = "wait" }, { name = "east", sets = { east = 1 } }, { name = "west", sets = { east = -1 } },
  { name = "north", sets = { north = 1 } }, { name = "south", sets = { north = -1 } } ] }]
[[roles.rewards]]
name = "bread"
on = { event = "collect", as = "who", by_strength = true }
[[roles.rewards]]
name = "others_bread"
weight = -1
on = { event = "collect", of = "crew" }
[[roles.rewards]]
name = "bumped_into"
on = { event = "touch", as = "whom" }
[[roles.rewards]]
name = "bunk"
progress = { to = "bunk", paired = true }
[[roles.rewards]]
name = "asleep"
when = { inside = "bunk", paired = true }
[[roles.rewards]]
name = "alive"
each_step = "always"
[cutoffs]
steps = 20
)";

enum Go { wait, east, west, north, south };

class Yard {
 public:
  Yard() : lanes(Game(parse_game(yard_game, "yard")), 1) {
    lanes.begin(0, {1, 0, 0});
    put(0, 3.5f, 1.5f);
    put(1, 4.5f, 2.5f);
  }
  void put(std::size_t seat, float x, float y) {
    lanes.game().arena().put(lanes.arena_state(0), EntityId(seat), x, y, 0);
  }
  void decide(Go first, Go second) {
    lanes.control(0, 0)[0] = static_cast<float>(first);
    lanes.control(0, 1)[0] = static_cast<float>(second);
    lanes.step(0);
  }
  float seen(std::size_t seat, const std::string& column) {
    const auto& columns = lanes.game().roles()[0].columns;
    const auto at = std::find_if(columns.begin(), columns.end(),
                                 [&](const Column& c) { return c.name == column; });
    EXPECT_NE(at, columns.end()) << column;
    return lanes.observation(0, seat)[static_cast<std::size_t>(at - columns.begin())];
  }
  double reward(std::size_t seat, const std::string& term) {
    const auto& terms = lanes.game().roles()[0].terms;
    return lanes.ledger(0, seat)[static_cast<std::size_t>(
        std::find(terms.begin(), terms.end(), term) - terms.begin())];
  }
  Lanes lanes;
};

TEST(Senses, GaugesShowTheShareOfEachMeter) {
  Yard yard;
  yard.decide(wait, wait);
  EXPECT_NEAR(yard.seen(0, "gauges.air"), 0.95, 1e-6);
  EXPECT_NEAR(yard.seen(0, "gauges.food"), 0.5, 1e-6);
  yard.decide(west, wait);  // onto the bread
  EXPECT_NEAR(yard.seen(0, "gauges.food"), 0.75, 1e-6);
  EXPECT_NEAR(yard.seen(1, "gauges.food"), 0.5, 1e-6);
}

TEST(Senses, WindowsShowCellsAndWhatStandsThere) {
  Yard yard;
  yard.decide(wait, wait);
  EXPECT_EQ(yard.seen(0, "window[-1,0].bread"), 1);
  EXPECT_EQ(yard.seen(0, "window[1,1].crew"), 1) << "the other one, ahead to the left";
  EXPECT_EQ(yard.seen(0, "window[0,0].crew"), 0) << "not oneself";
  EXPECT_EQ(yard.seen(0, "window[0,-1].wall"), 1);
  EXPECT_EQ(yard.seen(0, "window[0,1].wall"), 0);
  EXPECT_EQ(yard.seen(1, "window[-1,-1].crew"), 1);
}

TEST(Senses, PairedCompassesPointToOnesOwn) {
  Yard yard;
  yard.decide(wait, wait);
  EXPECT_LT(yard.seen(0, "compass.ahead"), 0) << "bunk_1 lies behind";
  EXPECT_EQ(yard.seen(1, "compass.ahead"), 1) << "bunk_2 lies ahead";
  EXPECT_NEAR(yard.seen(1, "compass.distance"), 0.1, 1e-6);
}

TEST(Rewards, TermsReadWhoDidItToWhom) {
  Yard yard;
  yard.decide(west, wait);
  EXPECT_EQ(yard.reward(0, "bread"), 3) << "its worth";
  EXPECT_EQ(yard.reward(1, "bread"), 0);
  EXPECT_EQ(yard.reward(1, "others_bread"), -1);
  yard.decide(wait, south);  // next to each other now, one cell between
  yard.decide(east, wait);
  yard.decide(east, wait);
  EXPECT_EQ(yard.reward(0, "bumped_into"), 0);
  EXPECT_EQ(yard.reward(1, "bumped_into"), 1);
  yard.decide(wait, north);
  yard.decide(wait, east);
  EXPECT_EQ(yard.reward(1, "asleep"), 1);
  EXPECT_NEAR(yard.reward(1, "bunk"), 1, 1e-5);
  EXPECT_EQ(yard.reward(0, "asleep"), 0);
}

TEST(Seats, AgentsThatLeftSenseNothingAndGetNoReward) {
  Yard yard;
  yard.put(0, 5.5f, 1.5f);  // into the pit
  yard.decide(wait, wait);
  ASSERT_FALSE(SeatView(yard.lanes, 0, 0, 0).present());
  const double alive = yard.reward(0, "alive");
  yard.decide(east, wait);
  EXPECT_EQ(yard.reward(0, "alive"), alive);
  EXPECT_EQ(yard.reward(1, "alive"), 2);
  for (const float value : yard.lanes.observation(0, 0)) EXPECT_EQ(value, 0);
  EXPECT_EQ(yard.lanes.outcome(0), Outcome::running);
  yard.put(1, 5.5f, 1.5f);
  yard.decide(wait, wait);
  EXPECT_EQ(yard.lanes.outcome(0), Outcome::cutoff) << "nobody is left to play";
}

TEST(Lanes, BeginFromASnapshotKeepsTheArenaAndOpensNewBooks) {
  Yard yard;
  yard.decide(west, wait);
  const auto snapshot = yard.lanes.state(0);
  const std::vector<std::byte> copy(snapshot.begin(), snapshot.end());
  Yard other;
  other.lanes.begin_from(0, {5, 6, 7}, copy);
  EXPECT_EQ(other.lanes.steps(0), 0u);
  EXPECT_EQ(other.lanes.key(0).episode, 7u);
  EXPECT_EQ(other.reward(0, "bread"), 0);
  EXPECT_EQ(other.lanes.view(0).pose(0).x, 2.5f);
  EXPECT_NEAR(other.seen(0, "gauges.food"), 0.75, 1e-6);
  other.decide(east, wait);
  EXPECT_NEAR(other.reward(0, "bunk"), -1.0 / std::sqrt(2.0) * (2.2360679 - 1.4142135), 1e-3)
      << "counted from here";
  const Error error =
      test::error_of([&] { other.lanes.begin_from(0, {}, std::span(copy).first(8)); });
  EXPECT_EQ(error.kind(), ErrorKind::refused);
}

}  // namespace
}  // namespace zithercraft
