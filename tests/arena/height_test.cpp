// Up and down: falling, standing, steps, slopes, jumps, platforms, shots, and nothing gets through
// anything.

#include <gtest/gtest.h>

#include <algorithm>

#include "worlds.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

using test::World;

constexpr double gravity = 9.81;

BodySpec body(const std::string& name, const Shape& shape, Motion motion, double slot) {
  BodySpec spec = test::body(name, shape, motion, slot);
  spec.place.level = {{0, 0}};  // no ground is needed there
  return spec;
}

ArenaSpec high_arena(double tick = 0.02) {
  ArenaSpec spec{.tick = tick};
  spec.heights = Heights{.gravity = gravity, .floor = Floor{}};
  return spec;
}

BodySpec walker(Walker mover = {}) {
  BodySpec spec = body("walker", Disc{0.4}, Motion::free, 0);
  spec.height = 1.8;
  spec.mover = mover;
  return spec;
}

BodySpec block(double length, double width, double height, double slot = 1,
               Motion motion = Motion::fixed) {
  BodySpec spec = body("block", Box{length, width}, motion, slot);
  spec.height = height;
  return spec;
}

void go(World& world, std::size_t i, float ahead, int ticks) {
  world.arena.inputs(world.state(), EntityId(i))[0] = ahead;
  world.ticks(ticks);
}

TEST(Height, FallsLikeAStoneAndStandsOnTheFloor) {
  ArenaSpec spec = high_arena(0.001);
  spec.bodies = {body("stone", Ball{0.5}, Motion::free, 0)};
  World world(spec);
  world.arena.put(world.state(), 0, 0, 0, 0, 5.0f);
  world.ticks(500);
  EXPECT_NEAR(world.pose(0).z, 5.0 - 0.5 * gravity * 0.25, 0.01);
  EXPECT_EQ(world.arena.stands_on(world.state(), 0), EntityId(-1));
  world.ticks(1000);
  EXPECT_EQ(world.pose(0).z, 0.0f);
  const EntityId ground = world.arena.stands_on(world.state(), 0);
  ASSERT_TRUE(ground);
  EXPECT_EQ(world.arena.entity(ground).kind, EntityKind::floor);
  const auto touch = std::find_if(world.events.begin(), world.events.end(),
                                  [](const Event& e) { return e.kind == EventKind::touch; });
  ASSERT_NE(touch, world.events.end());
  EXPECT_NEAR(touch->strength, std::sqrt(2 * gravity * 5.0), 0.05);
  EXPECT_EQ(std::count_if(world.events.begin(), world.events.end(),
                          [](const Event& e) {
                            return e.kind == EventKind::touch || e.kind == EventKind::part;
                          }),
            1);
}

TEST(Height, BouncesAsFarAsItsBounceSays) {
  ArenaSpec spec = high_arena(0.001);
  spec.bodies = {body("ball", Ball{0.2}, Motion::free, 0)};
  spec.bodies[0].bounce = 0.5;
  World world(spec);
  world.arena.put(world.state(), 0, 0, 0, 0, 2.0f);
  float highest = 0.0f;
  bool landed = false;
  for (int i = 0; i < 1200; ++i) {
    world.ticks(1);
    landed = landed || world.velocity(0).z > 0.0f;
    if (landed) highest = std::max(highest, world.pose(0).z);
  }
  EXPECT_NEAR(highest, 0.5, 0.03);
}

TEST(Height, WalksUpStepsThatItsLegsReachAndNoHigher) {
  for (const auto& [height, gets_up] : {std::pair{0.25, true}, {0.35, false}}) {
    ArenaSpec spec = high_arena();
    spec.bodies = {walker({.speed = 2.0, .step_height = 0.3}), block(2, 4, height)};
    World world(spec);
    world.arena.put(world.state(), 0, -3, 0, 0, 0);
    world.arena.put(world.state(), 1, 0, 0, 0, 0);
    go(world, 0, 1.0f, 90);
    if (gets_up) {
      EXPECT_FLOAT_EQ(world.pose(0).z, static_cast<float>(height));
      EXPECT_EQ(world.arena.stands_on(world.state(), 0), EntityId(1));
      go(world, 0, 1.0f, 100);
      EXPECT_EQ(world.pose(0).z,
                0.0f);  // and down again on the other side, with its feet on the ground
      EXPECT_GT(world.pose(0).x, 1.5f);
    } else {
      EXPECT_EQ(world.pose(0).z, 0.0f);
      EXPECT_LT(world.pose(0).x, -1.3f);
    }
  }
}

