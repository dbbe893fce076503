// Trainings through stages: the same bits however often they are interrupted and on any number of
// threads; stages that begin in recorded moments.

#include <gtest/gtest.h>

#include <atomic>

#include "support.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/run/metrics.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {
namespace {

GameSpec staged_pond() {
  GameSpec game = test::duck_pond();
  game.stages = {{.name = "short", .set = {{"cutoffs.steps", 15}}, .advance = {.steps = 6000}},
                 {.name = "longer",
                  .set = {{"cutoffs.steps", 30}},
                  .advance = {.metric = "length", .at_least = 1, .over = 5},
                  .earlier = 0.5}};
  return game;
}

TrainOptions options(const test::TemporaryFolder& folder, const std::string& name) {
  return {.folder = folder / name,
          .steps = 24'000,
          .seed = 3,
          .checkpoint_every = 4000,
          .learner = PolicyGradientSettings{.policy_layers = {16},
                                            .value_layers = {16},
                                            .lanes = 16,
                                            .horizon = 64,
                                            .minibatch = 512},
          .threads = 1};
}

TEST(CurriculumTraining, IsTheSameHoweverInterruptedAndOnAnyNumberOfThreads) {
  const test::TemporaryFolder folder;
  const zithercraft::Run whole = train(staged_pond(), options(folder, "whole"));
  auto threaded = options(folder, "threaded");
  threaded.threads = 3;
  train(staged_pond(), threaded);
  auto parts = options(folder, "parts");
  // Stops after each update, so that every change of stage lies next to a stop.
  for (int sitting = 0; sitting < 40; ++sitting) {
    std::atomic<bool> stop = false;
    parts.stop = &stop;
    parts.existing = sitting == 0 ? Existing::refuse : Existing::resume;
    parts.on_progress = [&](const TrainingProgress&) { stop = true; };
    if (train(staged_pond(), parts).finished()) break;
  }
  const auto bytes = test::read_file(whole.last_checkpoint());
  EXPECT_EQ(bytes, test::read_file(folder / "threaded/checkpoints/last.safetensors"));
  EXPECT_EQ(bytes, test::read_file(folder / "parts/checkpoints/last.safetensors"));

  const auto rows = Metrics(whole.metrics()).rows();
  std::size_t stages[3] = {0, 0, 0};
  for (const MetricsRow& row : rows) ++stages[row.stage];
  EXPECT_EQ(stages[0], 6u) << "six updates of 1024 steps make more than 6000";
  EXPECT_GT(stages[1], 0u);
  EXPECT_GT(stages[2], 3u);
  for (std::size_t i = 1; i < rows.size(); ++i) EXPECT_GE(rows[i].stage, rows[i - 1].stage);
  EXPECT_LE(rows[0].mean_length, 15.0);
}

TEST(CurriculumTraining, CanBeginInRecordedMoments) {
  const test::TemporaryFolder folder;
  const GameSpec plain = test::duck_pond();
  const Game game(plain);
  const auto player = random_player(4);
  const auto copy = player->copy();
  std::size_t steps = 0;
  {
    ReplayWriter writer(folder / "pond.zrep", game,
                        {plain.name, to_toml(plain), {"random"}, 4, "test"});
    play_one(game, {copy.get()}, {4, 0, 0}, [&](const Environment& lanes) {
      writer.add(lanes, 0);
      steps = lanes.steps(0);
    });
    writer.finish();
  }
  ASSERT_GT(steps, 6u);
  GameSpec from_there = plain;
  from_there.stages = {
      {.name = "there",
       .start = RecordedStart{.replay = (folder / "pond.zrep").string(), .from = 2, .to = 5},
       .advance = {.steps = 100'000}}};
  auto o = options(folder, "run");
  o.steps = 4000;
  const zithercraft::Run run = train(from_there, o);
  EXPECT_TRUE(run.finished());
  // The run is whole by itself: the replay is held inside.
  std::filesystem::remove(folder / "pond.zrep");
  o.steps = 8000;
  o.existing = Existing::resume;
  EXPECT_TRUE(train(zithercraft::Run::open(run.folder()).game_spec(), o).finished());

  from_there.stages[0].start->replay =
      zithercraft::Run::open(run.folder()).game_spec().stages[0].start->replay;
  from_there.stages[0].start->to = 100'000;
  o.existing = Existing::fresh;
  EXPECT_NE(test::error_of([&] { train(from_there, o); })
                .problem()
                .find("steps, and moments from 2 to 100000"),
            std::string::npos);
  from_there.stages[0].start = RecordedStart{.replay = (folder / "none.zrep").string()};
  EXPECT_EQ(test::error_of([&] { train(from_there, o); }).kind(), ErrorKind::file);
}

}  // namespace
}  // namespace zithercraft
