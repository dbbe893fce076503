// What bodies must keep to over long times: momentum, energy, walls.

#include <gtest/gtest.h>

#include "worlds.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

using test::body;
using test::World;

ArenaSpec closed_box(double half) {
  ArenaSpec spec;
  spec.walls = {{.name = "wall",
                 .points = {{-half, -half}, {half, -half}, {half, half}, {-half, half}},
                 .closed = true}};
  return spec;
}

BodySpec crate(const std::string& name, std::int64_t count, const Shape& shape, double half) {
  return {.name = name,
          .count = count,
          .motion = Motion::free,
          .shape = shape,
          .place = {.region = {-half, -half, half, half}, .heading = {-180, 180}}};
}

TEST(Dynamics, WhatSwimsDriftsWithTheCurrent) {
  ArenaSpec spec;
  spec.current = {0.5, -0.25};
  spec.bodies = {
      body("barge", Box{3, 1}, Motion::free, 0), body("buoy", Disc{0.5}, Motion::free, 1),
      body("pile", Disc{0.5}, Motion::fixed, 2), body("sled", Disc{0.5}, Motion::free, 3),
      body("boat", Box{2, 1}, Motion::free, 4)};
  spec.bodies[0].drag = 0.5;
  spec.bodies[1].drag = 2.0;
  spec.bodies[4].mover = Boat{};
  World world(spec);
  const Pose pile = world.pose(2), sled = world.pose(3);
  world.ticks(1000);
  for (const std::size_t swims : {0u, 1u, 4u}) {
    EXPECT_NEAR(world.velocity(EntityId(swims)).x, 0.5f, 1e-3f) << swims;
    EXPECT_NEAR(world.velocity(EntityId(swims)).y, -0.25f, 1e-3f) << swims;
  }
  EXPECT_EQ(world.pose(2).x, pile.x) << "what is fixed stays";
  EXPECT_EQ(world.pose(3).x, sled.x) << "nothing takes hold of what has no drag";
  // Against the current a boat makes good its speed through the water less the current's.
  World still([&] {
    ArenaSpec calm = spec;
    calm.current = {};
    return calm;
  }());
  for (World* w : {&world, &still}) {
    w->arena.inputs(w->state(), 4)[0] = 1.0f;
    w->ticks(1000);
  }
  EXPECT_NEAR(world.velocity(4).x - still.velocity(4).x, 0.5f, 1e-2f);
}

TEST(Dynamics, FreeCollisionsConserveMomentum) {
  ArenaSpec spec;
  spec.bodies = {crate("disc", 6, Disc{0.5}, 6), crate("box", 6, Box{1.4, 0.8}, 6),
                 crate("log", 4, Capsule{2, 0.3}, 6)};
  spec.bodies[0].mass = 3;
  spec.bodies[1].bounce = 0.8;
  World world(spec);
  RandomStream random(1, 0, 0, Purpose::user);
  const std::size_t n = world.arena.bodies().size();
  const auto mass = [&](std::size_t b) {
    return world.arena.spec().bodies[world.arena.entity(EntityId(b)).spec_index].mass;
  };
  double x = 0, y = 0, size = 0;
  for (std::size_t b = 0; b < n; ++b) {
    // Towards the middle, so that they meet.
    const Pose pose = world.pose(EntityId(b));
    world.arena.set_velocity(
        world.state(), EntityId(b),
        {-0.5f * pose.x + random.normal(), -0.5f * pose.y + random.normal(), random.normal()});
    x += mass(b) * static_cast<double>(world.velocity(EntityId(b)).x);
    y += mass(b) * static_cast<double>(world.velocity(EntityId(b)).y);
    size += mass(b) * static_cast<double>(world.speed(EntityId(b)));
  }
  world.ticks(400);
  ASSERT_GT(world.events.size(), 20u) << "nothing met";
  double now_x = 0, now_y = 0;
  for (std::size_t b = 0; b < n; ++b) {
    now_x += mass(b) * static_cast<double>(world.velocity(EntityId(b)).x);
    now_y += mass(b) * static_cast<double>(world.velocity(EntityId(b)).y);
  }
  EXPECT_NEAR(now_x, x, 1e-4 * size);
  EXPECT_NEAR(now_y, y, 1e-4 * size);
}

