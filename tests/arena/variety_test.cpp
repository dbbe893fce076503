// What differs from episode to episode: placement rules, varied numbers, rivers; and snapshots of
// it all.

#include <gtest/gtest.h>

#include <algorithm>
#include <cstring>
#include <set>

#include "worlds.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

using test::World;

TEST(Placement, KeepsAwayFromTagsWhicheverIsPlacedFirst) {
  ArenaSpec spec;
  spec.bodies = {
      {.name = "crew", .place = {.region = {-9, -9, 9, 9}, .away = {{.from = "crab", .by = 6}}}},
      {.name = "crab", .count = 3, .place = {.region = {-9, -9, 9, 9}}}};
  World world(spec);
  for (std::uint32_t episode = 0; episode < 200; ++episode) {
    world.arena.begin(world.state(), 1, 0, episode, world.scratch);
    for (std::size_t crab = 1; crab < 4; ++crab)
      ASSERT_GT(std::hypot(world.pose(0).x - world.pose(EntityId(crab)).x,
                           world.pose(0).y - world.pose(EntityId(crab)).y),
                6.9f);
  }
}

TEST(Placement, DensityCountsByArea) {
  ArenaSpec spec;
  spec.items = {
      {.name = "shell", .density = 0.2, .shape = Disc{0.1}, .place = {.region = {0, 0, 10, 5}}}};
  EXPECT_EQ(Arena(spec).posed().size(), 10u);
}

TEST(Placement, AnImpossibleOneNamesTheThingAndTheRule) {
  ArenaSpec spec;
  spec.items = {
      {.name = "shell", .count = 50, .shape = Disc{0.5}, .place = {.region = {0, 0, 2, 2}}}};
  try {
    World world(spec);
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.where(), "arena.items[0].place");
    EXPECT_NE(error.problem().find("'shell'"), std::string::npos);
  }
}

TEST(Vary, DrawsEveryNumberItNames) {
  ArenaSpec spec;
  spec.bodies = {{.name = "boat", .motion = Motion::free, .shape = Disc{0.5}, .mover = Boat{}},
                 {.name = "buoy", .count = 2, .place = {.region = {5, 5, 15, 15}}}};
  spec.vary = {{.key = "bodies.boat.mover.thrust", .low = 1, .high = 3},
               {.key = "bodies[0].shape.radius", .low = 0.3, .high = 0.6},
               {.key = "bodies.buoy.count", .low = 1, .high = 4},
               {.key = "bodies.boat.place.region[0]", .low = -2, .high = 0}};
  World world(spec);
  std::set<float> speeds;
  std::set<int> counts;
  std::set<float> radii;
  for (std::uint32_t episode = 0; episode < 200; ++episode) {
    world.arena.begin(world.state(), 1, 0, episode, world.scratch);
    int buoys = 0;
    for (std::size_t b = 1; b < world.arena.bodies().size(); ++b)
      buoys += world.arena.present(world.state(), EntityId(b)) ? 1 : 0;
    counts.insert(buoys);
    radii.insert(test::cast(world, world.pose(0).x, world.pose(0).y - 5, 90, 20).distance);
    world.arena.inputs(world.state(), 0)[0] = 1;
    world.ticks(1);
    speeds.insert(world.speed(0));
  }
  EXPECT_EQ(counts, (std::set<int>{1, 2, 3, 4}));
  EXPECT_GT(speeds.size(), 40u);
  EXPECT_GT(radii.size(), 40u);
  EXPECT_GE(*speeds.begin(), 0.05f * 1 * 0.9f);
  EXPECT_LE(*speeds.rbegin(), 0.05f * 3);
}

