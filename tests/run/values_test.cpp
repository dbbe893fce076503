// Runs by methods that learn values: what their folders keep, and what they report.

#include <gtest/gtest.h>

#include "support.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/learn/dqn.hpp"
#include "zithercraft/learn/q_table.hpp"
#include "zithercraft/learn/sac.hpp"
#include "zithercraft/net/state_table.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/run/metrics.hpp"
#include "zithercraft/run/table_csv.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {
namespace {

GameSpec locks() { return load_game(test::project_folder() / "demos/locks.toml"); }

struct Told {
  std::vector<std::string> notes{};
  bool any(const std::string& part) const {
    return std::any_of(notes.begin(), notes.end(), [&](const std::string& note) {
      return note.find(part) != std::string::npos;
    });
  }
};

TrainOptions options(const std::filesystem::path& folder, LearnerSettings learner, Told& told) {
  TrainOptions o{.folder = folder,
                 .steps = 3000,
                 .seed = 5,
                 .checkpoint_every = 600,
                 .learner = std::move(learner),
                 .threads = 2};
  o.on_note = [&told](const std::string& note) { told.notes.push_back(note); };
  return o;
}

LearnerSettings small_sac(bool keeps = true) {
  ActorCriticSettings s;
  s.policy_layers = s.value_layers = {16};
  s.updates_per_step = 0.05;
  s.keep_experience = keeps;
  return s;
}

LearnerSettings small_table() {
  QTableSettings s;
  s.column_bins = {"window=1", "window[1,0]=2", "compass=3"};
  return s;
}

TEST(ValueRuns, OnlyTheLastCheckpointKeepsWhatIsLearnedFrom) {
  const test::TemporaryFolder folder;
  Told told;
  const zithercraft::Run run = train(test::mooring(), options(folder / "run", small_sac(), told));
  EXPECT_TRUE(TensorFile::load(run.last_checkpoint()).has("experience.counts"));
  ASSERT_FALSE(run.checkpoint_names().empty());
  const TensorFile kept = TensorFile::load(run.checkpoint_file(run.checkpoint_names().front()));
  EXPECT_FALSE(kept.has("experience.counts"));
  EXPECT_EQ(kept.text("left_out"), "experience");
  EXPECT_EQ(run.policy(run.checkpoint_names().front()).columns(), 102u);
  EXPECT_TRUE(told.notes.empty());
}

TEST(ValueRuns, ACheckpointWritesTheStepsThatAreNew) {
  const test::TemporaryFolder folder;
  Told told;
  TrainOptions o = options(folder / "run", small_sac(), told);
  o.checkpoint_every = 300;
  std::map<std::string, std::filesystem::file_time_type> written;
  std::size_t rewritten = 0;
  const std::filesystem::path pieces = folder / "run/checkpoints/pieces";
  o.on_progress = [&](const TrainingProgress&) {
    std::error_code code;
    for (const auto& piece : std::filesystem::directory_iterator(pieces, code)) {
      const auto [at, is_new] =
          written.emplace(piece.path().filename().string(), piece.last_write_time());
      if (!is_new && at->second != piece.last_write_time()) ++rewritten;
    }
  };
  const zithercraft::Run run = train(test::mooring(), o);
  EXPECT_GT(written.size(), 5u);
  EXPECT_EQ(rewritten, 0u);
  const auto first = std::filesystem::directory_iterator(pieces)->path();
  EXPECT_TRUE(run.owns(first));
  EXPECT_LT(std::filesystem::file_size(run.last_checkpoint()), 3000u * 102 * 4);
  // Without a piece it does not go on as it was; what else is there is no piece.
  test::write_file(pieces / "left over", "");
  std::filesystem::rename(first, folder / "taken");
  o.existing = Existing::resume;
  o.steps = 3300;
  const Error error = test::error_of([&] { train(test::mooring(), o); });
  EXPECT_EQ(error.kind(), ErrorKind::file);
  EXPECT_NE(std::string(error.what()).find(first.filename().string()), std::string::npos);
  std::filesystem::rename(folder / "taken", first);
  train(test::mooring(), o);
  EXPECT_FALSE(std::filesystem::exists(pieces / "left over"));
}

TEST(ValueRuns, StoppedAndResumedTheyAreTheSame) {
  for (const LearnerSettings& learner : {small_sac(), small_table()}) {
    const test::TemporaryFolder folder;
    Told told;
    const GameSpec game = learner.method() == "q_table" ? locks() : test::mooring();
    train(game, options(folder / "whole", learner, told));
    std::atomic<bool> stop = false;
    TrainOptions o = options(folder / "run", learner, told);
    o.stop = &stop;
    o.on_progress = [&](const TrainingProgress& p) { stop = p.steps > 1000; };
    train(game, o);
    EXPECT_FALSE(zithercraft::Run::open(folder / "run").finished());
    o.stop = nullptr;
    o.on_progress = {};
    o.existing = Existing::resume;
    train(game, o);
    const auto last = [&](const char* run) {
      return test::read_file(folder / run / "checkpoints/last.safetensors");
    };
    EXPECT_TRUE(last("run") == last("whole")) << learner.method();
    EXPECT_FALSE(told.any("differs"));
  }
}

TEST(ValueRuns, SayWhatGoingOnWithoutTheirStepsChanges) {
  const test::TemporaryFolder folder;
  Told told;
  TrainOptions o = options(folder / "run", small_sac(false), told);
  train(test::mooring(), o);
  EXPECT_TRUE(told.notes.empty());
  o.existing = Existing::resume;
  o.steps = 4000;
  const zithercraft::Run run = train(test::mooring(), o);
  EXPECT_TRUE(told.any("keeps no steps to learn from")) << told.notes.size();
  EXPECT_GE(run.steps_done(), 4000);
}

TEST(ValueRuns, ATableIsToldShownAndWritten) {
  const test::TemporaryFolder folder;
  Told told;
  const zithercraft::Run run = train(locks(), options(folder / "run", small_table(), told));
  EXPECT_TRUE(told.any("at most 108 states of 5 numbers each")) << told.notes.at(0);
  const Policy policy = run.policy();
  ASSERT_NE(policy.table(), nullptr);
  EXPECT_GT(policy.table()->size(), 10u);
  const std::string csv = table_csv(policy);
  EXPECT_EQ(csv.substr(0, csv.find("\r\n")),
            "\"window[1,0].bank\",\"window[1,0].narrowboat\",compass.ahead,compass.left,"
            "compass.distance,learned,wait,ahead,left,right,back");
  EXPECT_EQ(static_cast<std::size_t>(std::count(csv.begin(), csv.end(), '\n')),
            policy.table()->size() + 1);
  EXPECT_NE(csv.find("yes,"), std::string::npos);
  EXPECT_NE(state_text(policy, 0).find("compass.distance"), std::string::npos);
  const auto rows = Metrics(run.metrics()).rows();
  EXPECT_EQ(metric_in(rows.back().learner, "states"), static_cast<double>(policy.table()->size()));
  DqnSettings dqn;
  dqn.updates_per_step = 0.05;
  dqn.value_layers = {8};
  EXPECT_THROW(table_csv(train(locks(), options(folder / "dqn", dqn, told)).policy()), Error);
}

TEST(ValueRuns, AStateInWords) {
  const Column distance{.name = "compass.distance", .unit = "m", .scale = 16.0};
  const std::vector<float> edges{0.25f, 0.5f};
  EXPECT_EQ(bin_text(distance, edges, 0), "compass.distance below 4 m");
  EXPECT_EQ(bin_text(distance, edges, 1), "compass.distance 4 to 8 m");
  EXPECT_EQ(bin_text(distance, edges, 2), "compass.distance from 8 m");
  const Column flag{.name = "window[1,0].bank", .unit = "flag"};
  EXPECT_EQ(bin_text(flag, std::vector<float>{0.5f}, 1), "window[1,0].bank yes");
}

}  // namespace
}  // namespace zithercraft
