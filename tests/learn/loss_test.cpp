#include <gtest/gtest.h>

#include <cmath>
#include <ostream>
#include <utility>
#include <vector>

#include "learn/policy/actor_critic.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

struct Kind {
  const char* name;
  bool share = false;
  std::size_t memory = 0;
  LossSettings settings{Objective::clipped, 0.2, 0.03, 0.7, 0.0};
  bool credit = false;  // value and credit networks read more than the policy
  bool teacher = false;
};
void PrintTo(const Kind& kind, std::ostream* out) { *out << kind.name; }

const std::vector<Kind> kinds{
    {"TwoNetworks"},
    {"OneNetwork", true},
    {"TwoMemories", false, 5},
    {"OneMemory", true, 6},
    {"Plain", false, 0, {Objective::plain, 0.2, 0.01, 1.0, 0.0}},
    {"Credit", false, 0, {Objective::clipped, 0.2, 0.03, 0.7, 0.0}, true},
    {"CreditAndGuess", true, 0, {Objective::clipped, 0.2, 0.03, 0.7, 0.0}, true},
    {"Teacher", true, 0, {Objective::clipped, 0.2, 0.03, 0.7, 0.0, 0.6}, false, true},
    {"ClippedValues", false, 0, {Objective::clipped, 0.2, 0.0, 0.5, 0.4}},
};

class EachLoss : public ::testing::TestWithParam<Kind> {};
INSTANTIATE_TEST_SUITE_P(Loss, EachLoss, ::testing::ValuesIn(kinds),
                         [](const auto& one) { return one.param.name; });