TEST(Height, JumpsAsHighAsItsSpeedCarriesAndOntoWhatItReaches) {
  ArenaSpec spec = high_arena(0.005);
  spec.bodies = {walker({.speed = 2.0, .jump = 5.0}), block(4, 4, 1.0)};
  World world(spec);
  world.arena.put(world.state(), 0, -3, 0, 0, 0);
  world.arena.put(world.state(), 1, 0, 0, 0, 0);
  world.ticks(2);
  const auto inputs = world.arena.inputs(world.state(), 0);
  ASSERT_EQ(world.arena.inputs_of(0)[3], "jump");
  inputs[3] = 1.0f;
  float highest = 0.0f;
  for (int i = 0; i < 150; ++i) {
    world.ticks(1);
    inputs[3] = 0.0f;
    highest = std::max(highest, world.pose(0).z);
  }
  EXPECT_NEAR(highest, 25.0 / (2 * gravity), 0.03);
  inputs[0] = 1.0f;
  inputs[3] = 1.0f;
  world.ticks(400);
  EXPECT_GT(world.pose(0).z, 0.99f);
}

TEST(Height, DoesNotJumpThroughWhatIsOverhead) {
  ArenaSpec spec = high_arena();
  spec.heights->ceiling = 50.0;
  spec.bodies = {walker({.jump = 6.0}), block(4, 4, 0.2)};
  World world(spec);
  world.arena.put(world.state(), 0, 0, 0, 0, 0);
  world.arena.put(world.state(), 1, 0, 0, 0, 2.2f);
  world.arena.inputs(world.state(), 0)[3] = 1.0f;
  bool touched = false;
  for (int i = 0; i < 200; ++i) {
    world.ticks(1);
    ASSERT_LE(world.pose(0).z, 0.4f + 1e-4f);
  }
  for (const Event& e : world.events)
    touched = touched || (e.kind == EventKind::touch && e.whom == 1);
  EXPECT_TRUE(touched);
}

TEST(Height, CannotStepUpWhereThereIsNoRoomForItsHead) {
  ArenaSpec spec = high_arena();
  spec.bodies = {walker({.speed = 2.0, .step_height = 0.3}), block(2, 6, 0.25),
                 block(2, 6, 1.0, 2)};
  spec.bodies[2].name = "lintel";
  World world(spec);
  world.arena.put(world.state(), 0, -3, 0, 0, 0);
  world.arena.put(world.state(), 1, 0, 0, 0, 0);
  world.arena.put(world.state(), 2, 0, 0, 0,
                  1.9f);  // room for 1.9 m at the floor, for 1.65 m on the step
  go(world, 0, 1.0f, 300);
  EXPECT_LT(world.pose(0).x, 0.0f);
  EXPECT_LE(world.pose(0).z + 1.8f, 1.9f + 1e-3f);
}

TEST(Height, PlatformsCarryWhoStandsOnThem) {
  ArenaSpec spec = high_arena();
  BodySpec lift = block(3, 3, 0.5, 1, Motion::carried);
  lift.track = Track{.points = {{4, 0}, {4, 0}}, .speed = 1.0, .levels = {0, 3}};
  spec.bodies = {walker(), lift, block(0.5, 0.5, 0.5, 2, Motion::free)};
  spec.bodies[2].name = "crate";
  World world(spec);
  const float x = world.pose(1).x;
  world.arena.put(world.state(), 0, x - 0.5f, 0, 0, 0.5f);
  world.arena.put(world.state(), 2, x + 0.8f, 0, 0, 0.5f);
  world.ticks(100);
  EXPECT_NEAR(world.pose(0).x, x - 0.5f + 2.0f, 0.25f);
  EXPECT_NEAR(world.pose(2).x, x + 0.8f + 2.0f, 0.35f);
  world.ticks(150);  // on the way up now
  const float top = world.pose(1).z + 0.5f;
  EXPECT_GT(top, 1.0f);
  EXPECT_NEAR(world.pose(0).z, top, 1e-3f);
  EXPECT_NEAR(world.pose(2).z, top, 1e-3f);
  world.ticks(300);  // and down again
  EXPECT_NEAR(world.pose(0).z, world.pose(1).z + 0.5f, 0.02f);
}

