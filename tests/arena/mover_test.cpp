#include <gtest/gtest.h>

#include "worlds.hpp"

namespace zithercraft {
namespace {

using test::World;

World boat(const Boat& mover) {
  return World({.bodies = {{.name = "skiff", .motion = Motion::free, .mover = mover}}});
}

void steer(World& world, float throttle, float rudder) {
  const auto inputs = world.arena.inputs(world.state(), 0);
  inputs[0] = throttle;
  inputs[1] = rudder;
}

TEST(Boat, ReachesTheSpeedWhereThrustAndDragBalance) {
  World world = boat({.thrust = 1.2, .drag_ahead = 0.4});
  steer(world, 1, 0);
  world.ticks(1000);
  EXPECT_NEAR(world.velocity(0).x, 3, 0.05);
  EXPECT_EQ(world.velocity(0).y, 0);
  steer(world, 5, 0);  // inputs are clamped
  world.ticks(1000);
  EXPECT_NEAR(world.velocity(0).x, 3, 0.05);
}

TEST(Boat, PositiveRudderTurnsToPort) {
  World world = boat({});
  steer(world, 1, 1);
  world.ticks(40);
  EXPECT_GT(world.velocity(0).turn, 0.1f);
  EXPECT_GT(world.pose(0).heading, 0.1f);
  EXPECT_GT(world.pose(0).y, 0);
}

TEST(Boat, ARudderNeedsFlow) {
  World world = boat({});
  steer(world, 0, 1);
  world.ticks(40);
  EXPECT_EQ(world.velocity(0).turn, 0);
}

TEST(Boat, LosesSidewaysSpeedFasterThanForwardSpeed) {
  World world = boat({.drag_ahead = 0.4, .drag_abeam = 1.5});
  world.arena.set_velocity(world.state(), 0, {.x = 2, .y = 2});
  world.ticks(20);  // one second
  EXPECT_NEAR(world.velocity(0).x, 2 * std::exp(-0.4), 1e-4);
  EXPECT_NEAR(world.velocity(0).y, 2 * std::exp(-1.5), 1e-4);
}

World with(const Mover& mover) {
  return World({.bodies = {{.name = "it", .motion = Motion::free, .mover = mover}}});
}

TEST(Walker, StepsAnyWayWhileItFacesAnother) {
  World world = with(Walker{.speed = 2, .acceleration = 20, .turn_rate = 90});
  auto inputs = world.arena.inputs(world.state(), 0);
  inputs[1] = 1;
  world.ticks(2);
  EXPECT_NEAR(world.velocity(0).y, 2, 1e-5) << "two steps of 1 m/s";
  EXPECT_EQ(world.pose(0).heading, 0);
  inputs[0] = 1;  // ahead and to the left is no faster
  world.ticks(20);
  EXPECT_NEAR(world.speed(0), 2, 1e-4);
  inputs[0] = inputs[1] = 0;
  inputs[2] = 0.5f;
  world.ticks(20);
  EXPECT_NEAR(world.speed(0), 0, 1e-5);
  EXPECT_NEAR(world.pose(0).heading, 0.785398, 1e-3) << "half the rate for a second";
}

TEST(Car, DrivesInTheCircleItsFrontWheelsGive) {
  World world =
      with(Car{.engine = 2, .drag = 0, .wheelbase = 2, .steer_angle = 30, .side_grip = 50});
  const auto inputs = world.arena.inputs(world.state(), 0);
  inputs[0] = 1;
  world.ticks(20);
  EXPECT_NEAR(world.speed(0), 2, 1e-3);
  inputs[0] = 0;
  inputs[1] = 1;
  world.ticks(1);
  EXPECT_NEAR(world.velocity(0).turn, world.speed(0) * std::tan(30 * 0.0174532925) / 2, 1e-3);
  EXPECT_GT(world.velocity(0).turn, 0) << "to the left";
}

TEST(Car, BrakesToAStandstillBeforeItReverses) {
  World world = with(Car{.engine = 2, .brakes = 10, .drag = 0});
  const auto inputs = world.arena.inputs(world.state(), 0);
  world.arena.set_velocity(world.state(), 0, {.x = 1});
  inputs[0] = -1;
  world.ticks(1);
  EXPECT_NEAR(world.velocity(0).x, 0.5, 1e-5);
  world.ticks(1);
  EXPECT_EQ(world.velocity(0).x, 0);
  world.ticks(10);
  EXPECT_NEAR(world.velocity(0).x, -1, 1e-4);
}

}  // namespace
}  // namespace zithercraft
