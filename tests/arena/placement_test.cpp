#include <gtest/gtest.h>

#include <algorithm>

#include "arena/geometry.hpp"
#include "support.hpp"
#include "worlds.hpp"

namespace zithercraft {
using namespace arena_internal;
namespace {

using test::World;

TEST(Placement, NothingOverlapsAndClearancesHold) {
  const ArenaSpec spec = test::mooring().arena;
  World world(spec);
  const std::size_t things = world.arena.bodies().size() + world.arena.zones().size();
  float lowest = 1e9f, highest = -1e9f;
  for (std::uint32_t episode = 0; episode < 300; ++episode) {
    world.arena.begin(world.state(), 9, 3, episode, world.scratch);
    for (std::size_t i = 0; i < things; ++i) {
      const Entity& a = world.arena.entity(EntityId(i));
      const Shape& shape = a.kind == EntityKind::zone ? spec.zones[a.spec_index].shape
                                                      : spec.bodies[a.spec_index].shape;
      const Placement& place = a.kind == EntityKind::zone ? spec.zones[a.spec_index].place
                                                          : spec.bodies[a.spec_index].place;
      const Core core = core_of(shape_data(shape), world.pose(EntityId(i)));
      const auto [low_x, low_y, high_x, high_y] = place.region;
      const Pose pose = world.pose(EntityId(i));
      EXPECT_GE(pose.x, static_cast<float>(low_x));
      EXPECT_GE(pose.y, static_cast<float>(low_y));
      EXPECT_LE(pose.x, static_cast<float>(high_x));
      EXPECT_LE(pose.y, static_cast<float>(high_y));
      lowest = std::min(lowest, pose.x);
      highest = std::max(highest, pose.x);
      for (std::size_t j = 0; j < i; ++j) {
        const Entity& b = world.arena.entity(EntityId(j));
        const Shape& other = b.kind == EntityKind::zone ? spec.zones[b.spec_index].shape
                                                        : spec.bodies[b.spec_index].shape;
        const double clearance = a.kind == EntityKind::zone
                                     ? spec.bodies[b.spec_index].place.clearance
                                     : place.clearance;
        EXPECT_GT(gap_between(core, core_of(shape_data(other), world.pose(EntityId(j)))).distance,
                  static_cast<float>(clearance) - 1e-3f)
            << a.name << " and " << b.name << " in episode " << episode;
      }
      for (const auto& [from, to] :
           {std::pair<Vec, Vec>{{-20, -15}, {20, -15}}, {{20, 15}, {-20, 15}}})
        EXPECT_GT(gap_between(core, core_of_segment(from, to)).distance, 0);
    }
  }
  // All of the region is used.
  EXPECT_LT(lowest, -16.0f);
  EXPECT_GT(highest, 16.0f);
}

TEST(Placement, IsAFunctionOfItsKeysAndDiffersBetweenEpisodes) {
  World a(test::mooring().arena), b(test::mooring().arena);
  a.arena.begin(a.state(), 5, 2, 7, a.scratch);
  b.arena.begin(b.state(), 5, 2, 7, b.scratch);
  EXPECT_EQ(a.arena.hash(a.state()), b.arena.hash(b.state()));
  b.arena.begin(b.state(), 5, 2, 8, b.scratch);
  EXPECT_NE(a.pose(8).x, b.pose(8).x);
}

TEST(Placement, TheImpossibleIsAnErrorThatNamesThingAndRule) {
  const Error error = test::error_of([] {
    World({.walls = {{.name = "quay",
                      .points = {{-5, -5}, {5, -5}, {5, 5}, {-5, 5}},
                      .closed = true}},
           .bodies = {{.name = "hull",
                       .count = 30,
                       .shape = Box{6, 2},
                       .place = {.region = {-4, -4, 4, 4}, .heading = {0, 180}}}}});
  });
  EXPECT_EQ(error.kind(), ErrorKind::spec);
  EXPECT_NE(error.problem().find("'hull' finds no free place"), std::string::npos);
  EXPECT_NE(error.problem().find("in the way: "), std::string::npos) << error.problem();
  EXPECT_NE(error.problem().find("quay"), std::string::npos) << error.problem();
  EXPECT_EQ(error.where(), "arena.bodies[0].place");
  EXPECT_NE(error.fix().find("widen the region"), std::string::npos);
}

// 0.7 + 0.1 is a little more than 0.8 in floats; what is in the way is only what is really there.
TEST(Placement, AFootExactlyOnAPlatformsTopIsFree) {
  const auto spec = [](double level) {
    return ArenaSpec{
        .bodies = {{.name = "platform",
                    .shape = Box{4, 4},
                    .height = 0.1,
                    .place = {.region = {0, 0, 0, 0}, .level = std::array{0.7, 0.7}}},
                   {.name = "crate",
                    .motion = Motion::free,
                    .shape = Disc{0.5},
                    .height = 1.0,
                    .place = {.region = {0, 0, 0, 0}, .level = std::array{level, level}}}},
        .heights = Heights{}};
  };
  World on_top(spec(0.8));
  EXPECT_FLOAT_EQ(on_top.arena.pose(on_top.state(), 1).z, 0.8f);
  EXPECT_NE(std::string(test::error_of([&] { World(spec(0.75)); }).what()).find("platform"),
            std::string::npos);
}

}  // namespace
}  // namespace zithercraft
