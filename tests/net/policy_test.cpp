#include "zithercraft/net/policy.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include <vector>

#include "counting_new.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

Policy untrained(const GameSpec& spec) {
  WorkerPool pool(1);
  return Ppo(Game(spec), {.share = false, .lanes = 1, .horizon = 1}, 1, 1, pool).policy();
}

std::vector<float> some_senses(std::size_t n) {
  RandomStream random(1, 0, 0, Purpose::user);
  std::vector<float> senses(n);
  for (float& s : senses) s = random.uniform();
  return senses;
}

TEST(Policy, ManyRowsGiveWhatSingleRowsGive) {
  Policy policy = untrained(test::mooring());
  const std::size_t in = policy.columns(), out = policy.controls();
  ASSERT_EQ(in, 102u);
  const auto senses = some_senses(150 * in);
  std::vector<float> together(150 * out), single(out);
  policy.decide(senses, together);
  // Rows that were mixed up would show.
  for (std::size_t row = 1; row < 150; ++row)
    ASSERT_GT(std::fabs(together[row * out] - together[(row - 1) * out]), 1e-5f) << row;
  for (std::size_t row = 0; row < 150; ++row) {
    policy.decide(std::span(senses).subspan(row * in, in), single);
    for (std::size_t c = 0; c < out; ++c) EXPECT_NEAR(single[c], together[row * out + c], 1e-6);
  }
}

TEST(Policy, DecidingAllocatesNothing) {
  Policy policy = untrained(test::mooring());
  const auto senses = some_senses(policy.columns());
  std::vector<float> controls(policy.controls()), value(1);
  RandomStream random(1, 0, 0, Purpose::decide);
  policy.decide(senses, controls);
  const std::size_t before = test::allocations();
  for (int i = 0; i < 50; ++i) {
    policy.decide(senses, controls);
    policy.decide(senses, controls, random);
    policy.values(senses, value);
  }
  EXPECT_EQ(test::allocations(), before);
}

TEST(Policy, WrongSizesAreRefused) {
  Policy policy = untrained(test::duck_pond());
  std::vector<float> senses(policy.columns() + 1), controls(policy.controls());
  const Error error = test::error_of([&] { policy.decide(senses, controls); });
  EXPECT_EQ(error.kind(), ErrorKind::usage);
  EXPECT_NE(error.problem().find("do not fit a policy of 16 columns and 2 controls"),
            std::string::npos);
}

TEST(Signature, SurvivesAFileAndNamesDifferences) {
  const PolicySignature signature = untrained(test::mooring()).signature();
  TensorFile file;
  signature.store(file);
  EXPECT_EQ(PolicySignature::from(file), signature);
  PolicySignature other = signature;
  other.columns[5].name = "rays[1].weed";
  EXPECT_EQ(first_difference(other, signature),
            "column 6 is 'rays[1].weed' in the game and 'rays[1].hull' in the checkpoint");
  other = signature;
  other.controls.pop_back();
  EXPECT_EQ(first_difference(other, signature),
            "control 2 'rudder' is in the checkpoint but not in the game");
  other = signature;
  other.policy.hidden = {32};
  EXPECT_EQ(first_difference(other, signature),
            "the policy network: hidden layers are 32 here and 64 x 64 in the checkpoint");
  other = signature;
  other.value = {};
  EXPECT_EQ(first_difference(other, signature), "policy and value share a network here only");
  EXPECT_EQ(first_difference(signature, signature), "");
}

}  // namespace
}  // namespace zithercraft
