// Textbook control problems as custom games, from their published equations, with the learner's
// default settings.

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "support.hpp"
#include "textbook_problems.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
namespace {
using namespace test;

double random_return(const Game& game) {
  WorkerPool pool(1);
  return mean_return(game, *random_player(1), pool);
}

double learned_return(const Game& game, std::int64_t steps, std::uint64_t seed,
                      const PolicyGradientSettings& settings = {}) {
  WorkerPool pool(2);
  Ppo learner(game, settings, seed, steps, pool);
  while (learner.steps() < steps) {
    learner.collect();
    learner.improve();
  }
  return mean_return(game, *policy_player(game, 0, learner.policy()), pool);
}

// With no setting but the number of steps, three trainings must each reach a mean return.
void expect_learned(const GameSpec& spec, std::int64_t steps, double least) {
  const Game game(spec);
  for (const std::uint64_t seed : {1u, 2u, 3u}) {
    const double mean = learned_return(game, steps, seed);
    ::testing::Test::RecordProperty("seed_" + std::to_string(seed), std::to_string(mean));
    EXPECT_GT(mean, least) << "seed " << seed;
  }
}

TEST(LearningTextbook, APoleIsBalancedOnACart) {
  EXPECT_LT(random_return(Game(pole_on_a_cart())), 40);
  expect_learned(pole_on_a_cart(), 50'000, 390);  // of 400
}

TEST(LearningTextbook, APendulumIsSwungUpAndHeld) {
  EXPECT_LT(random_return(Game(swing_up())), -250);
  expect_learned(swing_up(), 100'000, -75);
}

TEST(LearningTextbook, TwoRodsAreSwungUp) {
  EXPECT_LT(random_return(Game(two_rods())), -400);
  expect_learned(two_rods(), 100'000, -100);
}

TEST(LearningTextbook, ACarLeavesItsValley) {
  EXPECT_LT(random_return(Game(valley())), 0);
  expect_learned(valley(), 200'000, 90);
}

TEST(LearningTextbook, AKeyIsTakenToADoor) {
  EXPECT_LT(random_return(Game(key_and_door())), 0.1);
  expect_learned(key_and_door(), 300'000, 0.9);
}

TEST(LearningTextbook, OneDecisionIsNearTheBest) {
  EXPECT_LT(random_return(Game(one_decision())), -0.5);
  expect_learned(one_decision(), 100'000, -0.01);
}

TEST(LearningTextbook, ASignIsRemembered) {
  for (const int wait : {10, 40})
    for (const std::uint64_t seed : {1u, 2u, 3u})
      EXPECT_GT(learned_return(Game(sign(wait)), 500'000, seed, {.memory = 16}), 0.95)
          << wait << " steps, seed " << seed;
}

// ---- Rules themselves

TEST(CustomRules, ArePartOfTheStateAndOfSnapshots) {
  const Game game(pole_on_a_cart());
  Lanes lanes(game, 2);
  lanes.begin(0, {1, 0, 0});
  lanes.begin(1, {1, 0, 1});
  const auto angle = [&](std::size_t lane) {
    return SeatView(lanes, lane, 0, 0).numbers("pole")[2];
  };
  EXPECT_NE(angle(0), 0);
  EXPECT_NE(angle(0), angle(1));
  const std::vector<std::byte> kept(lanes.state(0).begin(), lanes.state(0).end());
  const auto play = [&] {
    while (lanes.outcome(0) == Outcome::running) {
      lanes.control(0, 0)[0] = 1;
      lanes.step(0);
    }
    return std::pair{lanes.steps(0), angle(0)};
  };
  const auto first = play();
  EXPECT_EQ(lanes.outcome(0), Outcome::failure);
  EXPECT_LT(first.first, 15u) << "always pushed to one side, the pole falls soon";
  lanes.restore(0, kept);
  EXPECT_EQ(play(), first);
}

TEST(CustomRules, AFileNamesThemAndNeedsTheProgram) {
  const GameSpec game = pole_on_a_cart();
  const std::string text = to_toml(game);
  EXPECT_NE(text.find("'pole'"), std::string::npos) << text;
  EXPECT_EQ(parse_game(text, "pole.toml", CustomParts::optional), game);
  EXPECT_NE(
      test::error_of([&] { Game compiled(parse_game(text, "pole.toml", CustomParts::optional)); })
          .problem()
          .find("custom"),
      std::string::npos);
  EXPECT_FALSE(
      Game(parse_game(text, "pole.toml", CustomParts::optional), CustomParts::optional).complete());
}

TEST(CustomRules, MistakesAreNamed) {
  GameSpec two = pole_on_a_cart();
  two.rules.push_back(two.rules[0]);
  EXPECT_EQ(test::error_of([&] { Game game(two); }).problem(), "two rules are named 'pole'");
  GameSpec many = pole_on_a_cart();
  many.rules[0].numbers = 5000;
  EXPECT_EQ(test::error_of([&] { Game game(many); }).where(),
            "game built in C++ (rules[0].numbers)");
  GameSpec none = pole_on_a_cart();
  none.rules.clear();
  EXPECT_EQ(test::error_of([&] { Game game(none); }).problem(), "the body has no input 'push'");
  const Game game(pole_on_a_cart());
  Lanes lanes(game, 1);
  lanes.begin(0, {});
  EXPECT_EQ(test::error_of([&] { SeatView(lanes, 0, 0, 0).numbers("pile"); }).problem(),
            "the game has no rule 'pile'");
}

}  // namespace
}  // namespace zithercraft
