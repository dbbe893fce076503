#include "zithercraft/net/heads.hpp"

#include <gtest/gtest.h>

#include <array>
#include <cmath>

#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

const std::array<ControlInfo, 3> controls{{{"throttle", "", -0.5, 1.0, {}},
                                           {"horn", "option", 0, 2, {"off", "short", "long"}},
                                           {"rudder", "", -1.0, 1.0, {}}}};
const std::array<double, 5> outputs{0.3, 1.0, -0.5, 0.2, -0.7};
const std::array<double, 2> stddev{-0.4, 0.3};

TEST(Heads, ProbabilitiesMatchTheFormulas) {
  const Heads heads(controls);
  EXPECT_EQ(heads.outputs(), 5u);
  EXPECT_EQ(heads.dials(), 2u);
  const std::array<float, 3> step{0.5f, 2.0f, -1.0f};
  std::array<double, 10> kept{};
  const auto judged = heads.judge<double>(outputs, stddev, step, kept);
  const auto normal = [](double x, double mean, double s) {
    return -0.5 * std::pow((x - mean) / s, 2) - std::log(s) -
           0.5 * std::log(2 * 3.14159265358979323846);
  };
  const double sum = std::exp(1.0) + std::exp(-0.5) + std::exp(0.2);
  EXPECT_NEAR(
      judged.log_probability,
      normal(0.5, 0.3, std::exp(-0.4)) + 0.2 - std::log(sum) + normal(-1, -0.7, std::exp(0.3)),
      1e-9);
  double entropy = 2 * 0.5 * std::log(2 * 3.14159265358979323846 * std::exp(1.0)) - 0.4 + 0.3;
  for (const double l : {1.0, -0.5, 0.2})
    entropy -= std::exp(l) / sum * std::log(std::exp(l) / sum);
  EXPECT_NEAR(judged.entropy, entropy, 1e-9);
}

TEST(Heads, GradientsMatchFiniteDifferences) {
  const Heads heads(controls);
  const std::array<float, 3> step{0.9f, 1.0f, -1.3f};
  constexpr double by_log = 0.8, by_entropy = -0.3, h = 1e-6;
  std::array<double, 5> o = outputs, output_gradient{};
  std::array<double, 2> s = stddev, stddev_gradient{};
  std::array<double, 10> kept{};
  heads.judge<double>(o, s, step, kept);
  heads.add_gradient<double>(kept, step, by_log, by_entropy, output_gradient, stddev_gradient);
  const auto value = [&] {
    const auto judged = heads.judge<double>(o, s, step, kept);
    return by_log * judged.log_probability + by_entropy * judged.entropy;
  };
  const auto slope = [&](double& x) {
    const double was = x;
    x = was + h;
    const double up = value();
    x = was - h;
    const double down = value();
    x = was;
    return (up - down) / (2 * h);
  };
  for (std::size_t i = 0; i < o.size(); ++i)
    EXPECT_NEAR(output_gradient[i], slope(o[i]), 1e-6) << i;
  for (std::size_t i = 0; i < s.size(); ++i)
    EXPECT_NEAR(stddev_gradient[i], slope(s[i]), 1e-6) << i;
}

TEST(Heads, SamplesFollowTheDistribution) {
  const Heads heads(controls);
  const std::array<float, 5> o{0.3f, 1.0f, -0.5f, 0.2f, -0.7f};
  const std::array<float, 2> s{-0.4f, 0.3f};
  RandomStream random(4, 0, 0, Purpose::user);
  constexpr int n = 100000;
  double mean = 0, square = 0;
  std::array<int, 3> options{};
  for (int i = 0; i < n; ++i) {
    std::array<float, 3> d{};
    const float log_p = heads.sample(o, s, random, d);
    if (i < 100) {
      std::array<float, 10> kept{};
      EXPECT_NEAR(log_p, heads.judge<float>(o, s, d, kept).log_probability, 1e-5f);
    }
    mean += static_cast<double>(d[0]) / n;
    square += static_cast<double>(d[0] * d[0]) / n;
    ++options[static_cast<std::size_t>(d[1])];
  }
  EXPECT_NEAR(mean, 0.3, 0.01);
  EXPECT_NEAR(std::sqrt(square - mean * mean), std::exp(-0.4), 0.01);
  const double sum = std::exp(1.0) + std::exp(-0.5) + std::exp(0.2);
  EXPECT_NEAR(options[0], n * std::exp(1.0) / sum, 600);
  EXPECT_NEAR(options[1], n * std::exp(-0.5) / sum, 600);
}

TEST(Heads, GreedyTakesMeansAndMostLikelyOptionsAndStaysInRange) {
  const Heads heads(controls);
  const std::array<float, 5> o{3.0f, -1.0f, 0.5f, 0.2f, -0.5f};
  std::array<float, 3> step{}, values{};
  heads.greedy(o, step);
  heads.controls_of(step, values);
  EXPECT_EQ(values, (std::array<float, 3>{1.0f, 1.0f, -0.5f}));
}

}  // namespace
}  // namespace zithercraft