TEST(Vary, WrongKeysAreErrorsWithAdvice) {
  const auto problem = [](const std::string& key, double high = 1) {
    ArenaSpec spec;
    spec.bodies = {{.name = "boat"}};
    spec.vary = {{.key = key, .low = 0.5, .high = high}};
    try {
      Arena arena(spec);
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string("no error");
  };
  EXPECT_NE(problem("bodies.boot.mass").find("did you mean 'boat'"), std::string::npos)
      << problem("bodies.boot.mass");
  EXPECT_NE(problem("bodies.boat.mas").find("did you mean 'mass'"), std::string::npos)
      << problem("bodies.boat.mas");
  EXPECT_NE(problem("bodies[3].mass").find("1 entries"), std::string::npos);
  EXPECT_NE(problem("bodies[x].mass").find("bracket"), std::string::npos);
  EXPECT_NE(problem("bodies.boat.name").find("only numbers"), std::string::npos);
  EXPECT_NE(problem("bodies.boat.bounce", 7).find("bounce"), std::string::npos);
  EXPECT_NE(problem("tick").find("cannot differ"), std::string::npos);
  EXPECT_NE(problem("").find("arena.vary[0]"), std::string::npos);
}

ArenaSpec river() {
  ArenaSpec spec;
  spec.bodies = {{.name = "raft",
                  .motion = Motion::free,
                  .shape = Disc{0.5},
                  .mover = Walker{.speed = 4, .acceleration = 50}}};
  spec.rivers = {{.name = "rock", .follows = "raft"}};
  return spec;
}

TEST(Rivers, NeverEndAndAlwaysLeaveAGap) {
  World world(river());
  for (int gate = 1; gate <= 60; ++gate) {
    // Look for the gap ahead, go there, and pass it.
    const float line = static_cast<float>(12 * gate);
    const float before = line - 3;
    float gap = 99;
    for (float y = -7.3f; y <= 7.3f; y += 0.1f)
      if (test::cast(world, before, y, 0, 6, 1.2f).entity < 0) gap = y;
    ASSERT_LT(gap, 9) << "gate " << gate << " has no gap";
    world.arena.put(world.state(), 0, before, gap, 0);
    world.arena.inputs(world.state(), 0)[0] = 1;
    world.ticks(40);
  }
  const auto gates = std::count_if(world.events.begin(), world.events.end(),
                                   [](const Event& e) { return e.kind == EventKind::gate; });
  EXPECT_EQ(gates, 60);
  EXPECT_EQ(std::count_if(world.events.begin(), world.events.end(),
                          [](const Event& e) { return e.kind == EventKind::touch; }),
            0);
  for (const double angle : {90.0, -90.0, 180.0})
    EXPECT_TRUE(test::cast(world, world.pose(0).x, world.pose(0).y, angle, 200, 0, 0).entity)
        << "closed at " << angle;
}

TEST(Rivers, AreTheSameForTheSameKeyAndDifferForOthers) {
  World a(river()), b(river());
  a.arena.begin(a.state(), 9, 1, 2, a.scratch);
  b.arena.begin(b.state(), 9, 1, 2, b.scratch);
  EXPECT_EQ(a.arena.hash(a.state()), b.arena.hash(b.state()));
  b.arena.begin(b.state(), 9, 1, 3, b.scratch);
  EXPECT_NE(a.pose(7).y, b.pose(7).y);
}

TEST(Vary, WorldsAndGroundAreSharedUnlessTheyDiffer) {
  ArenaSpec spec;
  spec.heights = Heights{};
  spec.ground = GroundSpec{.levels = {{0, 0, 0}, {0, 1, 0}, {0, 0, 0}}, .spacing = 20.0};
  spec.blocks = BlocksSpec{.kinds = {{.name = "rock"}},
                           .columns = 16,
                           .rows = 16,
                           .layers = 8,
                           .generate = {Strata{.kinds = {"rock"}}}};
  spec.bodies = {{.name = "crew", .motion = Motion::free, .shape = Disc{0.3}, .mover = Walker{}}};
  spec.bodies[0].place.region = {4, 4, 12, 12};
  spec.vary = {{.key = "heights.gravity", .low = 5, .high = 15},
               {.key = "bodies.crew.mover.jump", .low = 1, .high = 3}};
  test::World world(spec);
  for (std::uint32_t episode = 0; episode < 20; ++episode) {
    world.arena.begin(world.state(), 1, 0, episode, world.scratch);
    world.ticks(3);
    EXPECT_EQ(world.arena.entity(world.arena.stands_on(world.state(), 0)).name, "rock");
  }
  spec.vary = {{.key = "blocks.seed", .low = 1, .high = 1000}};
  spec.variants = 4;
  const Arena several(spec);
  spec.blocks->layouts = 1024;
  spec.variants = 4096;
  EXPECT_THROW(Arena{spec}, Error);
  spec.vary = {{.key = "blocks.layers", .low = 4, .high = 8}};
  EXPECT_THROW(Arena{spec}, Error);
}

}  // namespace
}  // namespace zithercraft
