#include <gtest/gtest.h>

#include <cmath>
#include <utility>
#include <vector>

#include "learn/actor_critic.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

// The whole loss in double precision against central differences, over dials and choices, clipped samples and free
// ones.
TEST(Loss, GradientsMatchFiniteDifferences) {
  const std::vector<ControlInfo> controls{{"throttle", "", -0.5, 1.0, {}},
                                          {"horn", "", 0, 2, {"off", "short", "long"}}};
  constexpr std::size_t n = 40, columns = 4;
  Heads heads(controls);
  Mlp<double> policy({columns, 7, heads.outputs()}), value({columns, 6, 5, 1});
  const ActorCritic<double> nets(heads, policy, value);
  AlignedBuffer<double> p(nets.parameters), gradient(nets.parameters), inputs(n * columns);
  RandomStream random(1, 0, 0, Purpose::user);
  for (double& x : p) x = random.between(-0.8, 0.8);
  for (double& x : inputs) x = random.between(-2, 2);
  std::vector<float> decisions, log_probability, advantage, target;
  LossRoom<double> room(nets, n);
  const auto outputs = nets.policy.forward(nets.policy_part(std::as_const(p).span()), inputs.span(), n, room.policy);
  for (std::size_t i = 0; i < n; ++i) {
    decisions.push_back(random.normal());
    decisions.push_back(static_cast<float>(random.below(3)));
    const double now = heads
                           .judge<double>(outputs.subspan(i * 4, 4), nets.spread_part(std::as_const(p).span()),
                                          std::span<const float>(decisions).subspan(2 * i, 2))
                           .log_probability;
    log_probability.push_back(static_cast<float>(now + random.between(-0.5, 0.5)));  // ratios from 0.6 to 1.6
    advantage.push_back(static_cast<float>(random.between(-2, 2)));
    target.push_back(static_cast<float>(random.between(-3, 3)));
  }
  const Batch<double> batch{n, inputs.span(), decisions, log_probability, advantage, target};
  const LossSettings settings{0.2, 0.03};
  const auto loss = [&] {
    AlignedBuffer<double> unused(nets.parameters);
    const LossSums sums = add_loss<double>(nets, p.span(), batch, settings, 1.0, room, unused.span());
    return sums.policy + sums.value - settings.entropy_weight * sums.entropy;
  };
  const LossSums sums = add_loss<double>(nets, p.span(), batch, settings, 1.0, room, gradient.span());
  EXPECT_GT(sums.clipped, 5);
  EXPECT_LT(sums.clipped, 35);
  int checked = 0;
  for (std::size_t i = 0; i < p.size(); ++i) {
    constexpr double h = 1e-6;
    const double kept = std::exchange(p[i], p[i] + h);
    const double up = loss();
    p[i] = kept - h;
    const double down = loss();
    p[i] = kept;
    EXPECT_NEAR(gradient[i], (up - down) / (2 * h), 1e-5 * (1 + std::fabs(gradient[i]))) << "parameter " << i;
    checked += gradient[i] != 0 ? 1 : 0;
  }
  EXPECT_GT(checked, 100);
}

}  // namespace
}  // namespace zithercraft
