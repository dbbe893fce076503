// Bats on rails, balls that keep their speed, and phases: other numbers of the spec in force.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "worlds.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

using test::World;

ArenaSpec court(Rail rail) {
  ArenaSpec spec;
  spec.tick = 0.02;
  spec.bodies = {{.name = "bat",
                  .motion = Motion::free,
                  .shape = Box{0.4, 2.0},
                  .bounce = 1.0,
                  .grip = 0.0,
                  .mover = rail},
                 {.name = "ball",
                  .motion = Motion::free,
                  .shape = Disc{0.2},
                  .bounce = 1.0,
                  .grip = 0.0,
                  .constant_speed = 5.0,
                  .start_speed = 5.0,
                  .place = {.region = {4, 0, 4, 0}, .heading = {180, 180}}}};
  return spec;
}

TEST(Rails, HoldABodyToALine) {
  World world(court({.from = {-6, -3}, .to = {-6, 3}, .speed = 4, .start = {0.5, 0.5}}));
  EXPECT_NEAR(world.pose(0).x, -6, 1e-5);
  EXPECT_NEAR(world.pose(0).y, 0, 1e-5);
  EXPECT_NEAR(std::fabs(world.pose(0).cos), 1, 1e-5) << "it looks across its rail";
  auto inputs = world.arena.inputs(world.state(), EntityId(0));
  inputs[0] = 1.0f;
  world.ticks(26);
  EXPECT_NEAR(world.velocity(0).y, 4, 1e-3);
  world.ticks(100);
  EXPECT_NEAR(world.pose(0).y, 3, 1e-5) << "and no farther";
  inputs[0] = -0.5f;
  world.ticks(200);
  EXPECT_NEAR(world.pose(0).x, -6, 1e-5);
  EXPECT_LT(world.pose(0).y, 0);
}

TEST(Rails, HoldABodyToAnArcThatItFacesInwards) {
  World world(
      court({.from = {6, 0}, .to = {0, 6}, .centre = {{0.0, 0.0}}, .speed = 3, .start = {0, 0}}));
  world.arena.set_present(world.state(), EntityId(1), false);
  EXPECT_NEAR(world.pose(0).cos, -1, 1e-5);
  auto inputs = world.arena.inputs(world.state(), EntityId(0));
  inputs[0] = 1.0f;
  for (int k = 0; k < 30; ++k) {
    world.ticks(10);
    const Pose at = world.pose(0);
    EXPECT_NEAR(std::hypot(at.x, at.y), 6, 1e-4);
    EXPECT_NEAR(at.cos, -at.x / 6, 1e-4);
    EXPECT_NEAR(at.sin, -at.y / 6, 1e-4);
  }
  EXPECT_NEAR(world.pose(0).y, 6, 1e-4) << "the end of a quarter of the circle";
  world.arena.put(world.state(), EntityId(0), 4.3f, 4.2f, 0);
  inputs[0] = 0.0f;
  world.ticks(1);
  EXPECT_NEAR(std::hypot(world.pose(0).x, world.pose(0).y), 6, 1e-4)
      << "a body put beside a rail is on it again";
}

TEST(Rails, ABatThrowsTheBallBackAndIsNotMovedByIt) {
  World world(court({.from = {-6, -3}, .to = {-6, 3}, .start = {0.5, 0.5}}));
  EXPECT_EQ(world.velocity(1).x, -5) << "it begins at its speed";
  world.ticks(120);
  EXPECT_NEAR(world.velocity(1).x, 5, 1e-3);
  EXPECT_NEAR(world.pose(0).x, -6, 1e-5);
  EXPECT_NEAR(world.pose(0).y, 0, 1e-5);
  ASSERT_FALSE(world.events.empty());
  EXPECT_EQ(world.events[0].kind, EventKind::touch);
}

TEST(Rails, ABallNeverSlowsAndIsServedAgainAtItsSpeed) {
  ArenaSpec spec = court({.from = {-6, -3}, .to = {-6, 3}});
  spec.walls = {{.name = "wall",
                 .points = {{-8, -4}, {8, -4}, {8, 4}, {-8, 4}},
                 .closed = true,
                 .bounce = 0.2,
                 .grip = 0.5}};
  spec.bodies[1].place.heading = {130, 130};
  World world(spec);
  for (int k = 0; k < 400; ++k) {
    world.ticks(1);
    ASSERT_NEAR(world.speed(EntityId(1)), 5, 1e-3) << k;
  }
  ASSERT_TRUE(world.arena.place_again(world.state(), EntityId(1), world.scratch, world.events));
  EXPECT_EQ(world.pose(EntityId(1)).x, 4);
  EXPECT_NEAR(world.speed(EntityId(1)), 5, 1e-5);
}

