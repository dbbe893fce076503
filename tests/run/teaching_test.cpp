// Runs that learn from teachers: what their folders keep, and what is refused.

#include <gtest/gtest.h>

#include "custom_games.hpp"
#include "support.hpp"
#include "zithercraft/evaluate/evaluation.hpp"
#include "zithercraft/learn/clone.hpp"
#include "zithercraft/learn/demonstrations.hpp"
#include "zithercraft/learn/dqn.hpp"
#include "zithercraft/learn/q_table.hpp"
#include "zithercraft/learn/sac.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {
namespace {

LearnerSettings small_clone(bool interactive = false) {
  CloneSettings s;
  s.policy_layers = std::vector<std::int64_t>{16};
  s.interactive = interactive;
  return s;
}

TrainOptions options(const std::filesystem::path& folder, LearnerSettings learner,
                     std::vector<std::string> teachers) {
  return {.folder = folder,
          .steps = 20'000,
          .seed = 5,
          .checkpoint_every = 4000,
          .learner = std::move(learner),
          .teachers = std::move(teachers),
          .teacher_episodes = 6,
          .threads = 2};
}

Error refused(const GameSpec& game, const TrainOptions& o) {
  return test::error_of([&] { train(game, o); });
}

std::string checkpoint_of(const zithercraft::Run& run) {
  return test::read_file(run.last_checkpoint());
}

TEST(TaughtRuns, KeepWhatTheirTeachersShowed) {
  const test::TemporaryFolder folder;
  const zithercraft::Run run =
      train(test::mooring(), options(folder / "run", small_clone(), {"script", "random"}));
  const TensorFile file = TensorFile::load(run.demonstrations());
  const Demonstrations all = Demonstrations::from(file, run.game());
  EXPECT_EQ(all.list.size(), 6u);  // three of each
  EXPECT_TRUE(run.owns(run.demonstrations()));
  EXPECT_EQ(zithercraft::Run::open(folder / "run").settings().teachers,
            (std::vector<std::string>{"script", "random"}));
  // The file is a teacher itself.
  TrainOptions again = options(folder / "again", small_clone(), {run.demonstrations().string()});
  EXPECT_TRUE(checkpoint_of(train(test::mooring(), again)) == checkpoint_of(run));
}

TEST(TaughtRuns, GoOnWithWhatTheyWereShown) {
  const test::TemporaryFolder folder;
  const GameSpec game = test::mooring();
  for (const bool interactive : {false, true}) {
    const std::string name = interactive ? "asking" : "alone";
    TrainOptions o = options(folder / name, small_clone(interactive), {"script"});
    const std::string whole = checkpoint_of(train(game, o));
    o.folder = folder / (name + " in parts");
    int left = 3;
    std::atomic<bool> stop{false};
    o.stop = &stop;
    o.on_progress = [&](const TrainingProgress&) { stop = --left <= 0; };
    train(game, o);
    o.existing = Existing::resume;
    o.on_progress = {};
    stop = false;
    EXPECT_TRUE(checkpoint_of(train(game, o)) == whole) << name;
  }
  TrainOptions o = options(folder / "alone", small_clone(), {"script"});
  o.existing = Existing::resume;
  o.teacher_episodes = 7;
  EXPECT_NE(std::string(refused(game, o).what()).find("teachers"), std::string::npos);
  o.teacher_episodes = 6;
  std::filesystem::remove(folder / "alone/demonstrations.safetensors");
  EXPECT_NE(std::string(refused(game, o).what()).find("missing"), std::string::npos);
  o.existing = Existing::fresh;
  EXPECT_GT(train(game, o).steps_done(), 0);
}

TEST(TaughtRuns, ACloneThatStoppedEarlyIsFinished) {
  const test::TemporaryFolder folder;
  TrainOptions o = options(folder / "run", small_clone(), {"script"});
  o.learner.set("patience", std::int64_t{1}, "test");
  o.steps = 5'000'000;
  const zithercraft::Run run = train(test::mooring(), o);
  EXPECT_LT(run.steps_done(), 5'000'000);
  EXPECT_TRUE(run.finished());
  const std::string bytes = checkpoint_of(run);
  o.existing = Existing::resume;
  EXPECT_TRUE(checkpoint_of(train(test::mooring(), o)) == bytes);
}

TEST(TaughtRuns, RecordingsShowWhatTheirPlayersDid) {
  const test::TemporaryFolder folder;
  TrainOptions o = options(folder / "run", small_clone(), {"script"});
  const zithercraft::Run run = train(test::mooring(), o);
  record(run, folder / "it.zrep", {.episodes = 3, .seed = 8});
  const zithercraft::Run taught = train(
      test::mooring(), options(folder / "taught", small_clone(), {(folder / "it.zrep").string()}));
  const Demonstrations all =
      Demonstrations::from(TensorFile::load(taught.demonstrations()), run.game());
  Replay replay(folder / "it.zrep");
  ASSERT_EQ(all.list.size(), 3u);
  for (std::size_t e = 0; e < 3; ++e) {
    ASSERT_EQ(all.list[e].steps() + 1, replay.episodes()[e].moments);
    EXPECT_EQ(all.list[e].outcome, replay.episodes()[e].outcome);
    const auto& moment = replay.moment(e, 1).roles[0];
    EXPECT_EQ(all.list[e].controls[0], moment.controls[0]);
    const std::size_t columns = moment.observations.size();
    for (std::size_t c = 0; c < columns; ++c)
      EXPECT_EQ(all.list[e].senses[columns + c], moment.observations[c]);
  }
  // A recording cannot be asked, and goes otherwise in another game.
  const Error asked = refused(
      test::mooring(), options(folder / "x", small_clone(true), {(folder / "it.zrep").string()}));
  EXPECT_NE(std::string(asked.what()).find("cannot be asked"), std::string::npos) << asked.what();
  GameSpec calm = test::mooring();
  calm.cutoffs.steps = 5;
  const Error other =
      refused(calm, options(folder / "y", small_clone(), {(folder / "it.zrep").string()}));
  EXPECT_NE(std::string(other.what()).find("as it was recorded"), std::string::npos)
      << other.what();
}

TEST(TaughtRuns, RecordingsOfCustomGamesAreReadFromTheirMoments) {
  const test::TemporaryFolder folder;
  const GameSpec game = test::winch();
  const zithercraft::Run run = train(game, options(folder / "run", small_clone(), {"random"}));
  record(run, folder / "it.zrep", {.episodes = 2, .seed = 8});
  const zithercraft::Run taught =
      train(game, options(folder / "taught", small_clone(), {(folder / "it.zrep").string()}));
  const Demonstrations all =
      Demonstrations::from(TensorFile::load(taught.demonstrations()), run.game());
  Replay replay(folder / "it.zrep");
  std::size_t steps = 0, recorded = 0;
  for (const Demonstration& one : all.list) steps += one.role == 0 ? one.steps() : 0;
  for (const auto& episode : replay.episodes())
    recorded += (episode.moments - 1) * run.game().roles()[0].seats.size();
  EXPECT_GT(steps, 0u);
  EXPECT_EQ(steps, recorded);
  // Of a game that senses something else they are refused.
  GameSpec other = game;
  std::get<CustomSense>(other.roles[0].senses[0]).columns[0].name += "_of_another";
  EXPECT_EQ(
      refused(other, options(folder / "x", small_clone(), {(folder / "it.zrep").string()})).kind(),
      ErrorKind::refused);
}

TEST(TaughtRuns, WhoLearnsFromNobodyTakesNoTeacher) {
  const test::TemporaryFolder folder;
  const auto text = [&](LearnerSettings learner, std::vector<std::string> teachers,
                        const GameSpec& game) {
    const Error error =
        refused(game, options(folder / "run", std::move(learner), std::move(teachers)));
    EXPECT_FALSE(std::filesystem::exists(folder / "run/run.toml"));
    return std::string(error.what());
  };
  EXPECT_NE(text(small_clone(), {}, test::mooring()).find("needs a teacher"), std::string::npos);
  EXPECT_NE(text(small_clone(), {"nobody"}, test::mooring()).find("no player is called 'nobody'"),
            std::string::npos);
  ActorCriticSettings offline;
  offline.offline = true;
  EXPECT_NE(text(offline, {}, test::mooring()).find("needs a teacher"), std::string::npos);
  PolicyGradientSettings alone;
  alone.teacher_weight = 0.0;
  EXPECT_NE(text(alone, {"script"}, test::mooring()).find("no use of a teacher"),
            std::string::npos);
}

}  // namespace
}  // namespace zithercraft
