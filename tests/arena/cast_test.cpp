#include <gtest/gtest.h>

#include <algorithm>
#include <limits>

#include "arena/geometry.hpp"
#include "worlds.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
using namespace arena_internal;
namespace {

using test::body;
using test::cast;
using test::World;

TEST(Cast, HitsEachShapeWhereItShould) {
  World world({.walls = {{.name = "quay", .points = {{-10, 20}, {10, 20}}}},
               .bodies = {body("buoy", Disc{1}, Motion::fixed, 0),
                          body("crate", Box{4, 2}, Motion::fixed, 1),
                          body("log", Capsule{6, 1}, Motion::fixed, 2)}});
  world.arena.put(world.state(), 0, 10, 0, 0);
  world.arena.put(world.state(), 1, -10, 0, 1.5707963267948966);
  world.arena.put(world.state(), 2, 0, -10, 0);
  EXPECT_NEAR(cast(world, 0, 0, 0, 50).distance, 9, 1e-5);
  EXPECT_EQ(cast(world, 0, 0, 0, 50).entity, EntityId(0));
  EXPECT_NEAR(cast(world, 0, 0, 180, 50).distance, 9,
              1e-4);  // turned by a quarter: 2 m wide this way
  EXPECT_EQ(cast(world, 0, 0, 180, 50).entity, EntityId(1));
  EXPECT_NEAR(cast(world, 0, 0, 270, 50).distance, 9, 1e-4);
  EXPECT_EQ(cast(world, 0, 0, 270, 50).entity, EntityId(2));
  EXPECT_NEAR(cast(world, -4, -10, 0, 50).distance, 1, 1e-4);  // the log's round end
  EXPECT_NEAR(cast(world, 0, 0, 90, 50).distance, 20, 1e-4);
  EXPECT_EQ(cast(world, 0, 0, 90, 50).entity, EntityId(3));
}

TEST(Cast, MissesReportReachAndNoEntity) {
  World world({.bodies = {body("buoy", Disc{1}, Motion::fixed, 0)}});
  world.arena.put(world.state(), 0, 10, 0, 0);
  for (const double degrees : {6.0, 90.0, 180.0, 354.0}) {
    EXPECT_EQ(cast(world, 0, 0, degrees, 50).entity, EntityId(-1)) << degrees;
    EXPECT_EQ(cast(world, 0, 0, degrees, 50).distance, 50) << degrees;
  }
  EXPECT_EQ(cast(world, 0, 0, 0, 8.9f).entity, EntityId(-1));           // out of reach
  EXPECT_EQ(cast(world, 0, 0, 0, 50, 0, 0).entity, EntityId(-1));       // excluded
  EXPECT_EQ(cast(world, 0, 0, 0, 50, 0, -1, {}).entity, EntityId(-1));  // its tag is not looked for
}

TEST(Cast, SolidsAreHitAtZeroFromInsideZonesAtTheirOutline) {
  World world(
      {.zones = {{.name = "berth", .shape = Box{6, 4}, .place = {.region = {100, 0, 100, 0}}},
                 {.name = "ring", .shape = Disc{3}, .place = {.region = {200, 0, 200, 0}}},
                 {.name = "lane", .shape = Capsule{10, 2}, .place = {.region = {300, 0, 300, 0}}}},
       .bodies = {body("crate", Box{4, 2}, Motion::fixed, 0)}});
  world.arena.put(world.state(), 0, 0, 0, 0);
  EXPECT_EQ(cast(world, 0.5f, 0, 77, 50).distance, 0);
  EXPECT_NEAR(cast(world, 100, 0, 0, 50).distance, 3, 1e-4);
  EXPECT_NEAR(cast(world, 95, 0, 0, 50).distance, 2, 1e-4);
  EXPECT_NEAR(cast(world, 201, 0, 0, 50).distance, 2, 1e-4);
  EXPECT_NEAR(cast(world, 300, 0, 0, 50).distance, 5, 1e-4);  // along: the round end
  EXPECT_NEAR(cast(world, 304, 0, 180, 50).distance, 9, 1e-4);
  EXPECT_NEAR(cast(world, 300, 0, 90, 50).distance, 2, 1e-4);  // across: the side
}

TEST(Cast, ThickRaysMeetEarlierAndWider) {
  World world({.walls = {{.name = "pier", .points = {{-5, 10}, {5, 10}}}},
               .bodies = {body("crate", Box{2, 2}, Motion::fixed, 0),
                          body("buoy", Disc{1}, Motion::fixed, 1)}});
  world.arena.put(world.state(), 0, 10, 0, 0);
  world.arena.put(world.state(), 1, -10, 0, 0);
  EXPECT_NEAR(cast(world, 0, 0, 0, 50, 1).distance, 8.5, 1e-4);
  EXPECT_NEAR(cast(world, 0, 0, 180, 50, 1).distance, 8.5, 1e-4);
  EXPECT_NEAR(cast(world, 0, 0, 90, 50, 1).distance, 9.5, 1e-4);
  EXPECT_EQ(cast(world, 0, 1.3f, 0, 50).entity,
            EntityId(-1));  // a thin ray passes the crate's corner
  EXPECT_EQ(cast(world, 0, 1.3f, 0, 50, 1).entity, EntityId(0));  // a thick one touches it
  EXPECT_NEAR(cast(world, 0, 1.3f, 0, 50, 1).distance, 9 - 0.4,
              1e-4);                                        // 0.3 off a corner rounded by 0.5
  EXPECT_EQ(cast(world, 10, 1.2f, 90, 50, 1).distance, 0);  // begins in touch
}

// The hit point lies on the surface, and nothing is nearer on the way: checked by walking along the
// ray.
TEST(Cast, AgreesWithSmallStepsOnRandomScenes) {
  ArenaSpec spec;
  for (int i = 0; i < 6; ++i) {
    const double slot = i;
    const std::string name = "thing" + std::to_string(i);
    spec.bodies.push_back(i % 3 == 0   ? body(name, Disc{0.8}, Motion::fixed, slot)
                          : i % 3 == 1 ? body(name, Box{3, 1}, Motion::fixed, slot)
                                       : body(name, Capsule{3, 0.4}, Motion::fixed, slot));
  }
  World world(spec);
  RandomStream random(3, 0, 0, Purpose::user);
  for (int scene = 0; scene < 30; ++scene) {
    for (std::size_t i = 0; i < 6; ++i)
      world.arena.put(world.state(), EntityId(i), static_cast<float>(random.between(-8, 8)),
                      static_cast<float>(random.between(-8, 8)), random.between(-3, 3));
    for (int ray = 0; ray < 20; ++ray) {
      const double degrees = random.between(0, 360);
      const float thickness = ray % 2 == 0 ? 0.0f : 0.6f;
      const auto hit = cast(world, 0, 0, degrees, 12, thickness);
      const float c = static_cast<float>(std::cos(degrees * 0.017453292519943295)),
                  s = static_cast<float>(std::sin(degrees * 0.017453292519943295));
      float walked = 12;
      for (float t = 0; t < 12; t += 0.005f) {
        const Core probe =
            core_of({.corners = 1, .radius = thickness * 0.5f}, {.x = t * c, .y = t * s});
        const bool inside = [&] {
          for (std::size_t i = 0; i < 6; ++i)
            if (gap_between(probe,
                            core_of(shape_data(spec.bodies[i].shape), world.pose(EntityId(i))))
                    .distance <= 0)
              return true;
          return false;
        }();
        if (inside) {
          walked = t;
          break;
        }
      }
      EXPECT_NEAR(hit.distance, walked, 0.011)
          << "scene " << scene << ", " << degrees << " degrees, thickness " << thickness;
    }
  }
}

}  // namespace
}  // namespace zithercraft