TEST(Rails, NamesWhatIsWrong) {
  ArenaSpec spec = court({.from = {1, 1}, .to = {1, 1}});
  EXPECT_THROW(Arena{spec}, Error);
  spec = court({.from = {-6, -3}, .to = {-6, 3}});
  spec.bodies[0].place.region = {1, 1, 2, 2};
  EXPECT_THROW(Arena{spec}, Error);
  spec = court({.from = {-6, -3}, .to = {-6, 3}});
  spec.bodies[0].constant_speed = 2.0;
  EXPECT_THROW(Arena{spec}, Error);
}

// ---- Phases

TEST(Phases, PutOtherNumbersInForce) {
  ArenaSpec spec = court({.from = {-6, -3}, .to = {-6, 3}, .speed = 2, .start = {0, 0}});
  spec.phases = {
      {.name = "rush", .set = {{"bodies.bat.mover.speed", 6}, {"bodies.ball.constant_speed", 9}}}};
  World world(spec);
  auto inputs = world.arena.inputs(world.state(), EntityId(0));
  inputs[0] = 1.0f;
  world.ticks(20);
  EXPECT_NEAR(world.velocity(0).y, 2, 1e-3);
  EXPECT_EQ(world.arena.phase(world.state()), 0u);
  world.arena.enter_phase(world.state(), world.arena.phase_number("rush", "here"));
  world.ticks(20);
  EXPECT_EQ(world.arena.phase(world.state()), 1u);
  EXPECT_NEAR(world.velocity(0).y, 6, 1e-3);
  EXPECT_NEAR(world.speed(EntityId(1)), 9, 1e-3);
  world.arena.enter_phase(world.state(), world.arena.phase_number("", "here"));
  world.ticks(20);
  EXPECT_NEAR(world.speed(EntityId(1)), 5, 1e-3);
  world.arena.begin(world.state(), 1, 0, 1, world.scratch);
  EXPECT_EQ(world.arena.phase(world.state()), 0u) << "an episode begins without";
}

TEST(Phases, GoWithNumbersThatVary) {
  ArenaSpec spec = court({.from = {-6, -3}, .to = {-6, 3}, .speed = 2, .start = {0, 0}});
  spec.vary = {{"bodies.bat.mover.speed", 1, 3}};
  spec.variants = 8;
  spec.phases = {{.name = "rush", .set = {{"bodies.ball.constant_speed", 9}}}};
  World world(spec);
  std::vector<float> speeds;
  for (std::uint32_t episode = 0; episode < 20; ++episode) {
    world.arena.begin(world.state(), 1, 0, episode, world.scratch);
    world.arena.inputs(world.state(), EntityId(0))[0] = 1.0f;
    world.ticks(10);
    const float speed = world.velocity(0).y;
    EXPECT_NEAR(world.speed(EntityId(1)), 5, 1e-3);
    world.arena.enter_phase(world.state(), 1);
    world.ticks(5);
    EXPECT_NEAR(world.velocity(0).y, speed, 1e-3) << "the phase keeps what the episode drew";
    EXPECT_NEAR(world.speed(EntityId(1)), 9, 1e-3);
    speeds.push_back(speed);
  }
  EXPECT_GT(*std::max_element(speeds.begin(), speeds.end()),
            *std::min_element(speeds.begin(), speeds.end()) + 0.3f);
}

TEST(Phases, NameWhatIsWrong) {
  const auto throws = [](std::vector<Phase> phases) {
    ArenaSpec spec = court({.from = {-6, -3}, .to = {-6, 3}});
    spec.phases = std::move(phases);
    EXPECT_THROW(Arena{spec}, Error);
  };
  throws({{.name = "a", .set = {{"bodies.bat.count", 2}}}});
  throws({{.name = "a", .set = {{"tick", 0.1}}}});
  throws({{.name = "a", .set = {{"bodies.bet.mass", 2}}}});
  throws({{.name = "a", .set = {{"bodies.ball.mass", -2}}}});
  throws({{.name = "a", .set = {{"bodies.ball.mass", 2}}},
          {.name = "a", .set = {{"bodies.ball.mass", 3}}}});
  ArenaSpec spec = court({.from = {-6, -3}, .to = {-6, 3}});
  spec.phases = {{.name = "rush", .set = {{"bodies.ball.mass", 2}}}};
  EXPECT_THROW(Arena(spec).phase_number("rash", "here"), Error);
}

}  // namespace
}  // namespace zithercraft
