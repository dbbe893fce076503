#include "zithercraft/evaluate/evaluation.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <numeric>

#include "support.hpp"
#include "zithercraft/doctor/doctor.hpp"
#include "zithercraft/experiment/comparison.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {
namespace {

class Evaluated : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder = new test::TemporaryFolder;
    train(test::mooring(), {.folder = *folder / "run",
                            .steps = 20'000,
                            .learner = PolicyGradientSettings{.policy_layers = {16},
                                                              .value_layers = {16},
                                                              .lanes = 32,
                                                              .horizon = 32,
                                                              .minibatch = 512}});
  }
  static void TearDownTestSuite() { delete folder; }
  static zithercraft::Run run() { return zithercraft::Run::open(*folder / "run"); }
  static inline test::TemporaryFolder* folder = nullptr;
};

TEST_F(Evaluated, ListsTheTrainedPlayerFirstWithIntervals) {
  const Score s = evaluate(run(), {.episodes = 200, .seed = 3});
  ASSERT_EQ(s.players.size(), 3u);
  EXPECT_EQ(s.players[0].name, "trained");
  EXPECT_EQ(s.players[1].name, "random");
  EXPECT_EQ(s.players[2].name, "script");
  EXPECT_GT(s.players[2].success.mean, 0.6);
  EXPECT_LT(s.players[1].success.mean, 0.1);
  for (const PlayerScore& p : s.players) {
    EXPECT_LE(p.success.low, p.success.mean);
    EXPECT_GE(p.success.high, p.success.mean);
    ASSERT_EQ(p.terms.size(), 4u);
    double sum = 0;
    for (const auto& [name, interval] : p.terms) sum += interval.mean;
    EXPECT_NEAR(sum, p.episode_return.mean, 1e-9);
  }
}

TEST_F(Evaluated, ThreadsDoNotMatterSeedsDo) {
  const auto json = [](std::size_t threads, std::uint64_t seed) {
    return evaluate(run(), {.episodes = 100, .seed = seed, .threads = threads}).to_json();
  };
  EXPECT_EQ(json(1, 3), json(2, 3));
  EXPECT_NE(json(1, 3), json(1, 4));
}

// Whether work reported every piece once, up to the last.
void expect_counted(const std::vector<WorkProgress>& told, std::int64_t total) {
  ASSERT_FALSE(told.empty());
  for (std::size_t i = 0; i < told.size(); ++i) {
    EXPECT_EQ(told[i].total, total);
    if (i > 0) {
      EXPECT_GT(told[i].done, told[i - 1].done);
    }
  }
  EXPECT_EQ(told.back().done, total);
  EXPECT_EQ(told.back().seconds_left, 0.0);
}

TEST_F(Evaluated, LongWorkTellsHowFarItIs) {
  std::vector<WorkProgress> told;
  const OnProgress keep = [&](const WorkProgress& p) { told.push_back(p); };
  evaluate(run(), {.episodes = 40, .on_progress = keep});
  expect_counted(told, 3 * 40);
  told.clear();
  evaluate_checkpoints(run(), {.episodes = 30, .threads = 2, .on_progress = keep});
  expect_counted(
      told, 30 * static_cast<std::int64_t>(evaluate_checkpoints(run(), {.episodes = 1}).size()));
  told.clear();
  compare(group_runs({run().folder()}), {.episodes = 30, .on_progress = keep});
  expect_counted(told, 30);
  told.clear();
  const Diagnosis d = examine(run(), {.steps = 2000, .on_progress = keep});
  expect_counted(told, 2000 * static_cast<std::int64_t>(d.players.size()));
}

TEST_F(Evaluated, PairsEpisodesAndListsThem) {
  const Score s = evaluate(
      run(), {.episodes = 50, .seed = 3, .against = {"script", (*folder / "run").string()}});
  ASSERT_EQ(s.players.size(), 3u);
  EXPECT_NEAR(s.players[1].return_behind.mean,
              s.players[0].episode_return.mean - s.players[1].episode_return.mean, 1e-9);
  EXPECT_LT(s.players[1].success_behind.high, 0.0);
  EXPECT_EQ(s.players[2].return_behind.low, 0.0);  // against itself
  EXPECT_EQ(s.players[2].return_behind.high, 0.0);
  const std::string csv = s.to_csv();
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 1 + 3 * 50);
  EXPECT_TRUE(
      csv.starts_with("player,episode,outcome,ended_by,return,steps,term.progress,term.moored,"));
  EXPECT_NE(csv.find("\nscript,49,"), std::string::npos);
  std::filesystem::copy(*folder / "run", *folder / "one, two",
                        std::filesystem::copy_options::recursive);
  const std::string other = (*folder / "one, two").string();
  EXPECT_NE(
      evaluate(run(), {.episodes = 2, .against = {other}}).to_csv().find("\n\"" + other + "\",1,"),
      std::string::npos);
}

TEST_F(Evaluated, SampledActionsAreOthersThanGreedyOnes) {
  const auto json = [](ActionMode actions) {
    return evaluate(run(), {.episodes = 50, .actions = actions, .against = {}}).to_json();
  };
  EXPECT_EQ(json(ActionMode::sampled), json(ActionMode::sampled));
  EXPECT_NE(json(ActionMode::sampled), json(ActionMode::greedy));
}

TEST_F(Evaluated, ChangedGamesShowHowFarASkillCarries) {
  const auto in = [](const KeyValues& keys) {
    return evaluate(run(), with_keys(run().game_spec(), keys, "changed"),
                    {.episodes = 100, .against = {"script"}});
  };
  EXPECT_EQ(in({}).to_json(), evaluate(run(), {.episodes = 100, .against = {"script"}}).to_json());
  EXPECT_GT(in({{"arena.bodies.hull.count", 1}}).players[1].success.mean,
            in({{"arena.bodies.hull.count", 14}}).players[1].success.mean);
  const Error error = test::error_of([&] { in({{"roles.skiff.senses.rays.rays", 12}}); });
  EXPECT_EQ(error.kind(), ErrorKind::refused);
  EXPECT_NE(error.problem().find("does not fit"), std::string::npos);
}

TEST_F(Evaluated, WhatIsComparedCanBeChosen) {
  EXPECT_EQ(evaluate(run(), {.episodes = 10, .against = {"script"}}).players.size(), 2u);
  EXPECT_EQ(evaluate(run(), {.episodes = 10, .against = {}}).players.size(), 1u);
  EXPECT_EQ(test::error_of([] { evaluate(run(), {.episodes = 10, .against = {"nobody"}}); }).kind(),
            ErrorKind::usage);
  EXPECT_EQ(test::error_of([] { evaluate(run(), {.episodes = 0}); }).kind(), ErrorKind::usage);
}

TEST_F(Evaluated, RecordedEpisodesAreTheScoredOnes) {
  record(run(), *folder / "a.zrep", {.episodes = 30, .seed = 3});
  EXPECT_TRUE(check_replay(*folder / "a.zrep").passed());
  Replay replay(*folder / "a.zrep");
  double moments = 0, value = 0;
  for (std::size_t e = 0; e < 30; ++e) {
    moments += replay.episodes()[e].moments - 1;
    value += std::abs(static_cast<double>(replay.moment(e, 0).roles[0].values[0]));
  }
  EXPECT_NEAR(moments / 30, evaluate(run(), {.episodes = 30, .seed = 3}).players[0].length.mean,
              1e-9);
  EXPECT_GT(value, 0);  // the value network's estimates are there
}

}  // namespace
}  // namespace zithercraft
