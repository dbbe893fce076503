#include "zithercraft/net/adam.hpp"

#include <gtest/gtest.h>

#include <cmath>

namespace zithercraft {
namespace {

TEST(Adam, FollowsThePublishedUpdate) {
  AlignedBuffer<float> p(3), g(3);
  p[0] = 1.0f;
  Adam adam(3);
  double x = 1, m = 0, v = 0;
  for (int t = 1; t <= 5; ++t) {
    g[0] = static_cast<float>(0.3 * t - 1);
    adam.step(p.span(), g.span(), 0.01);
    const double gradient = static_cast<double>(g[0]);
    m = 0.9 * m + 0.1 * gradient;
    v = 0.999 * v + 0.001 * gradient * gradient;
    x -= 0.01 * (m / (1 - std::pow(0.9, t))) / (std::sqrt(v / (1 - std::pow(0.999, t))) + 1e-8);
    EXPECT_NEAR(static_cast<double>(p[0]), x, 2e-6);
    EXPECT_EQ(p[1], 0.0f);
  }
  EXPECT_EQ(adam.steps(), 5);
}

// A step in pieces, in whatever order, is the same as the whole one; a factor shortens the
// gradient.
TEST(Adam, StepsInPiecesToo) {
  constexpr std::size_t n = 37, cut = 16;
  AlignedBuffer<float> whole(n), pieces(n), gradient(n), halved(n);
  for (std::size_t i = 0; i < n; ++i) {
    whole[i] = pieces[i] = static_cast<float>(i) - 10.0f;
    gradient[i] = 0.3f * static_cast<float>(i) - 4.0f;
    halved[i] = 0.5f * gradient[i];
  }
  Adam at_once(n), in_pieces(n);
  for (int step = 0; step < 3; ++step) {
    at_once.step(whole.span(), halved.span(), 0.01);
    in_pieces.begin_step(0.01);
    in_pieces.step_stretch(cut, pieces.span().subspan(cut), gradient.span().subspan(cut), 0.5f);
    in_pieces.step_stretch(0, pieces.span().first(cut), gradient.span().first(cut), 0.5f);
  }
  for (std::size_t i = 0; i < n; ++i) EXPECT_EQ(pieces[i], whole[i]) << i;
  EXPECT_EQ(in_pieces.steps(), 3);
}

TEST(Adam, FindsTheLowestPointOfABowl) {
  AlignedBuffer<float> p(2), g(2);
  p[0] = 3;
  p[1] = -2;
  Adam adam(2);
  for (int i = 0; i < 3000; ++i) {
    g[0] = 2 * (p[0] - 1);
    g[1] = 20 * (p[1] - 0.5f);
    adam.step(p.span(), g.span(), 0.01);
  }
  EXPECT_NEAR(p[0], 1, 1e-3);
  EXPECT_NEAR(p[1], 0.5, 1e-3);
}

TEST(Norm, IsTheEuclideanLength) {
  AlignedBuffer<float> v(2);
  v[0] = 3;
  v[1] = 4;
  EXPECT_DOUBLE_EQ(norm_of(v.span()), 5);
}

}  // namespace
}  // namespace zithercraft