TEST(Dynamics, EnergyNeverGrowsInAClosedBox) {
  ArenaSpec spec = closed_box(5);
  spec.walls[0].bounce = 1;
  spec.walls[0].grip = 0;
  spec.bodies = {crate("disc", 5, Disc{0.5}, 4), crate("box", 3, Box{1.2, 0.8}, 4)};
  for (auto& b : spec.bodies) {
    b.bounce = 0.9;
    b.grip = 0.2;
  }
  World world(spec);
  RandomStream random(2, 0, 0, Purpose::user);
  const double disc_inertia = 0.5 * 0.25, box_inertia = (0.36 + 0.16) / 3;
  const auto energy = [&] {
    double sum = 0;
    for (const EntityId b : world.arena.bodies()) {
      const double speed = static_cast<double>(world.speed(b)),
                   turn = static_cast<double>(world.velocity(b).turn);
      sum += 0.5 * (speed * speed + (b < 5 ? disc_inertia : box_inertia) * turn * turn);
    }
    return sum;
  };
  for (const EntityId b : world.arena.bodies())
    world.arena.set_velocity(world.state(), b,
                             {4 * random.normal(), 4 * random.normal(), random.normal()});
  double highest = energy();
  for (int block = 0; block < 1000; ++block) {
    world.events.clear();
    world.ticks(100);
    const double now = energy();
    ASSERT_LE(now, highest * 1.0001 + 1e-6) << "after " << 100 * block << " ticks";
    highest = std::min(highest, std::max(now, 1e-9));
  }
}

// A million ticks of random play with everything that can push.
TEST(Dynamics, NobodyLeavesAClosedArena) {
  ArenaSpec spec = closed_box(8);
  spec.bodies = {{.name = "boat",
                  .count = 2,
                  .motion = Motion::free,
                  .shape = Capsule{2, 0.4},
                  .mover = Boat{.thrust = 6}},
                 {.name = "walker",
                  .count = 2,
                  .motion = Motion::free,
                  .shape = Disc{0.4},
                  .mover = Walker{.speed = 6}},
                 {.name = "car",
                  .count = 2,
                  .motion = Motion::free,
                  .shape = Box{1.8, 0.9},
                  .mover = Car{.engine = 8}},
                 {.name = "crate",
                  .count = 3,
                  .motion = Motion::free,
                  .shape = Box{1, 1},
                  .mass = 5,
                  .drag = 0.5}};
  for (auto& b : spec.bodies) b.place = {.region = {-7, -7, 7, 7}, .heading = {-180, 180}};
  World world(spec);
  RandomStream random(3, 0, 0, Purpose::user);
  for (int block = 0; block < 100'000; ++block) {
    for (std::size_t b = 0; b < 6; ++b)
      for (float& input : world.arena.inputs(world.state(), EntityId(b)))
        input = static_cast<float>(random.between(-1, 1));
    world.events.clear();
    world.ticks(10);
    for (const EntityId b : world.arena.bodies()) {
      ASSERT_LT(std::fabs(world.pose(b).x), 8.0f)
          << "body " << b.number() << " after " << 10 * block << " ticks";
      ASSERT_LT(std::fabs(world.pose(b).y), 8.0f)
          << "body " << b.number() << " after " << 10 * block << " ticks";
    }
  }
}

TEST(Dynamics, NothingTunnelsAt200MetresPerSecond) {
  ArenaSpec spec = closed_box(10);
  spec.cells = CellsSpec{.origin = {-3, -3},
                         .kinds = {{.name = "rock", .symbol = "#", .solid = true}},
                         .layers = {"#"}};
  spec.bodies = {
      body("disc", Disc{0.2}, Motion::free, 0), body("log", Capsule{1.2, 0.15}, Motion::free, 1),
      body("box", Box{0.5, 0.3}, Motion::free, 2), body("post", Disc{0.3}, Motion::fixed, 3)};
  for (auto& b : spec.bodies) b.bounce = 1;
  spec.walls[0].bounce = 1;
  World world(spec);
  RandomStream random(4, 0, 0, Purpose::user);
  world.arena.put(world.state(), 3, 2, 2, 0);
  for (int shot = 0; shot < 500; ++shot) {
    for (std::size_t b = 0; b < 3; ++b) {
      const double angle = random.between(-3.14, 3.14);
      world.arena.put(world.state(), EntityId(b), -6 + 5 * static_cast<float>(b), 6, angle);
      world.arena.set_velocity(world.state(), EntityId(b),
                               {200 * static_cast<float>(std::cos(angle)),
                                200 * static_cast<float>(std::sin(angle)), 0});
    }
    for (int tick = 0; tick < 20; ++tick) {
      world.ticks(1);
      for (std::size_t b = 0; b < 3; ++b) {
        ASSERT_LT(std::fabs(world.pose(EntityId(b)).x), 10.0f)
            << "shot " << shot << ", body " << b << ", tick " << tick;
        ASSERT_LT(std::fabs(world.pose(EntityId(b)).y), 10.0f)
            << "shot " << shot << ", body " << b << ", tick " << tick;
      }
    }
    world.events.clear();
  }
}