TEST(Height, BodiesStackAndAreNotPushedAsideByWhatStandsOnThem) {
  ArenaSpec spec = high_arena();
  BodySpec crate = body("crate", Box{1, 1}, Motion::free, 0);
  crate.count = 4;
  crate.place.region = {1000, -50, 1100, 50};
  spec.bodies = {crate};
  World world(spec);
  for (std::size_t i = 0; i < 4; ++i)
    world.arena.put(world.state(), EntityId(i), 0.05f * static_cast<float>(i), 0, 0,
                    1.5f * static_cast<float>(i));
  world.ticks(200);
  for (std::size_t i = 0; i < 4; ++i) {
    EXPECT_NEAR(world.pose(EntityId(i)).z, static_cast<float>(i), 1e-3f) << i;
    EXPECT_NEAR(world.pose(EntityId(i)).x, 0.05f * static_cast<float>(i), 0.02f) << i;
  }
}

TEST(Height, BallsRollOffEdgesAndPushOtherBallsAside) {
  ArenaSpec spec = high_arena();
  spec.bodies = {body("ball", Ball{0.5}, Motion::free, 0), block(2, 2, 1.0),
                 body("other", Ball{0.5}, Motion::free, 2)};
  World world(spec);
  world.arena.put(world.state(), 1, 0, 0, 0, 0);
  world.arena.put(world.state(), 0, 0.5f, 0, 0, 1.0f);
  world.arena.set_velocity(world.state(), 0, {2.0f, 0, 0, 0});
  world.ticks(100);
  EXPECT_GT(world.pose(0).x, 1.4f);
  EXPECT_EQ(world.pose(0).z, 0.0f);
  world.arena.put(world.state(), 0, 10, 0, 0, 0);
  world.arena.put(world.state(), 2, 12, 0, 0, 0);
  world.arena.set_velocity(world.state(), 0, {4.0f, 0, 0, 0});
  world.ticks(60);
  EXPECT_GT(world.pose(2).x, 12.1f);
}

// A ramp of the given angle along x from 0 to `length`, then level.
ArenaSpec ramp(double degrees, double length) {
  ArenaSpec spec = high_arena();
  const double top = length * std::tan(degrees * 0.017453292519943295);
  GroundSpec ground{.origin = {-length, -10}, .spacing = length};
  for (int row = 0; row < 8; ++row) ground.levels.push_back({0, 0, top, top, top});
  spec.ground = ground;
  spec.heights->floor.reset();
  return spec;
}

TEST(Height, WalksUpSlopesThatAreNotTooSteep) {
  for (const auto& [degrees, gets_up] : {std::pair{30.0, true}, {40.0, true}, {55.0, false}}) {
    ArenaSpec spec = ramp(degrees, 6.0);
    spec.bodies = {walker({.speed = 2.0, .slope = 45.0})};
    World world(spec);
    world.arena.put(world.state(), 0, -1, 0, 0, 0);
    go(world, 0, 1.0f, 400);
    const float top = static_cast<float>(6.0 * std::tan(degrees * 0.017453292519943295));
    if (gets_up) {
      EXPECT_NEAR(world.pose(0).z, top, 0.05f) << degrees;
    } else {
      EXPECT_LT(world.pose(0).z, 1.0f) << degrees;
    }
    for (int i = 0; i < 1000; ++i) {  // back down it keeps its feet on the ground
      go(world, 0, -1.0f, 1);
      if (world.pose(0).x < -4.0f) break;
      if (!gets_up || world.pose(0).x >= 5.5f) continue;
      ASSERT_TRUE(world.arena.stands_on(world.state(), 0)) << degrees;
    }
  }
}

