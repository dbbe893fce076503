// How often intervals hold the truth where it is known. Prints the tables of docs/statistics.md.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <functional>
#include <string>
#include <vector>

#include "zithercraft/base/random.hpp"
#include "zithercraft/evaluate/statistics.hpp"

namespace zithercraft {
namespace {

constexpr int repetitions = 2000;
using Values = std::vector<double>;

class Chance {
 public:
  explicit Chance(std::uint32_t number) : random_(11, number, 0, Purpose::user) {}
  double uniform() { return static_cast<double>(random_.uniform()); }
  double normal() { return static_cast<double>(random_.normal()); }
  std::size_t below(std::size_t n) { return random_.below(static_cast<std::uint32_t>(n)); }
  // Success rate over 200 episodes of a policy that succeeds with this chance.
  double measured(double chance) {
    int successes = 0;
    for (int i = 0; i < 200; ++i) successes += uniform() < chance ? 1 : 0;
    return successes / 200.0;
  }

 private:
  RandomStream random_;
};

double percent_held(const std::function<bool()>& once) {
  int held = 0;
  for (int i = 0; i < repetitions; ++i) held += once() ? 1 : 0;
  return 100.0 * held / repetitions;
}

TEST(Coverage, OfSharesIsBetween93And97Percent) {
  Chance chance(1);
  std::printf("chance   episodes   held %%\n");
  for (const double truth : {0.01, 0.5, 0.99})
    for (const std::size_t episodes : {200u, 300u, 500u, 1000u}) {
      const double held = percent_held([&] {
        std::size_t successes = 0;
        for (std::size_t i = 0; i < episodes; ++i) successes += chance.uniform() < truth ? 1u : 0u;
        return share_interval(successes, episodes).holds(truth);
      });
      std::printf("%6.2f %10zu %8.1f\n", truth, episodes, held);
      EXPECT_GE(held, 93.0) << truth << " " << episodes;
      EXPECT_LE(held, 97.0) << truth << " " << episodes;
    }
}

TEST(Coverage, OfMeansOverEpisodesIsBetween93And97Percent) {
  Chance chance(2);
  // Mostly near -1, a tenth up to 5: the return of an agent that seldom arrives.
  const auto draw = [&] {
    return chance.uniform() < 0.1 ? 5.0 - chance.uniform() : -1.0 + 0.3 * chance.normal();
  };
  const double truth = 0.1 * 4.5 - 0.9;
  const double held = percent_held([&] {
    Values values(200);
    std::generate(values.begin(), values.end(), draw);
    return mean_interval(values).holds(truth);
  });
  EXPECT_NEAR(held, 95.0, 2.0);
}

// ---- few repetitions of a training

// What a training's success rate may look like from seed to seed.
struct Kind {
  const char* name;
  std::function<double(Chance&)> draw;
};
const std::vector<Kind>& kinds() {
  static const std::vector<Kind> list{
      {"even", [](Chance& c) { return c.measured(0.8 + 0.05 * c.normal()); }},
      {"skewed", [](Chance& c) { return c.measured(1.0 - std::exp(-2.8 + 0.8 * c.normal())); }},
      {"some fail",
       [](Chance& c) {
         return c.measured(c.uniform() < 0.2 ? 0.3 + 0.1 * c.normal() : 0.9 + 0.03 * c.normal());
       }},
  };
  return list;
}
Values draws(const Kind& kind, std::size_t n, Chance& chance) {
  Values values(n);
  for (double& v : values) v = kind.draw(chance);
  return values;
}

// The methods that were not taken.
Interval percentile_bootstrap(const Values& values, Chance& chance) {
  Values found, drawn(values.size());
  for (int k = 0; k < 400; ++k) {
    for (double& v : drawn) v = values[chance.below(values.size())];
    found.push_back(interquartile_mean(drawn));
  }
  std::sort(found.begin(), found.end());
  return {interquartile_mean(values), found[10], found[389]};
}
Interval student_of_mean(const Values& values) {
  double mean = 0.0, square = 0.0;
  const auto n = static_cast<double>(values.size());
  for (const double v : values) mean += v / n;
  for (const double v : values) square += (v - mean) * (v - mean);
  const double quantile = values.size() == 3 ? 4.303 : values.size() == 5 ? 2.776 : 2.262;
  const double half = quantile * std::sqrt(square / (n - 1) / n);
  return {mean, mean - half, mean + half};
}

TEST(Coverage, OfFewSeedsComesNearestWithTheMethodTaken) {
  Chance chance(3);
  std::printf("success rates  seeds   percentile bootstrap   Student's of the mean   taken\n");
  double worst_percentile = 0, worst_student = 0, worst_taken = 0;
  for (const Kind& kind : kinds()) {
    const Values many = draws(kind, 200'000, chance);
    const double middle = interquartile_mean(many);
    double mean = 0.0;
    for (const double v : many) mean += v / static_cast<double>(many.size());
    for (const std::size_t seeds : {3u, 5u, 10u}) {
      double percentile = 0, student = 0;
      const double taken = percent_held([&] {
        const Values values = draws(kind, seeds, chance);
        percentile += percentile_bootstrap(values, chance).holds(middle) ? 1 : 0;
        student += student_of_mean(values).holds(mean) ? 1 : 0;
        return repetitions_interval(values).holds(middle);
      });
      percentile *= 100.0 / repetitions;
      student *= 100.0 / repetitions;
      std::printf("%-14s %5zu %16.1f %23.1f %13.1f\n", kind.name, seeds, percentile, student,
                  taken);
      worst_percentile = std::max(worst_percentile, std::fabs(percentile - 95));
      worst_student = std::max(worst_student, std::fabs(student - 95));
      worst_taken = std::max(worst_taken, std::fabs(taken - 95));
    }
  }
  EXPECT_LT(worst_taken, 4.0);
  EXPECT_GT(worst_percentile, 15.0);
  EXPECT_GT(worst_student, 15.0);
}

TEST(Coverage, ProbabilityOfImprovementIsUnbiased) {
  Chance chance(4);
  const Kind &a = kinds()[0], &b = kinds()[1];
  double truth = 0.0, found = 0.0;
  for (int i = 0; i < 200'000; ++i) {
    const double x = a.draw(chance), y = b.draw(chance);
    truth += (x > y ? 1.0 : x == y ? 0.5 : 0.0) / 200'000;
  }
  int held = 0;
  for (int i = 0; i < repetitions; ++i) {
    const Interval interval = chance_to_be_better(draws(a, 5, chance), draws(b, 5, chance));
    found += interval.mean / repetitions;
    held += interval.holds(truth) ? 1 : 0;
  }
  EXPECT_NEAR(found, truth, 0.015);
  EXPECT_GT(100.0 * held / repetitions, 90.0);
}

TEST(Coverage, EqualThingsAreSeldomCalledDifferent) {
  Chance chance(5);
  for (const Kind& kind : kinds())
    for (const std::size_t seeds : {3u, 5u, 10u}) {
      int different = 0;
      for (int i = 0; i < 1000; ++i)
        different += repetitions_difference(draws(kind, seeds, chance), draws(kind, seeds, chance))
                             .holds(0.0)
                         ? 0
                         : 1;
      EXPECT_LE(different, 50) << kind.name << " " << seeds;
    }
}

TEST(Coverage, PairedEpisodesShowSmallerDifferences) {
  Chance chance(6);
  Values a(300), b(300);
  int paired = 0, alone = 0, wrong = 0;
  for (int trial = 0; trial < 200; ++trial) {
    for (std::size_t i = 0; i < a.size(); ++i) {
      const double hard = 2.0 * chance.normal();  // the same for both
      a[i] = hard + 0.5 * chance.normal() + 0.2;
      b[i] = hard + 0.5 * chance.normal();
    }
    paired += paired_difference(a, b).low > 0.0 ? 1 : 0;
    alone += mean_interval(a).low > mean_interval(b).high ? 1 : 0;
    wrong += paired_difference(a, b).high < 0.0 ? 1 : 0;
  }
  EXPECT_GT(paired, 190);
  EXPECT_LT(alone, 40);
  EXPECT_EQ(wrong, 0);
}

}  // namespace
}  // namespace zithercraft
