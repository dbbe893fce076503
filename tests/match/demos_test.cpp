// Every demo is played by its players, and is the same however its lanes are arranged.

#include <gtest/gtest.h>

#include <cstring>
#include <filesystem>

#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/record/replay.hpp"

namespace zithercraft {
namespace {

class Demo : public ::testing::TestWithParam<const char*> {
 protected:
  Demo()
      : game_(load_game(test::project_folder() / "demos" / (std::string(GetParam()) + ".toml"))) {}

  std::vector<std::unique_ptr<Player>> players(bool scripts) const {
    std::vector<std::unique_ptr<Player>> list;
    for (std::size_t role = 0; role < game_.roles().size(); ++role) {
      const bool script = scripts && game_.spec().roles[role].script.playable();
      list.push_back(script ? script_player(game_, role) : random_player(role + 1));
    }
    return list;
  }
  std::vector<EpisodeResult> play(bool scripts, std::int64_t episodes,
                                  std::size_t threads = 2) const {
    const auto own = players(scripts);
    std::vector<const Player*> hands;
    for (const auto& player : own) hands.push_back(player.get());
    WorkerPool pool(threads);
    return play_episodes(game_, hands, episodes, 3, pool);
  }

  Game game_;
};

TEST_P(Demo, IsPlayedByItsPlayersOnAnyNumberOfThreads) {
  const auto one = play(true, 3, 1), three = play(true, 3, 3);
  ASSERT_EQ(one.size(), three.size());
  for (std::size_t i = 0; i < one.size(); ++i) {
    EXPECT_NE(one[i].outcome, Outcome::running);
    EXPECT_EQ(one[i].ledger, three[i].ledger);
    EXPECT_EQ(one[i].length, three[i].length);
  }
}

// The same episode in another lane, beside others, and from a snapshot half-way.
TEST_P(Demo, IsTheSameInAnyLaneAndAfterASnapshot) {
  Lanes alone(game_, 1), many(game_, 3), restored(game_, 1);
  alone.begin(0, {8, 0, 0});
  for (std::size_t lane = 0; lane < 3; ++lane)
    many.begin(lane, {8, static_cast<std::uint32_t>(2 - lane), 0});
  RandomStream random(5, 0, 0, Purpose::user);
  const auto control = [&](Lanes& lanes, std::size_t lane, RandomStream stream) {
    for (std::size_t role = 0; role < game_.roles().size(); ++role)
      for (std::size_t seat = 0; seat < lanes.seats(role); ++seat)
        for (std::size_t c = 0; c < game_.roles()[role].controls.size(); ++c) {
          const ControlInfo& info = game_.roles()[role].controls[c];
          lanes.control(role, lane * lanes.seats(role) + seat)[c] =
              info.is_choice() ? static_cast<float>(
                                     stream.below(static_cast<std::uint32_t>(info.options.size())))
                               : static_cast<float>(stream.between(info.low, info.high));
        }
  };
  for (std::uint32_t d = 0; d < 150 && alone.outcome(0) == Outcome::running; ++d) {
    if (d == 60) restored.restore(0, alone.state(0));
    const RandomStream now(6, d, 0, Purpose::user);
    control(alone, 0, now);
    alone.step(0);
    for (std::size_t lane = 0; lane < 3; ++lane) {
      control(many, lane, now);
      if (many.outcome(lane) == Outcome::running) many.step(lane);
    }
    if (d >= 60) {
      control(restored, 0, now);
      restored.step(0);
    }
  }
  const auto same = [&](const Lanes& other, std::size_t lane) {
    return std::memcmp(alone.state(0).data(), other.state(lane).data(), alone.state(0).size()) == 0;
  };
  EXPECT_TRUE(same(many, 2));
  EXPECT_FALSE(same(many, 0));
  if (alone.steps(0) > 60) {
    EXPECT_TRUE(same(restored, 0));
  }
}

TEST_P(Demo, IsRecordedAndPlaysAgainToTheLastBit) {
  const test::TemporaryFolder folder;
  const auto own = players(true);
  std::vector<Player*> hands;
  for (const auto& player : own) hands.push_back(player.get());
  {
    ReplayWriter writer(folder / "a.zrep", game_,
                        {GetParam(), to_toml(game_.spec()),
                         std::vector<std::string>(hands.size(), "x"), 1, "test"});
    play_one(game_, hands, {4, 0, 0}, [&](const Environment& lanes) { writer.add(lanes, 0); });
    writer.finish();
  }
  const ReplayCheck check = check_replay(folder / "a.zrep");
  EXPECT_EQ(check.difference, "");
  EXPECT_GT(check.steps, 0u);
}

TEST_P(Demo, SurvivesTomlAndBack) {
  const GameSpec back = parse_game(to_toml(game_.spec()), "back");
  EXPECT_EQ(first_difference(game_.spec(), back), "");
  EXPECT_TRUE(back == game_.spec());
}

INSTANTIATE_TEST_SUITE_P(All, Demo,
                         ::testing::Values("barge", "basin", "breakwater", "flare", "kelpdive",
                                           "lanternboat", "locks", "fogbank", "mooring", "narrows",
                                           "salvage", "skerries", "tidepools", "towline"),
                         [](const auto& demo) { return std::string(demo.param); });

class Locks : public Demo {};
INSTANTIATE_TEST_SUITE_P(Scripted, Locks, ::testing::Values("locks"));

TEST_P(Locks, TheScriptDoesBetterThanChance) {
  const auto mean = [](const std::vector<EpisodeResult>& results) {
    double sum = 0;
    for (const auto& r : results) sum += r.episode_return;
    return sum / static_cast<double>(results.size());
  };
  EXPECT_GT(mean(play(true, 20)), mean(play(false, 20)) + 2);
}

TEST(Demos, EveryFileIsListed) {
  std::size_t files = 0;
  for (const auto& entry : std::filesystem::directory_iterator(test::project_folder() / "demos"))
    files += entry.path().extension() == ".toml" ? std::size_t{1} : 0;
  EXPECT_EQ(files, 14u) << "add the new one to the list above";
}

}  // namespace
}  // namespace zithercraft