TEST(Dynamics, TwoFastBodiesMeetInsteadOfPassing) {
  ArenaSpec spec;
  spec.bodies = {body("left", Disc{0.2}, Motion::free, 0),
                 body("right", Disc{0.2}, Motion::free, 1)};
  World world(spec);
  world.arena.put(world.state(), 0, -7, 0, 0);
  world.arena.put(world.state(), 1, 6, 0, 0);
  world.arena.set_velocity(world.state(), 0, {200, 0, 0});
  world.arena.set_velocity(world.state(), 1, {-200, 0, 0});
  world.ticks(6);
  EXPECT_FALSE(world.events.empty());
  EXPECT_LT(world.pose(0).x, world.pose(1).x);
}

TEST(Dynamics, CratesShovedIntoACornerComeToRest) {
  ArenaSpec spec = closed_box(4);
  spec.bodies = {{.name = "tug",
                  .motion = Motion::free,
                  .shape = Disc{0.5},
                  .mass = 4,
                  .mover = Walker{.speed = 1, .acceleration = 4}}};
  for (int i = 0; i < 5; ++i)
    spec.bodies.push_back({.name = "crate" + std::to_string(i),
                           .motion = Motion::free,
                           .shape = Box{1, 1},
                           .drag = 2});
  for (auto& b : spec.bodies) b.place = {.region = {-3, -3, 3, 3}};
  World world(spec);
  world.arena.put(world.state(), 0, -2, -2, 0.785398);
  for (std::size_t i = 0; i < 5; ++i)
    world.arena.put(world.state(), EntityId(i + 1), -0.5f + 1.1f * static_cast<float>(i % 3),
                    -0.5f + 1.1f * static_cast<float>(i / 3), 0.1);
  world.arena.inputs(world.state(), 0)[0] = 1;
  world.ticks(600);
  const auto resting = [&] {
    float fastest = 0;
    for (std::size_t b = 0; b < 6; ++b) fastest = std::max(fastest, world.speed(EntityId(b)));
    return fastest;
  };
  EXPECT_LT(resting(), 0.05f) << "still moving though the tug goes on pushing";
  const Pose before = world.pose(3);
  world.ticks(200);
  EXPECT_NEAR(world.pose(3).x, before.x, 0.02f);
  EXPECT_NEAR(world.pose(3).y, before.y, 0.02f);
}

TEST(Dynamics, AHeavyBodyIsHardToPush) {
  const auto pushed = [](double mass) {
    ArenaSpec spec;
    spec.bodies = {{.name = "tug",
                    .motion = Motion::free,
                    .shape = Disc{0.5},
                    .mass = 100,
                    .mover = Walker{.speed = 2, .acceleration = 4}},
                   {.name = "barge",
                    .motion = Motion::free,
                    .shape = Box{2, 2},
                    .mass = mass,
                    .drag = 0.5,
                    .place = {.region = {3, 0, 3, 0}}}};
    World world(spec);
    world.arena.inputs(world.state(), 0)[0] = 1;
    world.ticks(100);
    return world.pose(1).x - 3;
  };
  EXPECT_GT(pushed(50), 2 * pushed(2000));
  EXPECT_GT(pushed(2000), 0.05f);
}

TEST(Dynamics, PushedOffCentreABoxTurns) {
  ArenaSpec spec;
  spec.bodies = {{.name = "tug",
                  .motion = Motion::free,
                  .shape = Disc{0.3},
                  .mass = 5,
                  .mover = Walker{.speed = 2}},
                 {.name = "box",
                  .motion = Motion::free,
                  .shape = Box{1, 3},
                  .place = {.region = {2, 0, 2, 0}}}};
  World world(spec);
  world.arena.put(world.state(), 0, 0, 1.2f, 0);
  world.arena.inputs(world.state(), 0)[0] = 1;
  world.ticks(40);
  EXPECT_LT(world.pose(1).heading, -0.2f) << "pushed at its left end it turns to the right";
}

