// Tails: what follows a leader's path, on cells and elsewhere.

#include <gtest/gtest.h>

#include <cmath>

#include "worlds.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

using test::World;

enum Way { ahead = 1, east = 3, north = 4 };

BodySpec tug(const std::string& name, double x, double y, double length) {
  return {.name = name,
          .motion = Motion::free,
          .shape = Disc{0.3},
          .mover = Stepper{},
          .meters = {{.name = "tow", .low = 0, .high = 6, .start = length}},
          .place = {.region = {x, y, x, y}}};
}

BodySpec tow(const std::string& name, const std::string& leader, Tail tail = {}) {
  tail.follows = leader;
  tail.length = "tow";
  return {.name = name, .count = 6, .motion = Motion::carried, .shape = Disc{0.3}, .tail = tail};
}

ArenaSpec basin(std::vector<BodySpec> bodies) {
  ArenaSpec spec;
  spec.cells = CellsSpec{.kinds = {{.name = "quay", .symbol = "#", .solid = true},
                                   {.name = "water", .symbol = ".", .seen = false}},
                         .layers = {"#########\n#.......#\n#.......#\n#.......#\n#########"}};
  spec.bodies = std::move(bodies);
  return spec;
}

void go(World& world, std::size_t body, Way way, float value = 1) {
  auto inputs = world.arena.inputs(world.state(), EntityId(body));
  std::fill(inputs.begin(), inputs.end(), 0.0f);
  inputs[way] = value;
}

// Where the present pieces of a body's spec lie, in their order.
std::vector<std::pair<float, float>> pieces(World& world, const std::string& name) {
  std::vector<std::pair<float, float>> found;
  for (const EntityId piece : world.arena.bodies_named(name))
    if (world.arena.present(world.state(), piece))
      found.emplace_back(world.pose(piece).x, world.pose(piece).y);
  return found;
}
using Places = std::vector<std::pair<float, float>>;

TEST(Tails, GoWhereTheLeaderWasOnCells) {
  World world(basin({tug("tug", 1.5, 1.5, 2), tow("tow", "tug")}));
  EXPECT_TRUE(pieces(world, "tow").empty()) << "it is drawn out of where it began";
  go(world, 0, east);
  world.ticks(3);
  EXPECT_EQ(pieces(world, "tow"), (Places{{3.5f, 1.5f}, {2.5f, 1.5f}}));
  go(world, 0, north);
  world.ticks(1);
  EXPECT_EQ(world.pose(0).y, 2.5f);
  EXPECT_EQ(pieces(world, "tow"), (Places{{4.5f, 1.5f}, {3.5f, 1.5f}}));
  EXPECT_EQ(world.pose(1).sin, 1) << "the first piece heads after its leader";
  EXPECT_EQ(world.pose(2).cos, 1);
}

TEST(Tails, GrowAtTheirEndAndShrinkAtOnce) {
  World world(basin({tug("tug", 1.5, 1.5, 1), tow("tow", "tug")}));
  go(world, 0, east);
  world.ticks(2);
  world.arena.set_meter(world.state(), EntityId(0), "tow", 3);
  EXPECT_EQ(pieces(world, "tow").size(), 1u);
  world.ticks(1);
  EXPECT_EQ(pieces(world, "tow"), (Places{{3.5f, 1.5f}, {2.5f, 1.5f}}));
  world.ticks(1);
  EXPECT_EQ(pieces(world, "tow"), (Places{{4.5f, 1.5f}, {3.5f, 1.5f}, {2.5f, 1.5f}}));
  world.arena.set_meter(world.state(), EntityId(0), "tow", 0.9f);
  EXPECT_TRUE(pieces(world, "tow").empty()) << "a part of a piece is none";
}

TEST(Tails, StopSteppersAndTellOfIt) {
  World world(basin({tug("tug", 3.5, 2.5, 2), tow("tow", "tug"), tug("rival", 4.5, 1.5, 0)}));
  go(world, 0, east);
  world.ticks(2);  // pieces on 4.5 and 3.5
  go(world, 0, east, 0);
  go(world, 7, north);
  world.ticks(1);
  EXPECT_EQ(world.pose(EntityId(7)).y, 1.5f);
  ASSERT_EQ(world.events.size(), 1u);
  EXPECT_EQ(world.events[0].kind, EventKind::touch);
  EXPECT_EQ(world.events[0].who, EntityId(7));
  EXPECT_EQ(world.arena.entity(world.events[0].whom).name, "tow");
}

TEST(Tails, KillWhomTheyAreToKill) {
  auto deadly = tow("tow", "tug");
  deadly.kills = {"rival"};
  World world(basin({tug("tug", 3.5, 2.5, 2), deadly, tug("rival", 4.5, 1.5, 0)}));
  go(world, 0, east);
  world.ticks(2);
  go(world, 0, east, 0);
  go(world, 7, north);
  world.ticks(1);
  EXPECT_FALSE(world.arena.present(world.state(), EntityId(7)));
  EXPECT_TRUE(world.arena.present(world.state(), EntityId(0)));
}

