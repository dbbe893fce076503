#include "zithercraft/match/play.hpp"

#include <gtest/gtest.h>

#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/learn/ppo.hpp"

namespace zithercraft {
namespace {

void expect_same(const std::vector<EpisodeResult>& a, const std::vector<EpisodeResult>& b) {
  ASSERT_EQ(a.size(), b.size());
  for (std::size_t i = 0; i < a.size(); ++i) {
    EXPECT_EQ(a[i].episode_return, b[i].episode_return) << i;
    EXPECT_EQ(a[i].length, b[i].length);
    EXPECT_EQ(a[i].outcome, b[i].outcome);
    EXPECT_EQ(a[i].ledger, b[i].ledger);
  }
}

TEST(Play, ThreadsDoNotChangeResults) {
  const Game game(test::mooring());
  WorkerPool one(1), three(3);
  const Policy policy = Ppo(game, {.lanes = 1, .horizon = 1}, 1, 1, one).policy();
  for (const auto& player :
       {random_player(4), script_player(game, 0), policy_player(game, 0, policy),
        policy_player(game, 0, policy, ActionMode::sampled, 3)})
    expect_same(play_episodes(game, {player.get()}, 300, 5, one),
                play_episodes(game, {player.get()}, 300, 5, three));
}

TEST(Play, FewerEpisodesAreTheFirstOfMore) {
  const Game game(test::mooring());
  WorkerPool pool(2);
  const auto player = random_player(4);
  auto many = play_episodes(game, {player.get()}, 400, 5, pool);
  many.resize(70);
  expect_same(play_episodes(game, {player.get()}, 70, 5, pool), many);
}

TEST(Play, OneEpisodeShowsEveryMoment) {
  const Game game(test::mooring());
  WorkerPool pool(1);
  const auto player = random_player(4);
  const auto results = play_episodes(game, {player.get()}, 3, 5, pool);
  std::uint32_t moments = 0;
  play_one(game, {player.get()}, {5, 0, 2},
           [&](const Environment& lanes) { EXPECT_EQ(lanes.steps(0), moments++); });
  EXPECT_EQ(moments, results[2].length + 1);
}

}  // namespace
}  // namespace zithercraft