TEST(Dynamics, BodiesSlideAlongARowOfCellsWithoutCatching) {
  ArenaSpec spec;
  spec.cells = CellsSpec{.origin = {0, -1},
                         .kinds = {{.name = "rock", .symbol = "#", .solid = true}},
                         .layers = {std::string(40, '#')}};
  for (const Shape& shape : {Shape{Disc{0.3}}, Shape{Box{0.8, 0.6}}, Shape{Capsule{1, 0.3}}}) {
    spec.bodies = {{.name = "slider",
                    .motion = Motion::free,
                    .shape = shape,
                    .grip = 0,
                    .place = {.region = {2, 0.31, 2, 0.31}}}};
    World world(spec);
    for (int tick = 0; tick < 400; ++tick) {
      // Pressed against the row and carried along it.
      world.arena.set_velocity(world.state(), 0, {1.5f, -0.5f, 0});
      world.ticks(1);
    }
    EXPECT_NEAR(world.pose(0).x, 32, 0.3);
    EXPECT_GT(world.pose(0).y, 0.25f);
  }
}

TEST(Dynamics, TopSpeedHolds) {
  ArenaSpec spec;
  spec.bodies = {
      {.name = "boat", .motion = Motion::free, .top_speed = 1.5, .mover = Boat{.thrust = 10}}};
  World world(spec);
  world.arena.inputs(world.state(), 0)[0] = 1;
  world.ticks(200);
  EXPECT_NEAR(world.speed(0), 1.5f, 1e-3f);
}

TEST(Dynamics, ACarriedBodyFollowsItsPathAndShovesWhatIsInTheWay) {
  ArenaSpec spec;
  spec.bodies = {{.name = "ferry",
                  .motion = Motion::carried,
                  .shape = Box{1, 1},
                  .track = Track{.points = {{4, 0}}, .speed = 2}},
                 {.name = "raft",
                  .motion = Motion::free,
                  .shape = Disc{0.4},
                  .mass = 1e6,
                  .place = {.region = {2.5, 0, 2.5, 0}}}};
  World world(spec);
  world.ticks(20);  // one second
  EXPECT_NEAR(world.pose(0).x, 2, 1e-4);
  EXPECT_NEAR(world.velocity(0).x, 2, 1e-3);
  world.ticks(20);
  EXPECT_NEAR(world.pose(0).x, 4, 1e-4);
  EXPECT_GT(world.pose(1).x, 4.3f) << "however heavy it is";
  world.ticks(20);
  EXPECT_NEAR(world.pose(0).x, 2, 1e-4) << "back the way it came";
}

TEST(Dynamics, ACarriedBodyCanFollowCode) {
  ArenaSpec spec;
  spec.bodies = {{.name = "buoy",
                  .motion = Motion::carried,
                  .carry = Carry([](double t, const CarriedPose& start) {
                    return CarriedPose{start.x + t * t, start.y, t};
                  })}};
  World world(spec);
  world.ticks(40);
  EXPECT_NEAR(world.pose(0).x, 4, 1e-4);
  EXPECT_NEAR(world.pose(0).heading, 2, 1e-4);
}

TEST(Dynamics, OutlinesCollideAndTurn) {
  ArenaSpec spec = closed_box(4);
  spec.bodies = {crate("wedge", 4, Outline{{{0, 0}, {1.5, 0}, {0.2, 1}}}, 2.5)};
  spec.bodies[0].bounce = 0.5;
  World world(spec);
  for (std::size_t b = 0; b < 4; ++b)
    world.arena.set_velocity(world.state(), EntityId(b), {3, 1, 0});
  world.ticks(200);
  EXPECT_GT(world.events.size(), 5u);
  for (std::size_t b = 0; b < 4; ++b) {
    EXPECT_LT(std::fabs(world.pose(EntityId(b)).x), 4.0f);
    EXPECT_LT(std::fabs(world.pose(EntityId(b)).y), 4.0f);
  }
}

}  // namespace
}  // namespace zithercraft
