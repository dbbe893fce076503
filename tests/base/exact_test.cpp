#include "zithercraft/base/exact.hpp"

#include <gtest/gtest.h>

#include <cmath>

namespace zithercraft {
namespace {

TEST(Exact, SineAndCosineAreRightToTheFloat) {
  for (double angle = -50.0; angle < 50.0; angle += 0.0137) {
    const auto [sin, cos] = exact::sin_cos(angle);
    EXPECT_NEAR(static_cast<double>(sin), std::sin(angle), 7e-8) << angle;
    EXPECT_NEAR(static_cast<double>(cos), std::cos(angle), 7e-8) << angle;
  }
  EXPECT_EQ(exact::sin_cos(0.0).sin, 0.0f);
  EXPECT_EQ(exact::sin_cos(0.0).cos, 1.0f);
  EXPECT_NEAR(static_cast<double>(exact::sin_cos(900000.0).sin), std::sin(900000.0), 1e-6);
}

TEST(Exact, ArctangentCoversAllQuadrants) {
  for (double angle = -3.14; angle < 3.14; angle += 0.011)
    for (const double radius : {1e-6, 1.0, 3e5})
      EXPECT_NEAR(exact::atan2(radius * std::sin(angle), radius * std::cos(angle)), angle, 1e-8);
  EXPECT_EQ(exact::atan2(0.0, 0.0), 0.0);
  EXPECT_NEAR(exact::atan2(0.0, -1.0), exact::pi, 1e-12);
}

TEST(Exact, ExponentialAndLogarithm) {
  for (double x = -30.0; x < 30.0; x += 0.173) {
    EXPECT_NEAR(exact::exp(x) / std::exp(x), 1.0, 1e-12) << x;
    EXPECT_NEAR(exact::log(std::exp(x)), x, 1e-10);
  }
  EXPECT_EQ(exact::exp(-800.0), 0.0);
  EXPECT_TRUE(std::isinf(exact::exp(800.0)));
}

TEST(Exact, AnglesWrapIntoOneTurn) {
  for (double angle = -100.0; angle < 100.0; angle += 0.37) {
    const double wrapped = exact::wrap_angle(angle);
    EXPECT_GE(wrapped, -exact::pi);
    EXPECT_LT(wrapped, exact::pi);
    EXPECT_NEAR(std::sin(wrapped), std::sin(angle), 1e-12);
  }
  EXPECT_EQ(exact::wrap_angle(exact::pi), -exact::pi);
}

}  // namespace
}  // namespace zithercraft
