#include <gtest/gtest.h>

#include <cmath>

#include "support.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

std::size_t column(const Role& role, const std::string& name) {
  for (std::size_t i = 0; i < role.columns.size(); ++i)
    if (role.columns[i].name == name) return i;
  ADD_FAILURE() << "no column " << name;
  return 0;
}

TEST(Columns, HaveStableNamesUnitsAndRanges) {
  const Game game(test::mooring());
  const Role& role = game.roles()[0];
  ASSERT_EQ(role.columns.size(), 24u * 4 + 3 + 3);
  EXPECT_EQ(role.columns[0], (Column{"rays[0].quay", "flag", 0, 1, 1}));
  EXPECT_EQ(role.columns[3], (Column{"rays[0].distance", "m", 0, 1, 15}));
  EXPECT_EQ(role.columns[96], (Column{"compass.ahead", "cosine", -1, 1, 1}));
  EXPECT_EQ(role.columns[98], (Column{"compass.distance", "m", 0, 1, 50}));
  EXPECT_EQ(role.columns[99], (Column{"own.speed_ahead", "m/s", -1, 1, 5}));
  ASSERT_EQ(role.controls.size(), 2u);
  EXPECT_EQ(role.controls[0], (ControlInfo{"throttle", "share of full", -0.5, 1, {}}));
  const Game pond(test::duck_pond());
  EXPECT_EQ(pond.roles()[0].controls[1],
            (ControlInfo{"turn", "option", 0, 2, {"left", "straight", "right"}}));
}

TEST(Columns, SayInPartsWhatTheirNamesSay) {
  GameSpec spec = test::mooring();
  spec.roles[0].senses.push_back(
      Crowd{.name = "boats", .of = {"hull"}, .nearest = 2, .signal = {.history = 1}});
  const Game game(spec);
  const Role& role = game.roles()[0];
  const Column& hull = role.columns[column(role, "rays[3].hull")];
  EXPECT_EQ(hull.sense, "rays");
  EXPECT_EQ(hull.index, std::vector<std::int32_t>{3});
  EXPECT_EQ(hull.tag, "hull");
  EXPECT_EQ(hull.quantity, seen_quantity);
  EXPECT_EQ(name_with_index(hull, "0..23"), "rays[0..23].hull");
  const Column& there = role.columns[column(role, "boats[1].here@1")];
  EXPECT_EQ(there.tag, "hull");
  EXPECT_EQ(there.quantity, seen_quantity);
  EXPECT_EQ(there.age, 1);
  const Column& far = role.columns[column(role, "compass.distance")];
  EXPECT_EQ(far.tag, "berth");
  EXPECT_EQ(far.quantity, distance_quantity);
  EXPECT_TRUE(far.index.empty());
  EXPECT_EQ(name_with_index(far, "7"), "compass.distance");
  EXPECT_EQ(role.columns[column(role, "own.turn_rate")].tag, "");
}

TEST(Columns, StayInTheirRangesOverRandomPlay) {
  const Game game(test::mooring());
  WorkerPool pool(2);
  Lanes lanes(game, 32);
  lanes.begin_all(pool, 3);
  RandomStream random(1, 0, 0, Purpose::user);
  const Role& role = game.roles()[0];
  for (int d = 0; d < 300; ++d) {
    for (float& c : lanes.controls(0)) c = static_cast<float>(random.between(-1, 1));
    lanes.step_all(pool);
    for (std::size_t row = 0; row < lanes.rows(0); ++row)
      for (std::size_t c = 0; c < role.columns.size(); ++c) {
        ASSERT_GE(lanes.observation(0, row)[c], static_cast<float>(role.columns[c].low) - 1e-6f)
            << role.columns[c].name;
        ASSERT_LE(lanes.observation(0, row)[c], static_cast<float>(role.columns[c].high) + 1e-6f)
            << role.columns[c].name;
      }
    lanes.renew_all(pool);
  }
}

TEST(Columns, SayWhatIsThere) {
  const Game game(test::mooring());
  const Role& role = game.roles()[0];
  Lanes lanes(game, 1);
  lanes.begin(0, {1, 0, 0});
  const Arena& arena = game.arena();
  std::byte* state = lanes.arena_state(0);
  for (std::size_t hull = 0; hull < 8; ++hull)
    arena.put(state, EntityId(hull), -18, -13 + static_cast<float>(hull) * 2.5f, 0);
  const EntityId skiff = arena.bodies_named("skiff")[0], berth = arena.zones()[0];
  arena.put(state, berth, 10, 4, 0);
  arena.put(state, skiff, 0, 0, exact::pi / 2);  // heading north
  arena.set_velocity(state, skiff, {.x = -1, .y = 2, .turn = 0.5f});
  lanes.restore(0, std::vector<std::byte>(lanes.state(0).begin(), lanes.state(0).end()));
  const auto see = lanes.observation(0, 0);
  const auto at = [&](const std::string& name) { return see[column(role, name)]; };
  const float distance = std::sqrt(116.0f);
  EXPECT_NEAR(at("compass.ahead"), 4 / distance, 1e-5);
  EXPECT_NEAR(at("compass.left"), -10 / distance, 1e-5);
  EXPECT_NEAR(at("compass.distance"), distance / 50, 1e-5);
  EXPECT_NEAR(at("own.speed_ahead"), 2.0 / 5, 1e-5);
  EXPECT_NEAR(at("own.speed_left"), 1.0 / 5, 1e-5);
  EXPECT_NEAR(at("own.turn_rate"), 0.5 / (exact::pi / 2), 1e-5);
  // Ray 3 points 120 - 3 * 240 / 23 = 88.7 degrees to starboard: nearly due east, where the berth's
  // near side is at 7.5 m.
  EXPECT_EQ(at("rays[3].berth"), 0);  // it passes below the berth, which begins at y = 2
  EXPECT_EQ(at("rays[5].berth"), 1);  // 67.8 degrees to starboard
  EXPECT_NEAR(at("rays[5].distance"), 7.5 / std::sin(67.826 * exact::pi / 180) / 15, 1e-3);
  EXPECT_EQ(at("rays[12].quay"), 0);  // 5.2 degrees off north the quay is a little over 15 m away
  EXPECT_EQ(at("rays[12].distance"), 1);
}

}  // namespace
}  // namespace zithercraft
