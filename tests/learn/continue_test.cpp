// Continuing an old skill in a changed game, or with other networks.

#include <gtest/gtest.h>

#include <algorithm>

#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

const PolicyGradientSettings small{.policy_layers = {16, 12},
                                   .value_layers = {16},
                                   .share = false,
                                   .lanes = 24,
                                   .horizon = 32,
                                   .minibatch = 256};

TensorFile trained(const GameSpec& spec, const PolicyGradientSettings& settings) {
  WorkerPool pool(2);
  Ppo learner(Game(spec), settings, 1, 10'000, pool);
  for (int i = 0; i < 3; ++i) {
    learner.collect();
    learner.improve();
  }
  TensorFile file;
  learner.store(file);
  return file;
}

const Continuation::Part& part(const Continuation& c, const std::string& name) {
  const auto at =
      std::find_if(c.parts.begin(), c.parts.end(), [&](const auto& p) { return p.name == name; });
  if (at == c.parts.end()) throw std::runtime_error("no part " + name);
  return *at;
}

// What two policies say of the same senses, the columns of the second being found among those of
// the first by name.
void expect_same_outputs(Policy a, Policy b) {
  std::vector<float> senses_a(a.columns(), 0.0f), senses_b(b.columns(), 0.0f), out_a(a.controls()),
      out_b(b.controls());
  for (std::size_t trial = 0; trial < 20; ++trial) {
    for (std::size_t c = 0; c < a.columns(); ++c)
      senses_a[c] = 0.1f * static_cast<float>((trial * 7 + c * 3) % 10);
    for (std::size_t c = 0; c < b.columns(); ++c) {
      const auto& columns = a.signature().columns;
      const auto at = std::find_if(columns.begin(), columns.end(), [&](const Column& column) {
        return column.name == b.signature().columns[c].name;
      });
      senses_b[c] =
          at == columns.end() ? 0.0f : senses_a[static_cast<std::size_t>(at - columns.begin())];
    }
    a.decide(senses_a, out_a);
    b.decide(senses_b, out_b);
    for (std::size_t i = 0; i < out_a.size(); ++i) EXPECT_NEAR(out_a[i], out_b[i], 1e-4f);
  }
}

TEST(Continue, TakesEverythingWhereOnlyRewardsDiffer) {
  GameSpec changed = test::mooring();
  changed.roles[0].rewards[0].weight *= 2;
  const TensorFile old = trained(test::mooring(), small);
  WorkerPool pool(1);
  Ppo learner(Game(changed), small, 9, 10'000, pool);
  const Continuation c = learner.continue_from(old);
  for (const auto& p : c.parts) {
    EXPECT_EQ(p.taken, Continuation::Taken::all) << p.name;
    EXPECT_EQ(p.numbers, p.of);
  }
  EXPECT_TRUE(c.new_columns.empty() && c.lost_columns.empty() && c.new_controls.empty() &&
              c.lost_controls.empty());
  expect_same_outputs(Policy::from(old), learner.policy());
}

TEST(Continue, MatchesColumnsByTheirNames) {
  GameSpec changed = test::mooring();
  auto& senses = changed.roles[0].senses;
  std::reverse(senses.begin(), senses.end());
  senses.push_back(OwnState{.heading = true});
  const TensorFile old = trained(test::mooring(), small);
  WorkerPool pool(1);
  Ppo learner(Game(changed), small, 9, 10'000, pool);
  const Continuation c = learner.continue_from(old);
  EXPECT_EQ(c.new_columns, (std::vector<std::string>{"self.heading_cosine", "self.heading_sine"}));
  const auto& first = part(c, "policy.hidden.0.weight");
  EXPECT_EQ(first.taken, Continuation::Taken::part);
  EXPECT_EQ(first.of - first.numbers, 2 * 16u);
  EXPECT_EQ(part(c, "policy.hidden.1.weight").taken, Continuation::Taken::all);
  expect_same_outputs(Policy::from(old),
                      learner.policy());  // as long as the new columns say nothing
}

TEST(Continue, MatchesControlsAndOptionsByTheirNames) {
  GameSpec changed = test::duck_pond();
  auto& turn = std::get<Choice>(changed.roles[0].controls[1]);
  std::swap(turn.options[0], turn.options[2]);
  turn.options.push_back({.name = "drift", .value = 0.3});
  const TensorFile old = trained(test::duck_pond(), small);
  WorkerPool pool(1);
  Ppo learner(Game(changed), small, 9, 10'000, pool);
  const Continuation c = learner.continue_from(old);
  EXPECT_EQ(part(c, "policy.output.weight").numbers, 5 * 12u);
  EXPECT_EQ(part(c, "policy.output.weight").of, 6 * 12u);
  const auto shape = old.shape("policy.output.weight");
  std::vector<float> before(shape[0] * shape[1]), after(6 * 12);
  old.get("policy.output.weight", before);
  TensorFile now;
  learner.store(now);
  now.get("policy.output.weight", after);
  for (std::size_t i = 0; i < 12; ++i) {
    EXPECT_EQ(after[2 * 12 + i],
              before[4 * 12 + i]);  // "right" has moved from the third place to the first
    EXPECT_EQ(after[4 * 12 + i], before[2 * 12 + i]);
  }
}

TEST(Continue, OtherNetworksTakeWhatFits) {
  const TensorFile old = trained(test::mooring(), small);
  PolicyGradientSettings wider = small;
  wider.policy_layers = {20, 12};
  wider.memory = 8;
  WorkerPool pool(1);
  Ppo learner(Game(test::mooring()), wider, 9, 10'000, pool);
  const Continuation c = learner.continue_from(old);
  EXPECT_EQ(part(c, "policy.hidden.0.weight").numbers, 16 * 102u);
  EXPECT_EQ(part(c, "policy.memory.update.weight").taken, Continuation::Taken::none);
  learner.collect();
  learner.improve();
}

TEST(Continue, RefusesWhatHasNothingInCommon) {
  const TensorFile old = trained(test::duck_pond(), small);
  WorkerPool pool(1);
  Ppo learner(Game(test::mooring()), small, 9, 10'000, pool);
  const Error error = test::error_of([&] { learner.continue_from(old); });
  EXPECT_EQ(error.kind(), ErrorKind::refused);
  EXPECT_NE(error.problem().find("no control in common"), std::string::npos);
}

}  // namespace
}  // namespace zithercraft
