#include "arena/geometry.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
using namespace arena_internal;
namespace {

Pose at(float x, float y, double heading = 0) {
  const auto [sin, cos] = exact::sin_cos(heading);
  return {x, y, static_cast<float>(heading), cos, sin};
}

Core disc(float x, float y, double r) { return core_of(shape_data(Disc{r}), at(x, y)); }
Core box(float x, float y, double heading = 0) {
  return core_of(shape_data(Box{4, 2}), at(x, y, heading));
}
Core capsule(float x, float y, double heading = 0) {
  return core_of(shape_data(Capsule{4, 1}), at(x, y, heading));
}

TEST(Gap, KnownDistances) {
  EXPECT_NEAR(gap_between(disc(0, 0, 1), disc(5, 0, 2)).distance, 2, 1e-5);
  EXPECT_NEAR(gap_between(disc(0, 0, 1), disc(2, 0, 2)).distance, -1, 1e-5);
  EXPECT_NEAR(gap_between(box(0, 0), disc(5, 0, 1)).distance, 2, 1e-5);
  EXPECT_NEAR(gap_between(box(0, 0), disc(5, 5, 1)).distance, 5 - 1,
              1e-5);  // from the corner (2, 1): 3, 4, 5
  EXPECT_NEAR(gap_between(box(0, 0), box(6, 0)).distance, 2, 1e-5);
  EXPECT_NEAR(gap_between(box(0, 0), box(3, 0)).distance, -1, 1e-5);
  EXPECT_NEAR(gap_between(capsule(0, 0), capsule(7, 0)).distance, 3, 1e-5);  // end to end
  EXPECT_NEAR(gap_between(capsule(0, 0), capsule(0, 5)).distance, 3, 1e-5);  // side by side
  EXPECT_NEAR(gap_between(core_of_segment({-3, 0}, {3, 0}), capsule(0, 4, 1.5707963)).distance, 2,
              1e-5);
  EXPECT_LT(
      gap_between(core_of_segment({-3, 0}, {3, 0}), core_of_segment({0, -3}, {0, 3})).distance,
      1e-5);  // crossing
}

TEST(Gap, IsSymmetricAndPointsFromFirstToSecond) {
  RandomStream random(1, 0, 0, Purpose::user);
  for (int i = 0; i < 3000; ++i) {
    const auto any = [&] {
      const auto x = static_cast<float>(random.between(-4, 4)),
                 y = static_cast<float>(random.between(-4, 4));
      const double h = random.between(-3, 3);
      switch (random.below(3)) {
        case 0: return disc(x, y, 1);
        case 1: return box(x, y, h);
        default: return capsule(x, y, h);
      }
    };
    const Core a = any(), b = any();
    const Gap ab = gap_between(a, b), ba = gap_between(b, a);
    EXPECT_NEAR(ab.distance, ba.distance, 2e-4);
    EXPECT_NEAR(std::hypot(ab.normal.x, ab.normal.y), 1, 1e-4);
    if (ab.distance > 0.01f) {
      EXPECT_NEAR(ab.normal.x, -ba.normal.x, 2e-2);
      // Moving b towards a along the normal closes the gap by as much.
      Core nearer = b;
      for (std::size_t c = 0; c < b.corners; ++c)
        nearer.corner[c] = b.corner[c] - 0.5f * ab.distance * ab.normal;
      for (std::size_t k = 0; k < b.axes; ++k)
        nearer.offset[k] = b.offset[k] - 0.5f * ab.distance * dot(b.axis[k], ab.normal);
      EXPECT_NEAR(gap_between(a, nearer).distance, 0.5f * ab.distance, 2e-3);
    }
  }
}

TEST(Collide, FlatSidesTouchAtTwoPointsCornersAtOne) {
  Manifold m;
  ASSERT_TRUE(collide(box(0, 0), box(3, 1.9f), m));
  EXPECT_EQ(m.points, 2u);
  EXPECT_NEAR(m.normal.y, 1, 1e-5);
  EXPECT_NEAR(m.depth[0], 0.1, 1e-4);
  EXPECT_NEAR(std::min(m.point[0].x, m.point[1].x), 1, 1e-4);
  EXPECT_NEAR(std::max(m.point[0].x, m.point[1].x), 2, 1e-4);
  ASSERT_TRUE(collide(box(0, 0), box(4.1f, 0, 0.7853981), m));
  EXPECT_EQ(m.points, 1u);
  EXPECT_NEAR(m.normal.x, 1, 1e-4);
  EXPECT_FALSE(collide(box(0, 0), box(4.2f, 0, 0.7853981), m));
  ASSERT_TRUE(collide(disc(0, 0, 1), box(2.9f, 0), m));
  EXPECT_EQ(m.points, 1u);
  EXPECT_NEAR(m.depth[0], 0.1, 1e-4);
  EXPECT_NEAR(m.point[0].x, 0.95, 1e-4);
}

TEST(Contains, KnowsInsideFromOutside) {
  EXPECT_TRUE(contains(shape_data(Box{4, 2}), at(1, 1, 1.5707963), {1.9f, 2.9f}));
  EXPECT_FALSE(contains(shape_data(Box{4, 2}), at(1, 1, 1.5707963), {2.9f, 1.9f}));
  EXPECT_TRUE(contains(shape_data(Capsule{4, 1}), at(0, 0), {1.9f, 0.1f}));
  EXPECT_FALSE(contains(shape_data(Capsule{4, 1}), at(0, 0), {1.9f, 0.9f}));
}

}  // namespace
}  // namespace zithercraft