TEST(Height, ThingsSlideDownSlopesThatTheirGripDoesNotHold) {
  for (const auto& [grip, slides] : {std::pair{0.9, false}, {0.1, true}}) {
    ArenaSpec spec = ramp(30.0, 10.0);
    spec.ground->grip = grip;
    BodySpec crate = block(1, 1, 1, 0, Motion::free);
    crate.grip = grip;
    spec.bodies = {crate};
    World world(spec);
    const float z = 5.0f * std::tan(30.0f * 0.0174532925f);
    world.arena.put(world.state(), 0, 5, 0, 0, z);
    world.ticks(50);
    if (!slides) {
      EXPECT_NEAR(world.pose(0).x, 5.0f, 0.02f);
    } else {
      // g (sin - grip cos) along the slope, seen from above, for one second
      const double along = gravity * (0.5 - 0.1 * 0.8660254) * 0.8660254 * 0.5;
      EXPECT_NEAR(world.pose(0).x, 5.0 - along, 0.4);
    }
  }
}

TEST(Height, NothingIsFallenThroughAt200MetresPerSecond) {
  ArenaSpec spec = high_arena(0.05);
  spec.heights->floor.reset();
  spec.heights->lowest = -1000.0;
  BodySpec ball = body("ball", Ball{0.2}, Motion::free, 0);
  ball.count = 60;
  ball.place.region = {1000, -50, 1100, 50};
  BodySpec shelf = block(4, 4, 0.05);
  shelf.name = "shelf";
  MeshSpec net{.name = "net",
               .corners = {{-20, -20, -3}, {20, -20, -3}, {20, 20, -3}, {-20, 20, -3}},
               .triangles = {{0, 1, 2}, {0, 2, 3}}};
  spec.bodies = {ball, shelf};
  spec.meshes = {net};
  spec.walls = {
      {.name = "fence", .points = {{-20, -20}, {20, -20}, {20, 20}, {-20, 20}}, .closed = true}};
  World world(spec);
  world.arena.put(world.state(), 60, 0, 0, 0, 0);
  RandomStream random(3, 0, 0, Purpose::user);
  for (std::size_t i = 0; i < 60; ++i) {
    world.arena.put(world.state(), EntityId(i), static_cast<float>(random.between(-15, 15)),
                    static_cast<float>(random.between(-15, 15)), 0,
                    static_cast<float>(random.between(1, 60)));
    const auto side = [&] { return static_cast<float>(random.between(-60, 60)); };
    world.arena.set_velocity(world.state(), EntityId(i), {side(), side(), 0, -200.0f});
  }
  for (int i = 0; i < 400; ++i) world.ticks(1);
  for (std::size_t i = 0; i < 60; ++i) {
    EXPECT_TRUE(world.arena.present(world.state(), EntityId(i))) << i;
    EXPECT_GE(world.pose(EntityId(i)).z, -3.001f) << i;
    EXPECT_LE(std::max(std::fabs(world.pose(EntityId(i)).x), std::fabs(world.pose(EntityId(i)).y)),
              20.1f)
        << i;
  }
}

