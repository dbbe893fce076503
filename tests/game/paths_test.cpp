// Ways around walls: as a question to arenas, as a compass, as progress.

#include <gtest/gtest.h>

#include <cmath>

#include "support.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

// Cells of 2 m from (0, 0) on. The crane stands at (3, 7), the cart begins at (3, 3); a basin lies
// between them.
constexpr const char* yard = R"(
name = "yard"
[arena.cells]
size = 2
avoid = ["basin"]
kinds = [
  { name = "shed", symbol = "#", solid = true },
  { name = "quay", symbol = ".", seen = false },
  { name = "basin", symbol = "~" },
]
layers = ["""
##########
#......#.#
#~####.###
#......###
##########"""]
[[arena.zones]]
name = "crane"
shape = { kind = "disc", radius = 0.5 }
place = { region = [3, 7, 3, 7] }
[[arena.zones]]
name = "shut_in"
shape = { kind = "disc", radius = 0.5 }
place = { region = [17, 7, 17, 7] }
[[arena.bodies]]
name = "cart"
motion = "free"
shape = { kind = "disc", radius = 0.3 }
mover = { kind = "walker" }
place = { region = [3, 3, 3, 3] }
[[roles]]
name = "cart"
senses = [
  { kind = "compass", name = "straight", to = "crane", reach = 100 },
  { kind = "compass", name = "around", to = "crane", along_path = true, reach = 100 },
]
controls = [{ kind = "dial", name = "ahead" }]
[[roles.rewards]]
name = "nearer"
progress = { to = "crane", along_path = true }
[[roles.rewards]]
name = "nearer_straight"
progress = { to = "crane" }
[cutoffs]
steps = 20
)";

class Yard : public ::testing::Test {
 protected:
  Yard() : lanes(Game(parse_game(yard, "yard")), 1) { lanes.begin(0, {1, 0, 0}); }
  // Everything is read after a step that changes nothing.
  SeatView at(float x, float y) {
    lanes.game().arena().put(lanes.arena_state(0), 0, x, y, 0);
    lanes.step(0);
    return {lanes, 0, 0, 0};
  }
  EntityId zone(const std::string& name) const {
    for (const EntityId id : lanes.game().arena().zones())
      if (lanes.game().arena().entity(id).name == name) return id;
    return {};
  }
  Lanes lanes;
};

TEST_F(Yard, CompassesPointAlongThePath) {
  const SeatView seat = at(3, 3);
  const auto see = seat.observation();
  EXPECT_NEAR(see[0], 0, 1e-6) << "the crane lies to the left";
  EXPECT_NEAR(see[2], 0.04f, 1e-6);
  // East along the bottom row to (13, 3), north, and back west: 10 + 4 + 10 m, since nobody goes
  // through the basin.
  EXPECT_NEAR(see[3], 1, 1e-6);
  EXPECT_NEAR(see[4], 0, 1e-6);
  EXPECT_NEAR(see[5], 0.24f, 1e-6);
}

TEST_F(Yard, ThePathCutsNoCornersAndEndsAtTheThing) {
  const EntityId crane = zone("crane");
  // In the corner: north from here.
  Bearing to = at(13, 3).path_to(crane);
  EXPECT_NEAR(to.left, 1, 1e-6);
  EXPECT_NEAR(to.distance, 14, 1e-5);
  // Before the corner one heads for the middle of the edge that is gone through, a quarter of a
  // cell behind it.
  to = at(12, 3).path_to(crane);
  EXPECT_NEAR(to.left / to.ahead, 1.5, 1e-5);
  EXPECT_NEAR(to.distance, std::hypot(1.0f, 1.5f) + 12.5f, 1e-5);
  // From the cell beside its own it is the thing itself that counts.
  to = at(5, 7.5f).path_to(crane);
  EXPECT_NEAR(to.distance, std::hypot(2.0f, 0.5f), 1e-5);
  EXPECT_NEAR(to.ahead, -2 / std::hypot(2.0f, 0.5f), 1e-5);
  EXPECT_EQ(to.entity, crane);
  // A body inside the basin gets out of it: its own cell does not count as avoided.
  to = at(3, 5).path_to(crane);
  EXPECT_NEAR(to.distance, 2, 1e-5);
  // In the crane's own cell.
  to = at(3.5f, 6.5f).path_to(crane);
  EXPECT_NEAR(to.distance, std::hypot(0.5f, 0.5f), 1e-5);
}

TEST_F(Yard, WithoutAPathItIsStraight) {
  const SeatView seat = at(3, 3);
  const EntityId crane = zone("crane"), shut_in = zone("shut_in");
  EXPECT_EQ(seat.path_to(shut_in).distance, seat.bearing_to(shut_in).distance);
  EXPECT_EQ(seat.path_to(shut_in).ahead, seat.bearing_to(shut_in).ahead);
  // Outside of the map.
  const SeatView far = at(-30, 3);
  EXPECT_EQ(far.path_to(crane).distance, far.bearing_to(crane).distance);
}

TEST_F(Yard, ProgressIsMadeAlongThePath) {
  const auto reward = [&](float x, float y) {
    at(x, y);
    return std::pair{lanes.ledger(0, 0)[0], lanes.ledger(0, 0)[1]};
  };
  EXPECT_NEAR(reward(13, 3).first, 10.0 / 24, 1e-5) << "most of the first stretch";
  EXPECT_LT(lanes.ledger(0, 0)[1], 0) << "though it leads away";
  EXPECT_NEAR(reward(3, 7).first, 1.0, 1e-5);
  EXPECT_EQ(reward(3, 3).first, 0.0) << "and back again";
}

TEST_F(Yard, AsksNothingOfTheHeap) {
  const SeatView seat = at(3, 3);
  const EntityId crane = zone("crane");
  PathMemory memory;
  const Arena& arena = lanes.game().arena();
  ASSERT_TRUE(arena.path_to(seat.arena_state(), 3, 3, crane, memory));
  const auto* steps = memory.steps.data();
  const auto* queue = memory.queue.data();
  for (int i = 0; i < 10; ++i) ASSERT_TRUE(arena.path_to(seat.arena_state(), 5, 3, crane, memory));
  EXPECT_EQ(memory.steps.data(), steps);
  EXPECT_EQ(memory.queue.data(), queue);
}

TEST(Ways, NeedCells) {
  const auto problem = [](const std::string& part, const std::string& with) {
    std::string text = R"(
name = "pond"
[[arena.zones]]
name = "reeds"
shape = { kind = "disc", radius = 1 }
[[arena.bodies]]
name = "duck"
motion = "free"
shape = { kind = "disc", radius = 0.3 }
mover = { kind = "walker" }
[[roles]]
name = "duck"
senses = [{ kind = "compass", to = "reeds"SENSE }]
controls = [{ kind = "dial", name = "ahead" }]
[[roles.rewards]]
name = "nearer"
progress = { to = "reeds"TERM }
[cutoffs]
steps = 20
)";
    for (const std::string name : {"SENSE", "TERM"})
      text.replace(text.find(name), name.size(), name == part ? with : "");
    return test::error_of([&] { Game(parse_game(text, "pond")); });
  };
  for (const std::string part : {"SENSE", "TERM"}) {
    const Error error = problem(part, ", along_path = true");
    EXPECT_NE(error.problem().find("no cells to find a path over"), std::string::npos)
        << error.what();
    EXPECT_NE(error.where().find(part == "TERM" ? "progress.along_path" : ".along_path"),
              std::string::npos)
        << error.where();
  }
}

}  // namespace
}  // namespace zithercraft
