#include "zithercraft/run/train.hpp"

#include <gtest/gtest.h>

#include <atomic>

#include "support.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/run/metrics.hpp"

namespace zithercraft {
namespace {

const PolicyGradientSettings small{
    .policy_layers = {16}, .value_layers = {16}, .lanes = 32, .horizon = 32, .minibatch = 512};

TrainOptions options(const std::filesystem::path& folder) {
  return {.folder = folder,
          .steps = 20'000,
          .seed = 5,
          .checkpoint_every = 4000,
          .learner = small,
          .threads = 2};
}

TEST(Train, WritesARunThatCanBeOpened) {
  const test::TemporaryFolder folder;
  std::int64_t shown = 0;
  TrainOptions o = options(folder / "run");
  o.on_progress = [&](const TrainingProgress& p) {
    EXPECT_GT(p.steps, shown);
    EXPECT_GT(p.steps_per_second, 0);
    shown = p.steps;
  };
  train(test::mooring(), o);
  const zithercraft::Run run = zithercraft::Run::open(folder / "run");
  EXPECT_EQ(run.game_spec(), test::mooring());
  // What was left open is stated.
  const PolicyGradientSettings all =
      settled(small, run.game(), 20'000, usual_players(run.game(), 5));
  EXPECT_NE(all, small);
  EXPECT_EQ(run.settings(), (RunSettings{20'000, 5, 4000, all}));
  EXPECT_TRUE(run.finished());
  EXPECT_EQ(run.steps_done(), 20'480);  // whole rollouts of 32 x 32
  EXPECT_EQ(shown, 20'480);
  EXPECT_EQ(run.policy().columns(), 102u);
  const auto rows = Metrics(run.metrics()).rows();
  EXPECT_EQ(rows.size(), 20u);
  EXPECT_EQ(rows.back().steps, 20'480);
  EXPECT_EQ(rows.back().terms.size(), 4u);
  EXPECT_EQ(TensorFile::load(run.last_checkpoint()).text("game_fingerprint"),
            run.game().fingerprint());
}

TEST(Train, AResumedRunKeepsWhatWasDecidedForIt) {
  const test::TemporaryFolder folder;
  const PolicyGradientSettings open{.policy_layers = {8}};
  TrainOptions o = options(folder / "run");
  o.learner = open;
  o.steps = 4000;
  const zithercraft::Run short_run = train(test::mooring(), o);
  o.existing = Existing::resume;
  o.steps = 60'000;
  const zithercraft::Run longer = train(test::mooring(), o);
  EXPECT_EQ(longer.settings().learner, short_run.settings().learner);
  EXPECT_GE(longer.steps_done(), 60'000);
  const Game game = longer.game();
  EXPECT_NE(LearnerSettings(settled(open, game, 60'000, usual_players(game, 5))),
            longer.settings().learner);
  o.learner = PolicyGradientSettings{.policy_layers = {8}, .lanes = 3};
  EXPECT_NE(test::error_of([&] { train(test::mooring(), o); }).problem().find("learner.lanes"),
            std::string::npos);
}

// What is lost of a run's folder costs no more than it must.
TEST(Train, WithoutItsLastCheckpointARunGoesOnFromTheNewestKeptOne) {
  const test::TemporaryFolder folder;
  train(test::mooring(), options(folder / "whole"));
  train(test::mooring(), options(folder / "run"));
  const auto last = folder / "run/checkpoints/last.safetensors";
  const std::string before = test::read_file(last);
  std::filesystem::remove(last);
  const zithercraft::Run run = zithercraft::Run::open(folder / "run");
  ASSERT_FALSE(run.checkpoint_names().empty());
  EXPECT_EQ(run.newest_checkpoint()->stem(), run.checkpoint_names().back());
  EXPECT_EQ(run.steps_done(), steps_of(run.checkpoint_names().back()));
  EXPECT_EQ(run.policy().columns(), 102u);

  // An older one, so that there is something left to train.
  for (const std::string& name : run.checkpoint_names())
    if (steps_of(name) > 12'000)
      std::filesystem::remove(run.checkpoints() / (name + ".safetensors"));
  TrainOptions o = options(folder / "run");
  o.existing = Existing::resume;
  std::string note;
  o.on_note = [&](const std::string& text) { note = text; };
  train(test::mooring(), o);
  EXPECT_NE(note.find("last.safetensors is missing; continuing from at-"), std::string::npos)
      << note;
  EXPECT_EQ(test::read_file(last), before);
  EXPECT_EQ(Metrics(run.metrics()).rows().size(), 20u);

  std::filesystem::remove_all(run.checkpoints());
  train(test::mooring(), o);
  EXPECT_NE(note.find("holds no checkpoint; the training begins at step 0"), std::string::npos);
  EXPECT_EQ(test::read_file(last), before);
}

TEST(Train, KeepsCheckpointsWhoseConfigurationIsMissing) {
  const test::TemporaryFolder folder;
  train(test::mooring(), options(folder / "run"));
  const std::string before = test::read_file(folder / "run/checkpoints/last.safetensors");
  std::filesystem::rename(folder / "run/run.toml", folder / "elsewhere.toml");
  for (const Existing existing : {Existing::refuse, Existing::fresh, Existing::resume}) {
    TrainOptions o = options(folder / "run");
    o.existing = existing;
    const Error error = test::error_of([&] { train(test::mooring(), o); });
    EXPECT_EQ(error.kind(), ErrorKind::refused);
    EXPECT_EQ(test::read_file(folder / "run/checkpoints/last.safetensors"), before);
  }
  std::filesystem::rename(folder / "elsewhere.toml", folder / "run/run.toml");
  EXPECT_TRUE(zithercraft::Run::open(folder / "run").finished());
}

TEST(Train, ARunKnowsItsOwnFiles) {
  const test::TemporaryFolder folder;
  train(test::mooring(), options(folder / "run"));
  const zithercraft::Run run = zithercraft::Run::open(folder / "run");
  std::filesystem::create_symlink(run.configuration(), folder / "link");
  for (const auto& own : {run.configuration(), run.metrics(), run.last_checkpoint(),
                          run.checkpoints() / (run.checkpoint_names()[0] + ".safetensors"),
                          folder / "run/checkpoints/../run.toml", folder / "link"})
    EXPECT_TRUE(run.owns(own)) << own;
  EXPECT_FALSE(run.owns(folder / "run/report.html"));
  EXPECT_EQ(test::error_of([&] { run.refuse_own_file(run.metrics()); }).kind(), ErrorKind::usage);
}

TEST(Train, ThreadsAndInterruptionsLeaveTheCheckpointByteForByte) {
  const test::TemporaryFolder folder;
  TrainOptions o = options(folder / "one");
  o.threads = 1;
  train(test::mooring(), o);
  o = options(folder / "two");
  train(test::mooring(), o);
  EXPECT_TRUE(test::read_file(folder / "one/checkpoints/last.safetensors") ==
              test::read_file(folder / "two/checkpoints/last.safetensors"));

  o = options(folder / "three");
  for (int sitting = 0; sitting < 4; ++sitting) {
    std::atomic<bool> stop{false};
    int updates = 0;
    o.stop = &stop;
    o.on_progress = [&](const TrainingProgress&) {
      stop = sitting < 3 && ++updates == 3 + sitting;
    };
    o.threads = 1 + static_cast<std::size_t>(sitting % 2);
    train(test::mooring(), o);
    o.existing = Existing::resume;
  }
  EXPECT_TRUE(test::read_file(folder / "one/checkpoints/last.safetensors") ==
              test::read_file(folder / "three/checkpoints/last.safetensors"));
  const auto whole = Metrics(folder / "one/metrics.db").rows(),
             pieces = Metrics(folder / "three/metrics.db").rows();
  ASSERT_EQ(whole.size(), pieces.size());
  for (std::size_t i = 0; i < whole.size(); ++i) {
    EXPECT_EQ(whole[i].mean_return, pieces[i].mean_return);
    EXPECT_EQ(whole[i].recent_success, pieces[i].recent_success);
    EXPECT_EQ(whole[i].of_learner("kl"), pieces[i].of_learner("kl"));
  }
}

TEST(Train, AnExistingRunIsKeptUnlessToldOtherwise) {
  const test::TemporaryFolder folder;
  TrainOptions o = options(folder / "run");
  train(test::mooring(), o);
  const std::string before = test::read_file(folder / "run/checkpoints/last.safetensors");
  const Error error = test::error_of([&] { train(test::mooring(), o); });
  EXPECT_EQ(error.kind(), ErrorKind::refused);
  EXPECT_NE(std::string(error.what()).find("the folder holds a run already; resume it"),
            std::string::npos);
  EXPECT_TRUE(test::read_file(folder / "run/checkpoints/last.safetensors") == before);
  o.existing = Existing::fresh;
  o.seed = 6;
  train(test::mooring(), o);
  EXPECT_FALSE(test::read_file(folder / "run/checkpoints/last.safetensors") == before);
  EXPECT_EQ(Metrics(folder / "run/metrics.db").rows().size(), 20u);
}

TEST(Train, ResumingWithAnythingElseIsRefusedByName) {
  const test::TemporaryFolder folder;
  TrainOptions o = options(folder / "run");
  train(test::mooring(), o);
  o.existing = Existing::resume;
  const auto refusal = [&](const GameSpec& game, const TrainOptions& with) {
    return test::error_of([&] { train(game, with); }).problem();
  };
  GameSpec other = test::mooring();
  std::get<RayFan>(other.role("skiff").senses[0]).rays = 12;
  EXPECT_NE(refusal(other, o).find("roles[0].senses[0].rays: 12 here, 24 there"),
            std::string::npos);
  TrainOptions changed = o;
  changed.seed = 9;
  EXPECT_NE(refusal(test::mooring(), changed).find("seed: 9 here, 5 there"), std::string::npos);
  changed = o;
  changed.learner.set("lanes=16");
  EXPECT_NE(refusal(test::mooring(), changed).find("learner.lanes: 16 here, 32 there"),
            std::string::npos);
  changed = o;
  changed.steps = 30'000;  // longer is fine
  EXPECT_EQ(train(test::mooring(), changed).steps_done(), 30'720);
}

TEST(Train, WrongPlacesAreRefused) {
  const test::TemporaryFolder folder;
  std::filesystem::create_directory(folder / "letters");
  test::write_file(folder / "letters/dear.txt", "keep me");
  EXPECT_EQ(test::error_of([&] { train(test::mooring(), options(folder / "letters")); }).problem(),
            "the folder holds other files");
  test::write_file(folder / "file", "");
  EXPECT_EQ(test::error_of([&] { train(test::mooring(), options(folder / "file/run")); }).kind(),
            ErrorKind::file);
  TrainOptions o = options(folder / "none");
  o.existing = Existing::resume;
  EXPECT_EQ(test::error_of([&] { train(test::mooring(), o); }).problem(),
            "there is no run to resume");
  EXPECT_EQ(test::error_of([&] { zithercraft::Run::open(folder / "letters"); }).problem(),
            "the folder holds no run");
}

TEST(Train, ADamagedCheckpointOrConfigurationIsAnErrorAndIsKept) {
  const test::TemporaryFolder folder;
  TrainOptions o = options(folder / "run");
  train(test::mooring(), o);
  o.existing = Existing::resume;
  o.steps = 40'000;
  const auto checkpoint = folder / "run/checkpoints/last.safetensors";
  std::string bytes = test::read_file(checkpoint);
  bytes[bytes.size() / 2] = static_cast<char>(bytes[bytes.size() / 2] ^ 1);
  test::write_file(checkpoint, bytes);
  const Error error = test::error_of([&] { train(test::mooring(), o); });
  EXPECT_EQ(error.kind(), ErrorKind::file);
  EXPECT_NE(std::string(error.what())
                .find("last.safetensors: the file is damaged: its checksum does not match"),
            std::string::npos);
  EXPECT_TRUE(test::read_file(checkpoint) == bytes);
  test::write_file(folder / "run/run.toml", "steps = 'many'");
  EXPECT_EQ(test::error_of([&] { zithercraft::Run::open(folder / "run"); }).kind(),
            ErrorKind::spec);
}

TEST(Train, TwoTrainingsCannotShareAFolder) {
  const test::TemporaryFolder folder;
  TrainOptions o = options(folder / "run");
  ErrorKind fault{};
  o.on_progress = [&](const TrainingProgress& p) {
    if (p.steps > 2000) return;
    TrainOptions second = options(folder / "run");
    second.existing = Existing::fresh;
    fault = test::error_of([&] { train(test::mooring(), second); }).kind();
  };
  train(test::mooring(), o);
  EXPECT_EQ(fault, ErrorKind::refused);
  EXPECT_TRUE(zithercraft::Run::open(folder / "run").finished());
}

}  // namespace
}  // namespace zithercraft
