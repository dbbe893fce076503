// Several roles that learn together: who shares a policy, opposed sides and their past policies,
// credit after leaving.

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "learn/policy/rollout.hpp"
#include "learning.hpp"
#include "opposed_games.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

using test::bytes_of;
using test::one_step;
using test::Payoffs;
using test::update;

const PolicyGradientSettings small{.policy_layers = {16},
                                   .lanes = 40,
                                   .horizon = 16,
                                   .minibatch = 500,
                                   .against_past = 0.3,
                                   .against_hardest = 0.2,
                                   .snapshot_every = 4000,
                                   .roster_size = 4};

GameSpec barge() { return load_game(test::project_folder() / "demos/barge.toml"); }
GameSpec lanternboat() { return load_game(test::project_folder() / "demos/lanternboat.toml"); }

// ---- games of one step

const Payoffs pennies{2, {1, -1, -1, 1}};
const Payoffs cycle{3, {0, -1, 1, 1, 0, -1, -1, 1, 0}};  // each option beats the one before it

std::vector<float> probabilities_of_option(const Ppo& learner, std::size_t role,
                                           std::size_t options) {
  std::vector<float> probabilities(options);
  const float senses = 1.0f;
  learner.policy(role).probabilities({&senses, 1}, probabilities);
  return probabilities;
}

// Trains both sides and looks at them after each update, from a quarter of the training on.
template <class Look>
void watch_learning(const Payoffs& payoffs, const PolicyGradientSettings& settings,
                    std::uint64_t seed, Look look) {
  const Game game(one_step(payoffs));
  WorkerPool pool(2);
  constexpr std::int64_t total = 600'000;
  Ppo learner(game, settings, seed, total, pool, nullptr, std::vector<RolePlayer>(2));
  while (learner.steps() < total) {
    update(learner, 1);
    if (learner.steps() >= total / 4) look(learner);
  }
}

// Small steps and many past policies.
const PolicyGradientSettings patient{.policy_layers = {8},
                                     .lanes = 64,
                                     .horizon = 8,
                                     .discount = 0.998,
                                     .epochs = 1,
                                     .minibatch = 512,
                                     .learning_rate = 1e-3,
                                     .last_learning_rate = 1e-3,
                                     .entropy_weight = 0.05,
                                     .last_entropy_weight = 0.05,
                                     .normalise_returns = false,
                                     .against_past = 0.5,
                                     .against_hardest = 0.0,
                                     .snapshot_every = 5000,
                                     .roster_size = 100};

// ---- who learns