TEST(Height, EnergyNeverGrowsWhereThingsFallAndBounce) {
  ArenaSpec spec = high_arena(0.01);
  spec.heights->floor->bounce = 0.9;
  spec.heights->floor->grip = 0.0;
  spec.walls = {{.name = "wall",
                 .points = {{-5, -5}, {5, -5}, {5, 5}, {-5, 5}},
                 .closed = true,
                 .bounce = 0.9,
                 .grip = 0}};
  BodySpec ball = body("ball", Ball{0.4}, Motion::free, 0),
           crate = block(1, 0.8, 0.7, 1, Motion::free);
  ball.count = crate.count = 4;
  ball.bounce = crate.bounce = 0.9;
  ball.grip = crate.grip = 0.0;
  ball.place = crate.place = {.region = {-4, -4, 4, 4}, .level = {{0.1, 6}}};
  spec.bodies = {ball, crate};
  World world(spec);
  RandomStream random(4, 0, 0, Purpose::user);
  for (std::size_t b = 0; b < 8; ++b)
    world.arena.set_velocity(world.state(), EntityId(b),
                             {3 * random.normal(), 3 * random.normal(), 0, 3 * random.normal()});
  const auto energy = [&] {
    double sum = 0;
    for (std::size_t b = 0; b < 8; ++b) {
      const Velocity v = world.velocity(EntityId(b));
      const double x = static_cast<double>(v.x), y = static_cast<double>(v.y),
                   z = static_cast<double>(v.z), turn = static_cast<double>(v.turn);
      sum += 0.5 * (x * x + y * y + z * z + (b < 4 ? 0.08 : 0.1367) * turn * turn) +
             gravity * static_cast<double>(world.pose(EntityId(b)).z);
    }
    return sum;
  };
  const double first = energy();
  double lowest = first;
  for (int block = 0; block < 2000; ++block) {
    world.events.clear();
    world.ticks(50);
    const double now = energy();
    ASSERT_LE(now, lowest + 0.002 * first) << "after " << 50 * block << " ticks";
    lowest = std::min(lowest, now);
  }
  EXPECT_LT(lowest, 0.5 * first);
}

// A long play with everything that pushes, on ground, meshes and steps.
TEST(Height, NobodyLeavesAClosedYard) {
  ArenaSpec spec = high_arena(0.05);
  spec.heights->floor.reset();
  spec.heights->ceiling = 8.0;
  spec.heights->lowest = -5.0;
  GroundSpec ground{.origin = {-8, -8}, .spacing = 2};
  RandomStream hills(9, 0, 0, Purpose::user);
  for (int row = 0; row < 9; ++row) {
    ground.levels.emplace_back();
    for (int column = 0; column < 9; ++column)
      ground.levels.back().push_back(hills.between(0, 1.2));
  }
  spec.ground = ground;
  spec.walls = {{.name = "wall", .points = {{-8, -8}, {8, -8}, {8, 8}, {-8, 8}}, .closed = true}};
  const auto thing = [](const char* name, const Shape& shape, std::optional<Mover> mover) {
    BodySpec made = body(name, shape, Motion::free, 0);
    made.count = 2;
    made.mover = mover;
    made.place = {.region = {-7, -7, 7, 7}, .heading = {-180, 180}, .level = {{2, 5}}};
    return made;
  };
  spec.bodies = {thing("walker", Disc{0.4}, Walker{.speed = 6, .jump = 5}),
                 thing("gull", Ball{0.3}, Flyer{.speed = 6}), thing("car", Box{1.6, 0.9}, Car{}),
                 thing("crate", Box{1, 1}, {}), thing("ball", Ball{0.5}, {})};
  World world(spec);
  RandomStream random(3, 0, 0, Purpose::user);
  for (int block = 0; block < 20'000; ++block) {
    for (std::size_t b = 0; b < 10; ++b)
      for (float& input : world.arena.inputs(world.state(), EntityId(b)))
        input = static_cast<float>(random.between(-1, 1));
    world.ticks(10);
    world.events.clear();
    for (std::size_t b = 0; b < 10; ++b) {
      const Pose p = world.pose(EntityId(b));
      ASSERT_TRUE(world.arena.present(world.state(), EntityId(b))) << block << " " << b;
      ASSERT_LT(std::max(std::fabs(p.x), std::fabs(p.y)), 8.0f) << block << " " << b;
      ASSERT_GT(p.z, -0.01f) << block << " " << b;
      ASSERT_LE(p.z + world.arena.height_of(EntityId(b)), 8.01f) << block << " " << b;
    }
  }
}