TEST(Tails, LetThroughWhomTheyAreToLetThrough) {
  World world(basin({tug("tug", 3.5, 2.5, 2), tow("tow", "tug", {.lets_pass = {"rival"}}),
                     tug("rival", 4.5, 1.5, 0)}));
  go(world, 0, east);
  world.ticks(2);
  go(world, 0, east, 0);
  go(world, 7, north);
  world.ticks(1);
  EXPECT_EQ(world.pose(EntityId(7)).y, 2.5f);
  EXPECT_TRUE(world.events.empty());
}

// A leader can follow its own end around, unless the end stays since the tail grows.
TEST(Tails, MakeRoomForTheirLeaderAtTheEnd) {
  for (const bool grows : {false, true}) {
    World world(basin({tug("tug", 1.5, 1.5, 3), tow("tow", "tug")}));
    for (const auto& [way, value] : {std::pair(east, 1), {north, 1}, {east, -1}}) {
      go(world, 0, way, static_cast<float>(value));
      world.ticks(1);
    }
    ASSERT_EQ(pieces(world, "tow").size(), 3u);
    if (grows) world.arena.set_meter(world.state(), EntityId(0), "tow", 4);
    go(world, 0, north, -1);  // to where it began, where its last piece lies
    world.ticks(1);
    EXPECT_EQ(world.pose(0).y, grows ? 2.5f : 1.5f);
    EXPECT_EQ(world.events.size(), grows ? 1u : 0u);
    EXPECT_EQ(pieces(world, "tow").size(), 3u);
  }
}

TEST(Tails, CloseTheWayBehindALeader) {
  World world(basin({tug("tug", 2.5, 1.5, 1), tow("tow", "tug"), tug("rival", 1.5, 1.5, 0)}));
  go(world, 0, east);
  go(world, 7, east);
  world.ticks(1);
  EXPECT_EQ(world.pose(EntityId(7)).x, 1.5f) << "the tow is drawn out right behind the tug";
  World without(basin({tug("tug", 2.5, 1.5, 0), tow("tow", "tug"), tug("rival", 1.5, 1.5, 0)}));
  go(without, 0, east);
  go(without, 7, east);
  without.ticks(1);
  EXPECT_EQ(without.pose(EntityId(7)).x, 2.5f);
}

TEST(Tails, AreCutWhereAPieceIsTakenOut) {
  World world(basin({tug("tug", 1.5, 1.5, 4), tow("tow", "tug")}));
  go(world, 0, east);
  world.ticks(5);
  ASSERT_EQ(pieces(world, "tow").size(), 4u);
  world.arena.take_out(world.state(), EntityId(2));  // the second of them
  EXPECT_EQ(pieces(world, "tow"), (Places{{5.5f, 1.5f}}));
  EXPECT_EQ(world.arena.meter(world.state(), EntityId(0), "tow"), 1);
  EXPECT_FALSE(world.arena.bring_back(world.state(), EntityId(2), world.events));
}

TEST(Tails, GoWithTheirLeader) {
  World world(basin({tug("tug", 1.5, 1.5, 2), tow("tow", "tug")}));
  go(world, 0, east);
  world.ticks(3);
  world.arena.put(world.state(), EntityId(0), 1.5f, 3.5f, 0);
  EXPECT_TRUE(pieces(world, "tow").empty()) << "it does not lie across the map";
  world.ticks(1);
  EXPECT_EQ(pieces(world, "tow"), (Places{{1.5f, 3.5f}}));
  world.arena.take_out(world.state(), EntityId(0));
  EXPECT_TRUE(pieces(world, "tow").empty());
}

TEST(Tails, EachOfSeveralLeadersHasItsOwn) {
  BodySpec tugs = tug("tug", 1.5, 1.5, 1);
  tugs.count = 2;
  tugs.place.region = {1, 1, 2, 4};
  BodySpec tows = tow("tow", "tug");
  tows.count = 3;
  World world(basin({tugs, tows}));
  EXPECT_EQ(world.arena.bodies_named("tow").size(), 6u);
  go(world, 0, east);
  go(world, 1, east);
  world.ticks(2);
  const auto list = world.arena.bodies_named("tow");
  for (std::size_t leader = 0; leader < 2; ++leader) {
    EXPECT_TRUE(world.arena.present(world.state(), list[3 * leader]));
    EXPECT_FALSE(world.arena.present(world.state(), list[3 * leader + 1]));
    EXPECT_EQ(world.pose(list[3 * leader]).y, world.pose(EntityId(leader)).y);
  }
}

// ---- Off cells

ArenaSpec open_water(Tail tail, double start) {
  ArenaSpec spec;
  spec.tick = 0.05;
  spec.bodies = {{.name = "tug",
                  .motion = Motion::free,
                  .shape = Disc{0.5},
                  .mover = Walker{.speed = 4, .acceleration = 200, .turn_rate = 90},
                  .meters = {{.name = "tow", .low = 0, .high = 20, .start = start}},
                  .place = {.region = {0, 0, 0, 0}}}};
  tail.follows = "tug";
  tail.length = "tow";
  spec.bodies.push_back(
      {.name = "tow", .count = 20, .motion = Motion::carried, .shape = Disc{0.3}, .tail = tail});
  return spec;
}