TEST(Roles, ThatMirrorEachOtherShareAPolicy) {
  WorkerPool pool(2);
  Ppo mirrored(Game(barge()), small, 1, 100'000, pool);
  EXPECT_EQ(mirrored.policy_of(0), 0u);
  EXPECT_EQ(mirrored.policy_of(1), 0u);
  update(mirrored, 1);
  EXPECT_EQ(mirrored.improvements().size(), 1u);
  const Game game(barge());
  EXPECT_NO_THROW(policy_player(game, 1, mirrored.policy(0)));

  Ppo usual(Game(lanternboat()), small, 1, 100'000, pool);
  EXPECT_EQ(usual.policy_of(1), std::nullopt);
  EXPECT_TRUE(usual.roster().past.empty());
  EXPECT_EQ(test::error_of([&] { usual.policy(1); }).kind(), ErrorKind::usage);
  Ppo both(Game(lanternboat()), small, 1, 100'000, pool, nullptr, std::vector<RolePlayer>(2));
  EXPECT_EQ(both.policy_of(1), 1u);
  update(both, 1);
  EXPECT_EQ(both.improvements().size(), 2u);
  EXPECT_EQ(both.signature(1).role, "blocker");
  EXPECT_EQ(test::error_of([&] { policy_player(Game(lanternboat()), 1, both.policy(0)); }).kind(),
            ErrorKind::refused);
}

TEST(Roles, CanHaveSettingsOfTheirOwnOrAPilot) {
  const Game game(lanternboat());
  WorkerPool pool(1);
  PolicyGradientSettings wide = small;
  wide.policy_layers = {24};
  Ppo learner(game, small, 1, 100'000, pool, nullptr,
              {{script_player(game, 0), {}}, {nullptr, wide}});
  EXPECT_EQ(learner.policy_of(0), std::nullopt);
  const CollectReport played = learner.collect();
  EXPECT_EQ(played.steps, 3 * 40 * 16);
  for (const EpisodeResult& e : played.episodes) EXPECT_EQ(e.role, 1u);
  ASSERT_EQ(learner.signature(1).policy.hidden.size(), 1u);
  EXPECT_EQ(learner.signature(1).policy.hidden[0], 24u);

  const auto fault = [&](std::vector<RolePlayer> players) {
    return test::error_of([&] { Ppo(game, small, 1, 1000, pool, nullptr, std::move(players)); })
        .kind();
  };
  EXPECT_EQ(fault({{}}), ErrorKind::usage);
  EXPECT_EQ(fault({{random_player(1), {}}, {random_player(1), {}}}), ErrorKind::usage);
  wide.epochs = 0;
  EXPECT_EQ(fault({{}, {nullptr, wide}}), ErrorKind::spec);
}

TEST(Roles, LearnTheSameOnAnyNumberOfThreadsAndInAnyNumberOfSittings) {
  for (const GameSpec& spec : {barge(), lanternboat()}) {
    const Game game(spec);
    const std::vector<RolePlayer> all(2);
    WorkerPool one(1), three(3);
    Ppo whole(game, small, 5, 100'000, one, nullptr, all),
        torn(game, small, 5, 100'000, three, nullptr, all);
    update(whole, 9);
    update(torn, 5);
    TensorFile file;
    torn.store(file);
    Ppo resumed(game, small, 5, 100'000, three, nullptr, all);
    resumed.restore(file);
    EXPECT_EQ(resumed.roster().past.size(), torn.roster().past.size());
    update(resumed, 4);
    EXPECT_TRUE(bytes_of(resumed) == bytes_of(whole)) << spec.name;
  }
}

TEST(Roster, KeepsTheFirstTheLastAndSomeBetween) {
  WorkerPool pool(2);
  Ppo learner(Game(barge()), small, 3, 200'000, pool);
  update(learner, 30);
  const RosterReport roster = learner.roster();
  ASSERT_EQ(roster.past.size(), 4u);
  EXPECT_EQ(roster.past.front().steps, 0);
  EXPECT_EQ(roster.past.front().rating.points, 0.0);
  EXPECT_GT(roster.past.back().steps, learner.steps() - 2 * 4000);
  for (std::size_t i = 1; i < 4; ++i) EXPECT_GT(roster.past[i].steps, roster.past[i - 1].steps);
  EXPECT_GT(roster.rating.standard_error, 0.0);
  const auto wrong = [&](auto change) {
    PolicyGradientSettings s = small;
    change(s);
    return test::error_of([&] { Ppo(Game(barge()), s, 1, 1000, pool); }).kind();
  };
  EXPECT_EQ(wrong([](auto& s) { s.against_past = 0.9; }), ErrorKind::spec);
  EXPECT_EQ(wrong([](auto& s) { s.roster_size = 2; }), ErrorKind::spec);
  EXPECT_EQ(wrong([](auto& s) { s.snapshot_every = 0; }), ErrorKind::spec);
}

// ---- games with known answers

TEST(SidesLearning, ComesToTheEquilibriumInTheMean) {
  for (const auto& payoffs : {pennies, cycle})
    for (const std::uint64_t seed : {1u, 2u, 3u}) {
      std::vector<double> sums(2 * payoffs.options);
      double count = 0.0;
      watch_learning(payoffs, patient, seed, [&](const Ppo& learner) {
        count += 1.0;
        for (std::size_t i = 0; i < sums.size(); ++i)
          sums[i] += static_cast<double>(probabilities_of_option(
              learner, i / payoffs.options, payoffs.options)[i % payoffs.options]);
      });
      for (const double sum : sums)
        EXPECT_NEAR(sum / count, 1.0 / static_cast<double>(payoffs.options), 0.05);
    }
}

// Against the latest past policies alone, and in haste, three options that beat each other in turn
// are taken up in turn.
TEST(SidesLearning, GoesInCyclesThatAreFoundWithoutAPast) {
  PolicyGradientSettings hasty = patient;
  hasty.learning_rate = hasty.last_learning_rate = 3e-3;
  hasty.entropy_weight = hasty.last_entropy_weight = 0.01;
  hasty.against_past = 0.0;
  std::vector<std::vector<float>> policies;
  std::size_t updates = 0;
  watch_learning(cycle, hasty, 1, [&](const Ppo& learner) {
    if (updates++ % 40 == 0) policies.push_back(probabilities_of_option(learner, 0, 3));
  });
  std::vector<Tally> tallies;  // of 200 matches each, as the probabilities have it
  for (std::size_t a = 0; a < policies.size(); ++a)
    for (std::size_t b = a + 1; b < policies.size(); ++b) {
      Tally t{a, b};
      for (std::size_t x = 0; x < 3; ++x)
        for (std::size_t y = 0; y < 3; ++y) {
          const double won = cycle.first[x * 3 + y],
                       n = 200.0 * static_cast<double>(policies[a][x] * policies[b][y]);
          (won > 0 ? t.wins : won < 0 ? t.losses : t.draws) += n;
        }
      tallies.push_back(t);
    }
  EXPECT_FALSE(find_cycles(tallies).empty()) << policies.size() << " past policies";
}

}  // namespace
}  // namespace zithercraft
