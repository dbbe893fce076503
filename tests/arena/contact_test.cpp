#include <gtest/gtest.h>

#include "worlds.hpp"

namespace zithercraft {
namespace {

using test::body;
using test::World;

const WallSpec floor_wall{.name = "quay", .points = {{-50, 0}, {50, 0}}};

TEST(Contact, ABodyStopsAtAWallAndSaysHowHardItTouched) {
  World world({.walls = {floor_wall}, .bodies = {body("crate", Disc{0.5}, Motion::free, 0)}});
  world.arena.put(world.state(), 0, 0, 2, 0);
  world.arena.set_velocity(world.state(), 0, {.y = -3});
  world.ticks(60);
  EXPECT_NEAR(world.pose(0).y, 0.5, 0.02);
  EXPECT_NEAR(world.speed(0), 0, 1e-3);
  ASSERT_EQ(world.events.size(), 1u);
  EXPECT_EQ(world.events[0].kind, EventKind::touch);
  EXPECT_EQ(world.events[0].who, EntityId(0));
  EXPECT_EQ(world.arena.entity(world.events[0].whom).name, "quay");
  EXPECT_NEAR(world.events[0].strength, 3, 1e-4);
}

TEST(Contact, BounceGivesSpeedBackAndPartsAgain) {
  auto ball = body("ball", Disc{0.5}, Motion::free, 0);
  ball.bounce = 0.8;
  World world({.walls = {floor_wall}, .bodies = {ball}});
  world.arena.put(world.state(), 0, 0, 2, 0);
  world.arena.set_velocity(world.state(), 0, {.y = -3});
  world.ticks(20);
  EXPECT_NEAR(world.velocity(0).y, 2.4, 1e-3);
  ASSERT_EQ(world.events.size(), 2u);
  EXPECT_EQ(world.events[1].kind, EventKind::part);
}

TEST(Contact, MomentumIsKeptBetweenFreeBodies) {
  auto light = body("light", Disc{0.5}, Motion::free, 0),
       heavy = body("heavy", Disc{0.5}, Motion::free, 1);
  heavy.mass = 3;
  World world({.bodies = {light, heavy}});
  world.arena.put(world.state(), 0, 0, 0, 0);
  world.arena.put(world.state(), 1, 2, 0, 0);
  world.arena.set_velocity(world.state(), 0, {.x = 4});
  world.ticks(30);
  EXPECT_NEAR(1 * world.velocity(0).x + 3 * world.velocity(1).x, 4, 1e-4);
  EXPECT_NEAR(world.velocity(0).x, 1, 1e-3);  // without bounce they move on together
  EXPECT_NEAR(world.velocity(1).x, 1, 1e-3);
}

TEST(Contact, ABoxPushedOffCentreTurns) {
  auto crate = body("crate", Box{2, 2}, Motion::free, 0),
       ram = body("ram", Disc{0.3}, Motion::free, 1);
  ram.mass = 5;
  World world({.bodies = {crate, ram}});
  world.arena.put(world.state(), 0, 0, 0, 0);
  world.arena.put(world.state(), 1, -2, 0.8f, 0);
  world.arena.set_velocity(world.state(), 1, {.x = 2});
  world.ticks(30);
  EXPECT_LT(world.velocity(0).turn, -0.1f);  // struck on its upper left, it turns clockwise
  EXPECT_GT(world.velocity(0).x, 0.1f);
}

TEST(Contact, OverlapIsUndoneWithoutAddingSpeed) {
  World world(
      {.bodies = {body("a", Box{2, 2}, Motion::fixed, 0), body("b", Box{2, 2}, Motion::free, 1)}});
  world.arena.put(world.state(), 0, 0, 0, 0);
  world.arena.put(world.state(), 1, 1.7f, 0.1f, 0);
  world.ticks(100);
  EXPECT_NEAR(world.pose(1).x, 2, 0.03);
  EXPECT_NEAR(world.speed(1), 0, 1e-3);
}

TEST(Contact, FreeBodiesNeverLeaveAWalledBasin) {
  ArenaSpec spec{
      .walls = {{.name = "quay", .points = {{-5, -5}, {5, -5}, {5, 5}, {-5, 5}}, .closed = true}}};
  for (int i = 0; i < 6; ++i)
    spec.bodies.push_back({.name = "crate" + std::to_string(i),
                           .motion = Motion::free,
                           .shape = i % 2 == 0 ? Shape(Box{1.5, 1}) : Shape(Capsule{2, 0.4}),
                           .bounce = 0.5,
                           .place = {.region = {-4, -4, 4, 4}, .heading = {-180, 180}}});
  World world(spec);
  for (std::size_t i = 0; i < 6; ++i)
    world.arena.set_velocity(world.state(), EntityId(i),
                             {.x = 4 - static_cast<float>(i), .y = 3, .turn = 2});
  for (int tick = 0; tick < 2000; ++tick) {
    world.ticks(1);
    for (std::size_t i = 0; i < 6; ++i) {
      ASSERT_LT(std::fabs(world.pose(EntityId(i)).x), 5) << "tick " << tick;
      ASSERT_LT(std::fabs(world.pose(EntityId(i)).y), 5) << "tick " << tick;
    }
  }
}

TEST(Zone, EnterAndLeaveAreReportedForTheCentre) {
  World world(
      {.zones = {{.name = "berth", .shape = Box{2, 2}, .place = {.region = {10, 0, 10, 0}}}},
       .bodies = {body("skiff", Disc{0.5}, Motion::free, 0)}});
  world.arena.put(world.state(), 0, 7, 0, 0);
  world.arena.set_velocity(world.state(), 0, {.x = 2});
  world.ticks(80);
  ASSERT_EQ(world.events.size(), 2u);
  EXPECT_EQ(world.events[0].kind, EventKind::enter);
  EXPECT_NEAR(world.events[0].x, 9, 0.11);
  EXPECT_EQ(world.events[1].kind, EventKind::leave);
  EXPECT_NEAR(world.events[1].x, 11, 0.11);
  EXPECT_EQ(world.events[0].tick, 20u);
}

}  // namespace
}  // namespace zithercraft