TEST(Height, SteepMeshesStopWalkersAndFlatRoofsAreStoodOn) {
  ArenaSpec spec = high_arena();
  // A shed of 2 x 2 x 2.5 m: four upright sides and a roof.
  MeshSpec shed{.name = "shed",
                .corners = {{-1, -1, 0},
                            {1, -1, 0},
                            {1, 1, 0},
                            {-1, 1, 0},
                            {-1, -1, 2.5},
                            {1, -1, 2.5},
                            {1, 1, 2.5},
                            {-1, 1, 2.5}},
                .triangles = {{0, 1, 5},
                              {0, 5, 4},
                              {1, 2, 6},
                              {1, 6, 5},
                              {2, 3, 7},
                              {2, 7, 6},
                              {3, 0, 4},
                              {3, 4, 7},
                              {4, 5, 6},
                              {4, 6, 7}}};
  spec.meshes = {shed};
  spec.bodies = {walker({.speed = 3.0})};
  World world(spec);
  for (int i = 0; i < 16; ++i) {
    const double angle = i * 3.14159265 / 8.0;
    world.arena.put(world.state(), 0, static_cast<float>(4 * std::cos(angle)),
                    static_cast<float>(4 * std::sin(angle)), angle + 3.14159265, 0);
    go(world, 0, 1.0f, 120);
    EXPECT_GT(std::max(std::fabs(world.pose(0).x), std::fabs(world.pose(0).y)),
              i % 4 == 2 ? 1.27f : 1.38f)
        << i;
  }
  world.arena.put(world.state(), 0, 0, 0, 0, 6);
  go(world, 0, 0.0f, 100);
  EXPECT_FLOAT_EQ(world.pose(0).z, 2.5f);
}

TEST(Height, FlyersHoldTheirLevelAndClimb) {
  ArenaSpec spec = high_arena();
  BodySpec gull = body("gull", Ball{0.3}, Motion::free, 0);
  gull.mover = Flyer{.speed = 4, .climb = 2};
  spec.bodies = {gull};
  World world(spec);
  world.arena.put(world.state(), 0, 0, 0, 0, 5);
  world.ticks(200);
  EXPECT_EQ(world.pose(0).z, 5.0f);
  world.arena.inputs(world.state(), 0)[2] = 1.0f;
  world.ticks(100);
  EXPECT_NEAR(world.pose(0).z, 9.0f, 0.6f);
}

TEST(Height, ShotsFlyOnAParabolaAndReportHowCloseTheyCame) {
  ArenaSpec spec = high_arena(0.002);
  BodySpec gunner = body("gunner", Disc{0.5}, Motion::fixed, 0);
  gunner.height = 2.0;
  gunner.launchers = {{.name = "flare",
                       .speed = 20,
                       .radius = 0.1,
                       .life = 20,
                       .rise = {30, 60},
                       .muzzle = 1.5,
                       .targets = {"balloon"}}};
  BodySpec balloon = body("balloon", Ball{1.0}, Motion::fixed, 1);
  spec.bodies = {gunner, balloon};
  World world(spec);
  world.arena.put(world.state(), 0, 0, 0, 0, 0);
  world.arena.put(world.state(), 1, 17.32f, 4.0f, 0, 10);  // beside the way of a shot at 30 degrees
  const auto inputs = world.arena.inputs(world.state(), 0);
  ASSERT_EQ(world.arena.inputs_of(0)[1], "flare.elevation");
  inputs[0] = 1.0f;
  inputs[1] = -1.0f;
  world.ticks(1);
  inputs[0] = 0.0f;
  world.ticks(3000);
  // Its lowest point meets the floor.
  const double v = 10.0, t = (v + std::sqrt(v * v + 2 * gravity * 1.4)) / gravity;
  float hit_x = 0, pass = -1;
  for (const Event& e : world.events) {
    if (e.kind == EventKind::hit) hit_x = e.x;
    if (e.kind == EventKind::pass) pass = e.strength;
  }
  EXPECT_NEAR(hit_x, 20 * std::cos(0.5235987755982988) * t, 0.2);
  double nearest = 1e9;
  for (int i = 0; i < 30000; ++i) {
    const double s = i * 1e-4, x = 17.320508 * s, z = 1.5 + 10 * s - 0.5 * gravity * s * s;
    nearest = std::min(nearest, std::hypot(std::hypot(x - 17.32, z - 11.0), 4.0));
  }
  EXPECT_NEAR(pass, nearest - 1.1, 0.02);
}