// The whole loss in double precision against central differences, over dials and choices, clipped
// samples and free ones, options that are allowed and some that are not, samples that count and
// some that do not.
TEST_P(EachLoss, GradientsMatchFiniteDifferences) {
  const Kind& kind = GetParam();
  const std::vector<ControlInfo> controls{{"throttle", "", -0.5, 1.0, {}},
                                          {"horn", "", 0, 2, {"off", "short", "long"}}};
  constexpr std::size_t steps = 5, sequences = 8, n = steps * sequences, columns = 4;
  const std::vector<Column> masks{{"speed", "m/s", 0, 1, 1},
                                  {mask_column("horn", "long"), std::string(mask_unit), 0, 1, 1}};
  const Heads heads(controls, masks);
  ASSERT_EQ(heads.masks(), 1u);
  const NetworkPlan policy{.columns = columns,
                           .hidden = {7},
                           .memory = kind.memory,
                           .outputs = heads.outputs() + (kind.share ? 1 : 0)};
  const std::size_t more = kind.credit ? 3 : 0;
  const NetworkPlan value{
      .columns = columns + more, .hidden = {6, 5}, .memory = kind.memory, .outputs = 1};
  const NetworkPlan credit{
      .columns = columns + more, .hidden = {5}, .outputs = heads.combinations()};
  const ActorCritic<double> nets(heads, policy, kind.share && !kind.credit ? NetworkPlan{} : value,
                                 kind.credit ? credit : NetworkPlan{});
  EXPECT_EQ(nets.shared, kind.share && !kind.credit);
  EXPECT_EQ(nets.guesses, kind.share && kind.credit);
  AlignedBuffer<double> p(nets.parameters), prepared(nets.prepared), gradient(nets.parameters),
      inputs(n * nets.policy.input_stride()),
      memory(sequences * (nets.policy_memory() + nets.value_memory())), before;
  RandomStream random(1, 0, 0, Purpose::user);
  const auto fill = [&](const Network<double>& net, std::span<double> part) {
    for (const NetworkPart& one : net.parts())
      for (std::size_t r = 0; r < one.rows; ++r)
        for (std::size_t i = 0; i < one.width; ++i)
          part[one.offset + r * one.stride + i] = random.between(-0.8, 0.8);
  };
  fill(nets.policy, nets.policy_part(p.span()));
  if (!nets.shared) fill(nets.value, nets.value_part(p.span()));
  if (nets.credits) fill(nets.credit, nets.credit_part(p.span()));
  for (double& s : nets.stddev_part(p.span())) s = random.between(-0.8, 0.8);
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t c = 0; c < columns; ++c)
      inputs[i * nets.policy.input_stride() + c] = random.between(-2, 2);
  AlignedBuffer<double> wide(kind.credit ? n * nets.value.input_stride() : 0);
  for (std::size_t i = 0; kind.credit && i < n; ++i)
    for (std::size_t c = 0; c < columns + more; ++c)
      wide[i * nets.value.input_stride() + c] = random.between(-2, 2);
  before = memory;
  std::vector<std::uint8_t> begins(n), counts(n, learns_value | learns_policy);
  if (kind.memory > 0) begins[17] = begins[30] = 1;
  counts[9] = counts[22] = learns_nothing;
  counts[4] = learns_value;  // as of a seat that has left
  std::vector<float> actions, allowed, log_probability, advantage, target, old_value;
  LossRoom<double> room(nets, n);
  const Numbers<double> numbers{p.span(), prepared.span()};
  const Sequences<double> all{steps,         sequences,   inputs.span(), begins,
                              memory.span(), wide.span(), wide.span()};
  nets.prepare(p.span(), prepared.span());
  const auto said = judge(nets, numbers, all, room.nets);
  for (std::size_t i = 0; i < n; ++i) {
    actions.push_back(random.normal());
    allowed.push_back(static_cast<float>(random.below(2)));  // whether the horn may be long
    actions.push_back(static_cast<float>(random.below(allowed.back() > 0 ? 3 : 2)));
    const auto row = said.row(i, heads.outputs());
    heads.forbid<double>(std::span(allowed).last(1), row);
    const double now =
        heads
            .judge<double>(row, nets.stddev_part(std::as_const(p).span()),
                           std::span<const float>(actions).subspan(2 * i, 2), room.kept.span())
            .log_probability;
    log_probability.push_back(
        static_cast<float>(now + random.between(-0.5, 0.5)));  // ratios from 0.6 to 1.6
    advantage.push_back(static_cast<float>(random.between(-2, 2)));
    target.push_back(static_cast<float>(random.between(-3, 3)));
    old_value.push_back(static_cast<float>(said.value(i) + random.between(-0.8, 0.8)));
  }
  // What a teacher would do, who knows nothing in two moments.
  std::vector<float> teacher;
  for (std::size_t i = 0; kind.teacher && i < n; ++i) {
    teacher.push_back(i % 20 == 0 ? std::nanf("") : random.normal());
    teacher.push_back(static_cast<float>(random.below(2)));
  }
  const auto sums_and_gradient = [&](std::span<double> into) {
    memory = before;
    nets.prepare(p.span(), prepared.span());
    Sequences<double> again = all;
    again.memory = memory.span();
    return add_loss<double>(
        nets, numbers,
        {again, actions, log_probability, advantage, target, old_value, allowed, counts, teacher},
        kind.settings, 1.0, room, into);
  };
  const auto loss = [&] {
    AlignedBuffer<double> unused(nets.parameters);
    const LossSums sums = sums_and_gradient(unused.span());
    return sums.policy + kind.settings.value_weight * (sums.value + sums.guess + sums.credit) -
           kind.settings.entropy_weight * sums.entropy +
           kind.settings.teacher_weight * sums.teacher;
  };
  const LossSums sums = sums_and_gradient(gradient.span());
  EXPECT_GT(sums.clipped, 5);
  EXPECT_LT(sums.clipped, 35);
  EXPECT_EQ(sums.teacher != 0.0, kind.teacher);
  int checked = 0;
  for (std::size_t i = 0; i < p.size(); ++i) {
    constexpr double h = 1e-6;
    if (p[i] == 0.0) continue;  // between rows
    const double kept = std::exchange(p[i], p[i] + h);
    const double up = loss();
    p[i] = kept - h;
    const double down = loss();
    p[i] = kept;
    EXPECT_NEAR(gradient[i], (up - down) / (2 * h), 1e-5 * (1 + std::fabs(gradient[i])))
        << "parameter " << i;
    checked += gradient[i] != 0 ? 1 : 0;
  }
  EXPECT_GT(checked, 75);
}

}  // namespace
}  // namespace zithercraft
