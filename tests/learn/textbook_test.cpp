// Textbook control problems as custom games, from their published equations, with the learner's
// default settings.

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
namespace {

// A game without things: all that happens is what its rule says.
GameSpec empty_game(const std::string& name, double tick, std::int64_t steps) {
  GameSpec game;
  game.name = name;
  game.ticks_per_step = 1;
  game.arena.tick = tick;
  game.arena.bodies.push_back({.name = "plant", .motion = Motion::fixed});
  game.roles.push_back({.name = "plant"});
  game.cutoffs.steps = steps;
  return game;
}

// The pole on a cart, by the equations of Barto, Sutton and Anderson: "Neuronlike adaptive elements
// that can solve difficult learning control problems" (1983), without friction. The cart is pushed
// left or right for ten seconds, or until the pole leans by more than 15 degrees or the track of
// six metres ends.
GameSpec pole_on_a_cart() {
  GameSpec game = empty_game("pole on a cart", 0.025, 400);
  game.rules.push_back(
      {.name = "pole",
       .numbers = 4,
       .begin =
           [](const RuleView& lane) {
             RandomStream random = lane.random();
             for (double& n : lane.numbers()) n = random.between(-0.08, 0.08);
           },
       .tick =
           [](const RuleView& lane) {
             constexpr double g = 9.81, cart = 1.2, pole = 0.2, half = 0.6, push = 12.0;
             auto n = lane.numbers();  // place and speed of the cart, angle and rate of the pole
             const double force = lane.control(0) > 0.5 ? push : -push, sine = std::sin(n[2]),
                          cosine = std::cos(n[2]), all = cart + pole;
             const double shared = (force + pole * half * n[3] * n[3] * sine) / all;
             const double turning =
                 (g * sine - cosine * shared) / (half * (4.0 / 3.0 - pole * cosine * cosine / all));
             const double moving = shared - pole * half * turning * cosine / all,
                          dt = lane.tick_seconds();
             n[0] += dt * n[1];
             n[1] += dt * moving;
             n[2] += dt * n[3];
             n[3] += dt * turning;
             if (std::fabs(n[0]) > 3.0 || std::fabs(n[2]) > 15 * std::numbers::pi / 180)
               lane.end(Verdict::failure);
           }});
  game.roles[0].senses.push_back(CustomSense{
      .name = "pole",
      .columns = {{.name = "place"}, {.name = "speed"}, {.name = "angle"}, {.name = "rate"}},
      .code = [](const SeatView& seat, std::span<float> out) {
        for (std::size_t i = 0; i < 4; ++i) out[i] = static_cast<float>(seat.numbers("pole")[i]);
      }});
  game.roles[0].controls.push_back(
      Choice{.name = "push", .options = {{.name = "left"}, {.name = "right"}}});
  game.roles[0].rewards.push_back({.name = "upright", .each_step = Measure::always()});
  return game;
}

// A pendulum too heavy to be lifted at once has to be swung up and held. A rod of length l and mass
// m turns by 3 g / (2 l) sin(angle) + 3 / (m l^2) torque, for twelve and a half seconds. Its end's
// depth below the top costs, and a little its rate and the torque.
constexpr double rod_length = 1.2, rod_mass = 0.8, most_torque = 2.2, fastest_rate = 9.0;

GameSpec swing_up() {
  GameSpec game = empty_game("swing-up", 0.05, 250);
  game.rules.push_back(
      {.name = "rod",
       .numbers = 3,  // angle from upright, rate, torque
       .begin =
           [](const RuleView& lane) {
             RandomStream random = lane.random();
             lane.numbers()[0] = random.between(-std::numbers::pi, std::numbers::pi);
             lane.numbers()[1] = random.between(-0.5, 0.5);
           },
       .tick =
           [](const RuleView& lane) {
             constexpr double g = 9.81, falls = 1.5 * g / rod_length,
                              turns = 3.0 / (rod_mass * rod_length * rod_length);
             auto n = lane.numbers();
             n[2] = most_torque * lane.control(0);
             n[1] += lane.tick_seconds() * (falls * std::sin(n[0]) + turns * n[2]);
             n[1] = std::clamp(n[1], -fastest_rate, fastest_rate);
             n[0] = std::remainder(n[0] + lane.tick_seconds() * n[1], 2 * std::numbers::pi);
           }});
  game.roles[0].senses.push_back(
      CustomSense{.name = "rod",
                  .columns = {{.name = "cosine", .low = -1},
                              {.name = "sine", .low = -1},
                              {.name = "rate", .low = -1}},
                  .code = [](const SeatView& seat, std::span<float> out) {
                    const auto n = seat.numbers("rod");
                    out[0] = static_cast<float>(std::cos(n[0]));
                    out[1] = static_cast<float>(std::sin(n[0]));
                    out[2] = static_cast<float>(n[1] / fastest_rate);
                  }});
  game.roles[0].controls.push_back(Dial{.name = "torque"});
  game.roles[0].rewards.push_back(
      {.name = "cost", .weight = -1, .each_step = [](const SeatView& seat) {
         const auto n = seat.numbers("rod");
         return 1 - std::cos(n[0]) + 0.01 * n[1] * n[1] + 0.002 * n[2] * n[2];
       }});
  return game;
}

double mean_return(const Game& game, const Player& player, WorkerPool& pool) {
  double sum = 0;
  const auto results = play_episodes(game, {&player}, 200, derived_seed(99, "textbook"), pool);
  for (const EpisodeResult& r : results) sum += r.episode_return;
  return sum / static_cast<double>(results.size());
}

double learned_return(const Game& game, std::int64_t steps, std::uint64_t seed) {
  WorkerPool pool(2);
  Ppo learner(game, {}, seed, steps, pool);
  while (learner.steps() < steps) {
    learner.collect();
    learner.improve();
  }
  return mean_return(game, *policy_player(game, 0, learner.policy()), pool);
}

double random_return(const Game& game) {
  WorkerPool pool(1);
  return mean_return(game, *random_player(1), pool);
}

TEST(LearningTextbook, APoleIsBalancedOnACart) {
  const Game game(pole_on_a_cart());
  EXPECT_LT(random_return(game), 40);
  for (const std::uint64_t seed : {1u, 2u, 3u}) {
    const double mean = learned_return(game, 600'000, seed);
    RecordProperty("seed_" + std::to_string(seed), std::to_string(mean));
    EXPECT_GT(mean, 380) << "seed " << seed;
  }
}

TEST(LearningTextbook, APendulumIsSwungUpAndHeld) {
  const Game game(swing_up());
  EXPECT_LT(random_return(game), -250);
  for (const std::uint64_t seed : {1u, 2u, 3u}) {
    const double mean = learned_return(game, 4'000'000, seed);
    RecordProperty("seed_" + std::to_string(seed), std::to_string(mean));
    EXPECT_GT(mean, -75) << "seed " << seed;
  }
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