TEST(Height, WhoFallsOutOfTheWorldDies) {
  ArenaSpec spec = high_arena();
  spec.heights->floor.reset();
  spec.heights->lowest = -5;
  spec.bodies = {walker()};
  spec.bodies[0].place.level = {{0, 0}};
  World world(spec);
  world.ticks(200);
  EXPECT_FALSE(world.arena.present(world.state(), 0));
  EXPECT_EQ(std::count_if(world.events.begin(), world.events.end(),
                          [](const Event& e) { return e.kind == EventKind::die; }),
            1);
}

TEST(Height, ZonesAndItemsHaveHeightsToo) {
  ArenaSpec spec = high_arena();
  spec.zones = {{.name = "loft",
                 .shape = Disc{2},
                 .height = 2.0,
                 .kept_free = false,
                 .place = {.level = {{4, 4}}}},
                {.name = "yard", .shape = Disc{2}, .kept_free = false}};
  spec.items = {{.name = "lamp", .place = {.region = {0, 0, 0, 0}, .level = {{4, 4}}}}};
  spec.bodies = {walker()};
  World world(spec);
  world.arena.put(world.state(), 0, 0.1f, 0, 0, 0);
  const EntityId loft = world.arena.zones()[0], lamp(world.arena.posed().size() - 1);
  world.ticks(5);
  EXPECT_FALSE(world.arena.inside(world.state(), 0, loft));
  EXPECT_TRUE(world.arena.inside(world.state(), 0, world.arena.zones()[1]));
  EXPECT_TRUE(world.arena.present(world.state(), lamp));
  world.arena.put(world.state(), 0, 0.1f, 0, 0, 4.0f);
  world.ticks(1);
  EXPECT_TRUE(world.arena.inside(world.state(), 0, loft));
  EXPECT_FALSE(world.arena.present(world.state(), lamp));
}

TEST(Height, PlacesThingsOnTheGroundOrAtALevel) {
  ArenaSpec spec = ramp(30.0, 6.0);
  spec.bodies = {walker(), body("balloon", Ball{0.5}, Motion::fixed, 1)};
  spec.bodies[0].place = {.region = {1, -2, 5, 2}};
  spec.bodies[1].place = {.region = {1, -2, 5, 2}, .level = {{8, 9}}};
  World world(spec);
  for (std::uint32_t episode = 0; episode < 50; ++episode) {
    world.arena.begin(world.state(), 1, 0, episode, world.scratch);
    EXPECT_NEAR(world.pose(0).z, world.pose(0).x * std::tan(0.5235987756f), 1e-3f);
    EXPECT_GE(world.pose(1).z, 8.0f);
    EXPECT_LE(world.pose(1).z, 9.0f);
  }
}

TEST(Height, WhatNeedsHeightIsRefusedInAFlatArena) {
  const auto problem = [](const ArenaSpec& spec) -> std::string {
    try {
      const Arena arena(spec);
    } catch (const Error& error) {
      return error.where();
    }
    return "";
  };
  ArenaSpec spec;
  spec.bodies = {test::body("thing", Disc{}, Motion::free, 0)};
  spec.bodies[0].height = 2.0;
  EXPECT_EQ(problem(spec), "arena.bodies[0].height");
  spec.bodies[0].height.reset();
  spec.bodies[0].mover = Walker{.jump = 3};
  EXPECT_EQ(problem(spec), "arena.bodies[0].mover.jump");
  spec.bodies[0].mover = Flyer{};
  EXPECT_EQ(problem(spec), "arena.bodies[0].mover");
  spec.bodies[0].mover.reset();
  spec.bodies[0].shape = Ball{};
  EXPECT_EQ(problem(spec), "arena.bodies[0].shape");
  spec.bodies[0].shape = Disc{};
  spec.ground = GroundSpec{.levels = {{0, 0}, {0, 0}}};
  EXPECT_EQ(problem(spec), "arena.ground");
}

}  // namespace
}  // namespace zithercraft
