#include <gtest/gtest.h>

#include "learn/policy/rollout.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

// Two rows of three steps, worked out by hand from the definition of the generalised advantage.
TEST(Advantages, BootstrapAtCutoffsButNotAtVerdicts) {
  Rollout r({.rows = 2, .horizon = 3, .inputs = 1, .controls = 1});
  const GroupSamples group{0, 2, 2, 0, {}};
  const double gamma = 0.9, lambda = 0.5;
  const auto set = [&](std::size_t t, std::size_t row, float reward, float value, float next,
                       bool ended) {
    const std::size_t s = group.sample(t, row);
    r.reward[s] = reward;
    r.value[s] = value;
    r.next_value[s] = next;
    r.ended[s] = ended ? 1 : 0;
  };
  set(0, 0, 1, 2, 3, false);
  set(1, 0, 0, 3, 0, true);   // a verdict: nothing follows
  set(2, 0, 2, 1, 4, false);  // the rollout stops; the episode would continue
  set(0, 1, 1, 1, 2, false);
  set(1, 1, 1, 2, 5, true);  // a cutoff: what would have followed is worth 5
  set(2, 1, 0, 1, 1, false);
  estimate_advantages(r, group, gamma, lambda, true);
  const auto advantage = [&](std::size_t t, std::size_t row) {
    return r.advantage[group.sample(t, row)];
  };
  const double a10 = 0 - 3, a00 = 1 + 0.9 * 3 - 2 + 0.45 * a10, a20 = 2 + 0.9 * 4 - 1;
  EXPECT_NEAR(advantage(0, 0), a00, 1e-5);
  EXPECT_NEAR(advantage(1, 0), a10, 1e-5);
  EXPECT_NEAR(advantage(2, 0), a20, 1e-5);
  const double a11 = 1 + 0.9 * 5 - 2, a01 = 1 + 0.9 * 2 - 1 + 0.45 * a11;
  EXPECT_NEAR(advantage(1, 1), a11, 1e-5);
  EXPECT_NEAR(advantage(0, 1), a01, 1e-5);
  EXPECT_NEAR(r.target[group.sample(0, 1)], a01 + 1, 1e-5);
  for (const std::uint8_t counts : r.counts) EXPECT_EQ(counts, learns_value | learns_policy);
}

// An agent that left still receives rewards, and all of them belongs to the last step taken.
TEST(Advantages, OfWhoHasLeftBelongToTheLastStep) {
  Rollout r({.rows = 1, .horizon = 4, .inputs = 1, .controls = 1});
  const GroupSamples group{0, 1, 1, 0, {}};
  const double gamma = 0.9, lambda = 0.5;
  for (std::size_t t = 0; t < 4; ++t) {
    r.value[t] = static_cast<float>(t);
    r.next_value[t] = t < 3 ? static_cast<float>(t + 1) : 0.0f;
    r.presence[t] = t >= 2 ? out_of_arena : acts;
  }
  r.reward[3] = 10.0f;  // the side wins
  r.ended[3] = 1;
  estimate_advantages(r, group, gamma, lambda, true);
  const double last = gamma * gamma * 10 - 1;  // of step 1: what came later less what was expected
  EXPECT_NEAR(r.advantage[1], last, 1e-5);
  EXPECT_NEAR(r.advantage[0], gamma * 1 - 0 + gamma * lambda * last, 1e-5);
  EXPECT_EQ(r.counts[1], learns_value | learns_policy);
  EXPECT_EQ(r.counts[2], learns_value);
}

TEST(Advantages, WithoutABaselineAreReturnsOfEpisodesThatEnded) {
  Rollout r({.rows = 1, .horizon = 4, .inputs = 1, .controls = 1});
  const GroupSamples group{0, 1, 1, 0, {}};
  for (std::size_t t = 0; t < 4; ++t) {
    r.reward[t] = static_cast<float>(t + 1);
    r.value[t] = r.next_value[t] = 100;  // nobody asks
  }
  r.ended[2] = 1;
  estimate_advantages(r, group, 0.5, 1.0, false);
  EXPECT_FLOAT_EQ(r.advantage[0], 1 + 0.5f * 2 + 0.25f * 3);
  EXPECT_FLOAT_EQ(r.advantage[2], 3);
  EXPECT_FLOAT_EQ(r.target[1], 2 + 0.5f * 3);
  EXPECT_EQ(r.counts[2], learns_value | learns_policy);
  EXPECT_EQ(r.counts[3], learns_nothing) << "how its episode ends is not known";
}

// An answer that comes while the lane idles belongs to the step before: the same is learned as if
// it had come at once. Nothing is learned from idle steps, and nothing from lost ones.
TEST(Advantages, AreTheSameHoweverLateAnswersCome) {
  const GroupSamples group{0, 1, 1, 0, {}};
  const auto fill = [](Rollout& r, std::size_t t, float reward, float value, float next, bool ended,
                       Presence presence) {
    r.reward[t] = reward;
    r.value[t] = value;
    r.next_value[t] = next;
    r.ended[t] = ended ? 1 : 0;
    r.presence[t] = presence;
  };
  Rollout plain({.rows = 1, .horizon = 3, .inputs = 1, .controls = 1});
  fill(plain, 0, 1, 2, 3, false, acts);
  fill(plain, 1, 4, 3, 0, true, acts);
  fill(plain, 2, 2, 1, 5, false, acts);
  estimate_advantages(plain, group, 0.9, 0.5, true);
  Rollout late({.rows = 1, .horizon = 7, .inputs = 1, .controls = 1});
  fill(late, 0, 9, 9, 9, false, was_lost);
  fill(late, 1, 0, 2, 2, false, acts);
  fill(late, 2, 0, 2, 2, false, idles);
  fill(late, 3, 1, 2, 3, false, idles);  // the answer to step 1
  fill(late, 4, 0, 3, 3, false, acts);
  fill(late, 5, 4, 3, 0, true, idles);  // the answer to step 4 ends the episode
  fill(late, 6, 2, 1, 5, false, acts);
  estimate_advantages(late, group, 0.9, 0.5, true);
  const std::size_t acted[] = {1, 4, 6};
  for (std::size_t t = 0; t < 3; ++t) {
    EXPECT_EQ(late.advantage[acted[t]], plain.advantage[t]) << t;
    EXPECT_EQ(late.target[acted[t]], plain.target[t]) << t;
    EXPECT_EQ(late.counts[acted[t]], learns_value | learns_policy) << t;
  }
  for (const std::size_t t : {0u, 2u, 3u, 5u}) EXPECT_EQ(late.counts[t], learns_nothing) << t;
}

}  // namespace
}  // namespace zithercraft
