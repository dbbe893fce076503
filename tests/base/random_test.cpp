#include "zithercraft/base/random.hpp"

#include <gtest/gtest.h>

#include <set>
#include <vector>

namespace zithercraft {
namespace {

// The published test vector of Philox4x32-10 for counter 0 and key 0.
TEST(Random, MatchesThePublishedTestVector) {
  RandomStream random(0, 0, 0, static_cast<Purpose>(0));
  EXPECT_EQ(random.bits(), 0x6627e8d5u);
  EXPECT_EQ(random.bits(), 0xe169c58du);
  EXPECT_EQ(random.bits(), 0xbc57ac4cu);
  EXPECT_EQ(random.bits(), 0x9b00dbd8u);
}

TEST(Random, EveryPartOfTheKeyMakesAnotherStream) {
  std::set<std::uint32_t> first;
  for (const std::uint64_t seed : {1ULL, 2ULL, 1ULL << 40})
    for (const std::uint32_t lane : {0u, 1u})
      for (const std::uint32_t episode : {0u, 1u})
        for (const Purpose purpose : {Purpose::place, Purpose::decide})
          first.insert(RandomStream(seed, lane, episode, purpose).bits());
  EXPECT_EQ(first.size(), 24u);
  EXPECT_NE(derived_seed(1, "train"), derived_seed(1, "score"));
  EXPECT_NE(derived_seed(1, "train"), derived_seed(2, "train"));
}

TEST(Random, MomentsAreThoseOfTheDistributions) {
  RandomStream random(5, 0, 0, Purpose::user);
  constexpr int n = 200000;
  double mean = 0, normal = 0, square = 0;
  std::vector<int> counts(7);
  for (int i = 0; i < n; ++i) {
    const double u = static_cast<double>(random.uniform());
    ASSERT_GE(u, 0.0);
    ASSERT_LT(u, 1.0);
    mean += u / n;
    const double z = static_cast<double>(random.normal());
    normal += z / n;
    square += z * z / n;
    ++counts[random.below(7)];
  }
  EXPECT_NEAR(mean, 0.5, 0.003);
  EXPECT_NEAR(normal, 0.0, 0.01);
  EXPECT_NEAR(square, 1.0, 0.015);
  for (const int count : counts) EXPECT_NEAR(count, n / 7.0, 700);
}

}  // namespace
}  // namespace zithercraft
