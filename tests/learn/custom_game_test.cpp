// Learning in games of the user's own: the same as in any other.

#include <gtest/gtest.h>

#include "custom_games.hpp"
#include "learning.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

using test::winch;

constexpr std::int64_t steps = 24'000;

PolicyGradientSettings small() {
  return {.policy_layers = {16}, .memory = 4, .lanes = 16, .horizon = 32, .minibatch = 256};
}

void train(Ppo& learner, std::int64_t until) {
  while (learner.steps() < until) learner.collect(), learner.improve();
}

TEST(CustomGameLearning, IsTheSameOnAnyNumberOfThreadsAndInAnyNumberOfSittings) {
  for (const bool saves : {false, true}) {
    const Game game(winch({.saves = saves}));
    WorkerPool one(1), two(2);
    Ppo whole(game, small(), 3, steps, one);
    train(whole, steps);
    Ppo first(game, small(), 3, steps, two);
    train(first, steps / 3);
    TensorFile paused;
    first.store(paused);
    Ppo second(game, small(), 3, steps, two);
    second.restore(paused);
    train(second, steps);
    EXPECT_TRUE(test::bytes_of(second) == test::bytes_of(whole)) << saves;
  }
}

TEST(CustomGameLearning, GoesOnInNewEpisodesWhereNothingBringsThemBack) {
  GameSpec spec = winch({.looks_at_a_clock = true});
  spec.custom->deterministic = false;
  const Game game(spec);
  WorkerPool pool(2);
  Ppo first(game, small(), 3, steps, pool);
  train(first, steps / 2);
  TensorFile paused;
  first.store(paused);
  EXPECT_FALSE(paused.has("lanes"));
  const auto episodes = paused.integers("lane_episodes");
  ASSERT_EQ(episodes.size(), 16u);
  EXPECT_GT(episodes[0], 3);
  Ppo second(game, small(), 3, steps, pool);
  second.restore(paused);
  EXPECT_EQ(second.steps(), first.steps());
  TensorFile again;
  second.store(again);
  const auto next = again.integers("lane_episodes");
  for (std::size_t lane = 0; lane < next.size(); ++lane) EXPECT_EQ(next[lane], episodes[lane] + 1);
  train(second, steps);
  EXPECT_GE(second.steps(), steps);
}

// One hauls the boat home, the other to where it is lost.
GameSpec tug_of_war() {
  class Tug : public CustomGame {
   public:
    void begin(const CustomStart& start) override { boat_ = start.random().between(-0.3, 0.3); }
    void step(CustomStep& step) override {
      boat_ += 0.2 * (step.control(0, 0) - step.control(0, 1));
      for (const std::size_t role : {0u, 1u}) step.pay(0, step.control(0, role), role);
      if (boat_ > 1.0) step.end(Verdict::success);
      if (boat_ < -1.0) step.end(Verdict::failure);
    }
    void observe(std::size_t role, std::size_t, std::span<float> columns) const override {
      columns[0] = static_cast<float>(role == 0 ? boat_ : -boat_);
    }

   private:
    double boat_ = 0.0;
  };
  GameSpec game{.name = "tug of war"};
  game.custom = {.code = [] { return std::make_unique<Tug>(); }};
  for (const char* side : {"north", "south"})
    game.roles.push_back(
        {.name = side,
         .side = side,
         .senses = {CustomSense{.name = "rope",
                                .columns = {{.name = "boat", .low = -1.5, .high = 1.5}}}},
         .controls = {Dial{.name = "pull"}},
         .rewards = {{.name = "pulling", .weight = 0.01}}});
  game.roles[1].mirrors = "north";
  game.roles[0].script = [](const SeatView&, std::span<float> out) { out[0] = 0.9f; };
  game.roles[1].script = [](const SeatView& seat, std::span<float> out) {
    out[0] = seat.observation()[0] > 0.5f ? 0.2f : 0.1f;
  };
  game.cutoffs.steps = 30;
  return game;
}

TEST(CustomGameLearning, SidesAreOpposedAndMirrorEachOther) {
  const Game game(tug_of_war());
  WorkerPool pool(2);
  const auto north = script_player(game, 0), south = script_player(game, 1);
  for (const EpisodeResult& result : play_episodes(game, {north.get(), south.get()}, 10, 5, pool)) {
    EXPECT_EQ(result.outcome, result.role == 0 ? Outcome::success : Outcome::failure);
  }
  PolicyGradientSettings settings{
      .policy_layers = {16}, .lanes = 16, .horizon = 32, .minibatch = 256};
  Ppo learner(game, settings, 3, 20'000, pool);
  train(learner, 20'000);
  const auto trained = policy_player(game, 0, learner.policy());
  int won = 0;
  for (const EpisodeResult& result :
       play_episodes(game, {trained.get(), south.get()}, 100, 5, pool))
    won += result.role == 0 && result.outcome == Outcome::success ? 1 : 0;
  EXPECT_GE(won, 95);
}

TEST(CustomGameLearning, HaulsTheBoatHome) {
  const Game game(winch());
  WorkerPool pool(2);
  Ppo learner(game, {}, 1, 40'000, pool);
  train(learner, 40'000);
  const auto player = policy_player(game, 0, learner.policy());
  int home = 0;
  for (const EpisodeResult& result : play_episodes(game, {player.get()}, 200, 77, pool))
    home += result.outcome == Outcome::success ? 1 : 0;
  EXPECT_GE(home, 390) << "of 400 seats' episodes";
}

}  // namespace
}  // namespace zithercraft
