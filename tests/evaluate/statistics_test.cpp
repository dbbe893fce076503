#include "zithercraft/evaluate/statistics.hpp"

#include <gtest/gtest.h>

#include <array>
#include <vector>

#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

TEST(ShareInterval, MatchesWorkedExamples) {
  const Interval half = share_interval(50, 100);  // Wilson's score interval: 0.4038 to 0.5962
  EXPECT_NEAR(half.mean, 0.5, 1e-12);
  EXPECT_NEAR(half.low, 0.4038, 1e-4);
  EXPECT_NEAR(half.high, 0.5962, 1e-4);
  EXPECT_NEAR(share_interval(0, 10).high, 0.2775, 1e-4);
  EXPECT_EQ(share_interval(0, 10).low, 0.0);
  EXPECT_NEAR(share_interval(10, 10).high, 1.0, 1e-12);
}

TEST(ShareInterval, HoldsTheTruthNinetyFiveTimesInAHundred) {
  RandomStream random(1, 0, 0, Purpose::user);
  for (const double truth : {0.02, 0.5, 0.97}) {
    int held = 0;
    for (int trial = 0; trial < 4000; ++trial) {
      std::size_t successes = 0;
      for (int i = 0; i < 300; ++i)
        successes += static_cast<double>(random.uniform()) < truth ? 1u : 0u;
      const Interval interval = share_interval(successes, 300);
      held += interval.low <= truth && truth <= interval.high ? 1 : 0;
    }
    EXPECT_NEAR(held / 4000.0, 0.95, 0.02) << truth;
  }
}

// Where nothing was counted, so many episodes still allow for a rare event.
TEST(CountInterval, LeavesRoomWhereNothingWasCounted) {
  const std::vector<double> none(50, 0.0), some{0, 0, 2, 0, 1, 0, 0, 3};
  const Interval nothing = count_interval(none), something = count_interval(some);
  EXPECT_EQ(nothing.mean, 0);
  EXPECT_EQ(nothing.low, 0);
  EXPECT_NEAR(nothing.high, 3.6889 / 50, 1e-5) << "e^-3.6889 is 2.5%";
  EXPECT_NEAR(something.mean, 0.75, 1e-12);
  EXPECT_GE(something.low, 0);
}

TEST(MeanInterval, HoldsTheTruthNinetyFiveTimesInAHundred) {
  RandomStream random(2, 0, 0, Purpose::user);
  int held = 0;
  std::vector<double> values(300);
  for (int trial = 0; trial < 1000; ++trial) {
    for (double& v : values) v = random.between(0, 1) * random.between(0, 1);
    const Interval interval = mean_interval(values);
    held += interval.low <= 0.25 && 0.25 <= interval.high ? 1 : 0;
  }
  EXPECT_NEAR(held / 1000.0, 0.95, 0.015);
  const Interval one = mean_interval(std::array{7.0});
  EXPECT_EQ(one.low, 7.0);
  EXPECT_EQ(one.high, 7.0);
}

}  // namespace
}  // namespace zithercraft
