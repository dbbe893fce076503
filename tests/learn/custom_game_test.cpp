// Learning in games of the user's own: the same as in any other.

#include <gtest/gtest.h>

#include "custom_games.hpp"
#include "learning.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
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
