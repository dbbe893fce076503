// Opposed sides whose best play is drawn by lot: shares of past policies, mixtures, averages.

#include <gtest/gtest.h>

#include <cmath>

#include "learning.hpp"
#include "opposed_games.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/learn/past_policies.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
namespace {

using test::Betting;
using test::one_step;
using test::Payoffs;

constexpr const char* roles[] = {"first", "second"};

Payoffs random_payoffs(std::size_t options, std::uint64_t seed) {
  Payoffs payoffs{options, {}};
  RandomStream random(seed, 0, 0, Purpose::place);
  for (std::size_t i = 0; i < options * options; ++i)
    payoffs.first.push_back(random.between(-1.0, 1.0));
  return payoffs;
}

TensorFile trained(const Game& game, std::int64_t steps, std::uint64_t seed,
                   PolicyGradientSettings settings = {}) {
  WorkerPool pool(2);
  Ppo learner(game, settings, seed, steps, pool, nullptr, std::vector<RolePlayer>(2));
  while (learner.steps() < steps) test::update(learner, 1);
  TensorFile file;
  learner.store(file);
  return file;
}

std::vector<double> options_of(Policy policy, std::size_t options) {
  std::vector<float> probabilities(options);
  const float senses = 1.0f;
  policy.probabilities({&senses, 1}, probabilities);
  return {probabilities.begin(), probabilities.end()};
}

Betting betting_of(Policy policy) {
  Betting bets{};
  for (std::size_t card = 0; card < 3; ++card)
    for (std::size_t state = 0; state < 4; ++state) {
      std::array<float, 7> senses{};
      senses[card] = senses[3 + state] = 1.0f;
      std::array<float, 2> probabilities{};
      std::vector<float> memory(policy.memory());
      policy.probabilities(senses, probabilities, memory);
      bets[card][state] = static_cast<double>(probabilities[1]);
    }
  return bets;
}

Policy average_of(const TensorFile& average, std::size_t role) {
  return Policy::from(average, roles[role]);
}

// What the past policies of a role do together in a game of one step.
std::vector<double> mixed_options(const TensorFile& file, std::size_t role, std::size_t options) {
  std::vector<double> sums(options);
  for (const PastMember& member : past_members(file, roles[role])) {
    const auto own = options_of(member.policy, options);
    for (std::size_t i = 0; i < options; ++i) sums[i] += member.share * own[i];
  }
  return sums;
}

// And in betting: a player that often bets at once seldom has a bet to answer.
Betting mixed_betting(const TensorFile& file, std::size_t role) {
  Betting sums{}, weights{};
  for (const PastMember& member : past_members(file, roles[role])) {
    const Betting own = betting_of(member.policy);
    for (std::size_t card = 0; card < 3; ++card)
      for (std::size_t state = 0; state < 4; ++state) {
        const double comes =
            state == test::after_pass_and_bet ? 1.0 - own[card][test::begins] : 1.0;
        sums[card][state] += member.share * comes * own[card][state];
        weights[card][state] += member.share * comes;
      }
  }
  for (std::size_t card = 0; card < 3; ++card)
    for (std::size_t state = 0; state < 4; ++state)
      sums[card][state] /= std::max(1e-12, weights[card][state]);
  return sums;
}

// ---- shares

struct Shares {
  double all = 0.0, past = 0.0;  // lane steps
  double rows[2] = {0.0, 0.0};   // episodes that each side learned from
};

Shares shares_of(std::int64_t lanes, std::int64_t horizon, double share, int updates) {
  const Game game(one_step({2, {1, -1, -1, 1}}));
  WorkerPool pool(2);
  Ppo learner(game,
              {.policy_layers = {4},
               .lanes = lanes,
               .horizon = horizon,
               .against_past = share,
               .against_hardest = 0.0},
              1, 1'000'000, pool, nullptr, std::vector<RolePlayer>(2));
  Shares shares;
  for (int i = 0; i < updates; ++i) {
    const CollectReport played = learner.collect();
    for (const EpisodeResult& e : played.episodes) shares.rows[e.role] += 1.0;
    EXPECT_EQ(static_cast<std::size_t>(played.steps), played.episodes.size());
    learner.improve();
    const double steps = static_cast<double>(lanes * horizon);
    shares.all += steps;
    shares.past += *metric_in(learner.report().policies[0].metrics, "past_share") * steps;
  }
  return shares;
}

TEST(PastShare, IsExactWithAnyNumberOfLanes) {
  for (const std::int64_t lanes : {1, 2, 3, 16, 32, 33, 64, 256})
    for (const double share : {0.0, 0.2, 0.4, 0.75, 1.0}) {
      const Shares s = shares_of(lanes, 20, share, 5);
      // Of lanes that take turns each is right to within one episode of each kind.
      EXPECT_NEAR(s.past / s.all, share, 4.0 / s.all) << lanes << " lanes";
      EXPECT_NEAR(s.rows[0], s.rows[1], 4.0) << lanes << " lanes, share " << share;
      EXPECT_NEAR(s.rows[0], s.all * (1.0 - share / 2.0), 4.0) << lanes << " lanes";
    }
}

TEST(PastShare, GoesOnWhereItWasAfterAPause) {
  const Game game(one_step({2, {1, -1, -1, 1}}));
  WorkerPool one(1), two(2);
  const PolicyGradientSettings settings{.policy_layers = {4},
                                        .memory = 4,
                                        .memory_span = 7,
                                        .lanes = 5,
                                        .horizon = 7,
                                        .against_past = 0.3,
                                        .against_hardest = 0.3,
                                        .snapshot_every = 50};
  const auto learner = [&](WorkerPool& pool) {
    return Ppo(game, settings, 1, 10'000, pool, nullptr, std::vector<RolePlayer>(2));
  };
  Ppo whole = learner(one), first = learner(two), second = learner(two);
  test::update(whole, 9);
  test::update(first, 4);
  TensorFile file;
  first.store(file);
  second.restore(file);
  test::update(second, 5);
  EXPECT_EQ(test::bytes_of(second), test::bytes_of(whole));
}

// ---- mixtures and averages

TEST(PastMembers, StandForTheWholeTrainingButItsBeginning) {
  const Game game(one_step({2, {1, -1, -1, 1}}));
  const TensorFile file =
      trained(game, 40'000, 1, {.lanes = 16, .horizon = 16, .snapshot_every = 2'000});
  const auto members = past_members(file, "second");
  ASSERT_GT(members.size(), 15u);
  double sum = 0.0;
  for (const PastMember& member : members) {
    EXPECT_GE(member.steps, 4'000);
    EXPECT_EQ(member.policy.signature().role, "second");
    sum += member.share;
  }
  EXPECT_NEAR(sum, 1.0, 1e-12);
  // The present one is the last, and does what the checkpoint's own policy does.
  const auto present = members.back().policy;
  EXPECT_EQ(options_of(present, 2), options_of(Policy::from(file, "second"), 2));
  EXPECT_EQ(test::error_of([&] { past_members(file, "third"); }).kind(), ErrorKind::refused);
}

// A policy that is certain of its first option, or its second.
Policy certain(TensorFile file, float of_first) {
  for (const auto& part : Policy::from(file).parts()) {
    if (part.name != "output.bias") continue;
    std::vector<float> bias = part.numbers;
    bias[0] = of_first;
    bias[1] = -of_first;
    file.put("policy." + part.name, {part.rows, part.width}, bias);
  }
  return Policy::from(file);
}

TEST(MixturePlayer, DrawsItsMembersByTheirShares) {
  const Game game(one_step({2, {1, -1, -1, 1}}));
  const TensorFile file = trained(game, 8'000, 1, {.lanes = 16, .horizon = 16});
  const TensorFile of_second = file.part(policy_place("second"));
  const auto mixture =
      mixture_player(game, 0, {{certain(file, 50.0f), 3.0}, {certain(file, -50.0f), 1.0}});
  const auto opponent = mixture_player(game, 1, {{certain(of_second, 50.0f), 1.0}});
  WorkerPool pool(2);
  constexpr int episodes = 4000;
  double sum = 0.0;
  for (const auto& e : play_episodes(game, {mixture.get(), opponent.get()}, episodes, 5, pool))
    sum += e.episode_return;
  EXPECT_NEAR(sum / episodes, 0.75 - 0.25, 0.05);
  EXPECT_EQ(test::error_of([&] { mixture_player(game, 0, {}); }).kind(), ErrorKind::usage);
}

TEST(AveragePolicy, IsTheSameBitsAndNamesWhatIsMissing) {
  const Game game(one_step({2, {1, -1, -1, 1}}));
  const TensorFile file = trained(game, 20'000, 1, {.lanes = 16, .horizon = 16});
  const auto once = average_policies(game, file, {.steps = 5'000}),
             again = average_policies(game, file, {.steps = 5'000});
  EXPECT_EQ(options_of(average_of(once, 0), 2), options_of(average_of(again, 0), 2));
  EXPECT_TRUE(average_of(once, 1).signature().sampled);
  EXPECT_EQ(test::error_of([&] { average_policies(game, file, {.steps = 0}); }).kind(),
            ErrorKind::usage);
  WorkerPool pool(1);
  Ppo alone(game, {}, 1, 1000, pool);  // the second role is played at random
  alone.collect();
  TensorFile without;
  alone.store(without);
  EXPECT_EQ(test::error_of([&] { average_policies(game, without); }).kind(), ErrorKind::refused);
}

TEST(AveragePolicy, LearnsToRememberAsItsMembersDo) {
  const Game game(test::betting());
  const TensorFile file =
      trained(game, 60'000, 1, {.memory = 4, .memory_span = 8, .lanes = 64, .horizon = 16});
  const TensorFile average = average_policies(game, file, {.steps = 100'000});
  for (const std::size_t role : {0u, 1u}) {
    ASSERT_GT(average_of(average, role).memory(), 0u);
    const Betting mixed = mixed_betting(file, role), own = betting_of(average_of(average, role));
    for (std::size_t card = 0; card < 3; ++card)
      EXPECT_NEAR(own[card][test::begins], mixed[card][test::begins], 0.1) << role << card;
  }
}

// With defaults. Uniform play would be exploited by 0.3 to 1.3.
TEST(Equilibrium, IsFoundInGamesOfOneStep) {
  const Payoffs circle{3, {0, -0.5, 0.25, 0.5, 0, -0.75, -0.25, 0.75, 0}};
  for (const Payoffs& payoffs : {circle, random_payoffs(3, 3), random_payoffs(5, 1)}) {
    const TensorFile file = trained(Game(one_step(payoffs)), 1'000'000, 1);
    const auto mixed = [&](std::size_t role) { return mixed_options(file, role, payoffs.options); };
    EXPECT_LE(test::exploitability(payoffs, mixed(0), mixed(1)), 0.1) << payoffs.options;
    const TensorFile average = average_policies(Game(one_step(payoffs)), file, {.steps = 200'000});
    const auto of_average = [&](std::size_t role) {
      return options_of(average_of(average, role), payoffs.options);
    };
    EXPECT_LE(test::exploitability(payoffs, of_average(0), of_average(1)), 0.1) << payoffs.options;
  }
}

TEST(Equilibrium, IsFoundWhereCardsAreHidden) {
  // At the equilibrium of this game the first player loses 1/18 on average: the sum of what both
  // best responses win is 0 there.
  Betting first{{{1.0 / 3, 0, 0, 0}, {0, 0, 0, 2.0 / 3}, {1, 1, 1, 1}}},
      second{{{0, 1.0 / 3, 0, 0}, {0, 0, 1.0 / 3, 0}, {0, 1, 1, 0}}};
  EXPECT_NEAR(test::best_against(second, true), -1.0 / 18, 1e-9);
  EXPECT_NEAR(test::best_against(first, false), 1.0 / 18, 1e-9);
  const Game game(test::betting());
  const TensorFile file = trained(game, 1'500'000, 1);
  EXPECT_LE(test::best_against(mixed_betting(file, 1), true) +
                test::best_against(mixed_betting(file, 0), false),
            0.1);
  const TensorFile average = average_policies(game, file);
  EXPECT_LE(test::best_against(betting_of(average_of(average, 1)), true) +
                test::best_against(betting_of(average_of(average, 0)), false),
            0.1);
}

}  // namespace
}  // namespace zithercraft