TEST(Tails, LieAlongThePathAtEqualSpacing) {
  World world(open_water({.spacing = 0.75}, 12));
  auto inputs = world.arena.inputs(world.state(), EntityId(0));
  std::vector<Pose> path;
  for (int tick = 0; tick < 200; ++tick) {
    inputs[0] = 1.0f;
    inputs[2] = static_cast<float>(std::sin(0.05 * tick));
    world.ticks(1);
    path.push_back(world.pose(0));
  }
  const auto along = pieces(world, "tow");
  ASSERT_EQ(along.size(), 12u);
  std::pair<float, float> before{path.back().x, path.back().y};
  for (const auto& [x, y] : along) {
    EXPECT_NEAR(std::hypot(x - before.first, y - before.second), 0.75f, 0.02f);
    before = {x, y};
    float nearest = 1e9f;
    for (const Pose& p : path) nearest = std::min(nearest, std::hypot(p.x - x, p.y - y));
    EXPECT_LT(nearest, 0.11f) << "half a tick's way beside a point of the path at most";
  }
  EXPECT_NEAR(world.speed(EntityId(3)), 4.0f, 0.3f) << "pieces move as fast as their leader";
}

TEST(Tails, ArePulledOutOnlyAsFarAsTheLeaderWent) {
  World world(open_water({.spacing = 0.5}, 20));
  auto inputs = world.arena.inputs(world.state(), EntityId(0));
  inputs[0] = 1.0f;
  world.ticks(10);  // some 2 metres
  EXPECT_GE(pieces(world, "tow").size(), 3u);
  EXPECT_LE(pieces(world, "tow").size(), 4u);
}

// The leader overlaps the pieces right behind it all the time, and is not shoved by them.
TEST(Tails, DoNotHinderTheirOwnLeader) {
  World with(open_water({.spacing = 0.2}, 20)), without(open_water({.spacing = 0.2}, 0));
  for (World* world : {&with, &without}) {
    auto inputs = world->arena.inputs(world->state(), EntityId(0));
    inputs[0] = 1.0f;
    world->ticks(100);
  }
  EXPECT_EQ(pieces(with, "tow").size(), 20u);
  EXPECT_EQ(with.pose(0).x, without.pose(0).x);
  EXPECT_TRUE(with.events.empty());
}

TEST(Tails, StopOtherBodiesAndCatchFastOnes) {
  for (const bool passes : {false, true}) {
    ArenaSpec spec = open_water({.spacing = 0.5}, 10);
    if (passes) spec.bodies[1].tail->lets_pass = {"ball"};
    spec.bodies.push_back({.name = "ball",
                           .motion = Motion::free,
                           .shape = Disc{0.2},
                           .place = {.region = {0, 9, 0, 9}}});
    World world(spec);
    auto inputs = world.arena.inputs(world.state(), EntityId(0));
    inputs[0] = 1.0f;
    world.ticks(50);
    inputs[0] = 0.0f;
    world.ticks(20);
    const EntityId ball(21);
    const float middle = world.pose(EntityId(5)).x;
    world.arena.put(world.state(), ball, middle, 3.0f, 0);
    world.arena.set_velocity(world.state(), ball, {0.0f, -60.0f, 0.0f});  // 3 m in a tick
    world.ticks(3);
    EXPECT_EQ(world.pose(ball).y < -1.0f, passes) << world.pose(ball).y;
  }
}

TEST(Tails, NamesWhatIsWrong) {
  const auto message = [](ArenaSpec spec) {
    try {
      const Arena arena(spec);
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string("nothing is wrong");
  };
  const auto wrong = [&](auto&& change) {
    ArenaSpec spec = basin({tug("tug", 1.5, 1.5, 2), tow("tow", "tug")});
    change(spec);
    return message(spec);
  };
  EXPECT_NE(
      wrong([](ArenaSpec& s) { s.bodies[1].tail->follows = "tag"; }).find("did you mean 'tug'"),
      std::string::npos);
  EXPECT_NE(wrong([](ArenaSpec& s) { s.bodies[1].tail->length = "fuel"; }).find("no meter 'fuel'"),
            std::string::npos);
  EXPECT_NE(wrong([](ArenaSpec& s) { s.bodies[1].motion = Motion::fixed; }).find("carried"),
            std::string::npos);
  EXPECT_NE(wrong([](ArenaSpec& s) {
              s.bodies[1].track = Track{.points = {{1, 0}}};
            }).find("several"),
            std::string::npos);
  EXPECT_NE(wrong([](ArenaSpec& s) {
              s.vary = {{"bodies.tow.count", 1, 4}};
            }).find("cannot vary"),
            std::string::npos);
}

}  // namespace
}  // namespace zithercraft
