// Killing a training at any moment loses at most the time since the last checkpoint; asking it to
// stop loses nothing.

#include <gtest/gtest.h>
#include <signal.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <thread>

#include "support.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/run/metrics.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {
namespace {

const PolicyGradientSettings small{
    .policy_layers = {16}, .value_layers = {16}, .lanes = 32, .horizon = 32, .minibatch = 512};
constexpr std::int64_t every = 5000, rollout = 32 * 32;

// Mooring through two easier stages, which are left while the training is killed again and again.
GameSpec staged_mooring() {
  GameSpec game = test::mooring();
  game.stages = {{.name = "open water",
                  .set = {{"arena.bodies.hull.count", 2}},
                  .advance = {.steps = 150'000}},
                 {.name = "five hulls",
                  .set = {{"arena.bodies.hull.count", 5}},
                  .advance = {.metric = "length", .at_least = 1, .over = 50, .steps = 200'000},
                  .earlier = 0.3}};
  return game;
}

// Prepares a run with settings that the tool does not offer; resuming takes them from the run.
void prepare(const std::filesystem::path& folder, std::int64_t steps) {
  const std::atomic<bool> stop{true};
  train(staged_mooring(), {.folder = folder,
                           .steps = steps,
                           .checkpoint_every = every,
                           .learner = small,
                           .stop = &stop});
}

std::int64_t last_seen(const std::filesystem::path& folder) {
  if (!std::filesystem::exists(folder / "metrics.db")) return 0;  // killed before it began
  const auto rows = Metrics(folder / "metrics.db").rows();
  return rows.empty() ? 0 : rows.back().steps;
}

// How long a process takes here from its start until it has trained so far; it is killed then.
std::chrono::duration<double> time_to_train(const std::vector<std::string>& words,
                                            const std::filesystem::path& folder,
                                            std::int64_t steps) {
  const auto begin = std::chrono::steady_clock::now();
  const int process = test::start_tool(words);
  constexpr std::chrono::minutes at_most{2};
  std::chrono::duration<double> passed{};
  while (last_seen(folder) < steps && passed < at_most) {
    std::this_thread::sleep_for(std::chrono::milliseconds(5));
    passed = std::chrono::steady_clock::now() - begin;
  }
  EXPECT_LT(passed, at_most) << "it does not train";
  ::kill(process, SIGKILL);
  test::wait_for(process);
  return passed;
}

TEST(Killed, TwentyTimesARunResumesAndEndsLikeAnUninterruptedOne) {
  const test::TemporaryFolder folder;
  const std::int64_t total = 1'000'000;
  prepare(folder / "killed", total);
  const std::string game = (folder / "staged.toml").string();
  test::write_file(game, to_toml(staged_mooring()));
  const std::vector<std::string> resume{"train", game, "--run", (folder / "killed").string(),
                                        "--resume"};
  RandomStream random(1, 0, 0, Purpose::user);
  int killed = 0;
  std::int64_t before = 0;
  const auto usual = time_to_train(resume, folder / "killed", every + rollout);
  for (int time = 0; time < 20; ++time) {
    const int process = test::start_tool(resume);
    std::this_thread::sleep_for(usual * (0.2 + 1.3 * static_cast<double>(random.uniform())));
    ::kill(process, SIGKILL);
    if (test::wait_for(process) != 128 + SIGKILL) continue;  // it was quicker
    ++killed;
    const zithercraft::Run run = zithercraft::Run::open(folder / "killed");
    const std::int64_t done = run.steps_done();  // the checkpoint can be read, whatever the moment
    EXPECT_GE(done, last_seen(folder / "killed") - every - rollout) << "kill " << time;
    EXPECT_GE(done, before) << "kill " << time << " lost an older checkpoint";
    before = done;
  }
  EXPECT_GE(killed, 15);
  EXPECT_GT(before, every) << "the kills left no room to train";
  ASSERT_EQ(test::run_tool({"train", game, "--run", (folder / "killed").string(), "--resume",
                            "--threads", "1"})
                .status,
            0);
  prepare(folder / "whole", total);
  ASSERT_EQ(test::run_tool(
                {"train", game, "--run", (folder / "whole").string(), "--resume", "--threads", "2"})
                .status,
            0);
  EXPECT_TRUE(test::read_file(folder / "killed/checkpoints/last.safetensors") ==
              test::read_file(folder / "whole/checkpoints/last.safetensors"));
  std::size_t stages = 0;
  for (const MetricsRow& row : Metrics(folder / "killed/metrics.db").rows())
    stages = std::max(stages, row.stage + 1);
  EXPECT_EQ(stages, 3u);
}

// Opposed sides, their roster included.
TEST(Killed, TenTimesSidesResumeAndEndLikeUninterruptedOnes) {
  const test::TemporaryFolder folder;
  const auto go = [&](const char* name, bool resume, const char* threads) {
    std::vector<std::string> words{"train",     "barge", "--run",  (folder / name).string(),
                                   "--threads", threads, "--quiet"};
    if (resume) {
      words.push_back("--resume");
    } else {
      for (const char* setting : {"lanes=32", "horizon=32", "minibatch=1024", "policy_layers=[16]",
                                  "snapshot_every=9000", "roster_size=5", "against_past=0.3"})
        words.insert(words.end(), {"--learner", setting});
      words.insert(words.end(), {"--steps", "300000", "--checkpoint-every", "5000"});
    }
    return words;
  };
  RandomStream random(2, 0, 0, Purpose::user);
  int killed = 0;
  for (int time = 0; time < 10; ++time) {
    const int process = test::start_tool(go("killed", holds_run(folder / "killed"), "2"));
    std::this_thread::sleep_for(std::chrono::milliseconds(100 + random.below(300)));
    ::kill(process, SIGKILL);
    if (test::wait_for(process) != 128 + SIGKILL) continue;  // it was quicker
    if (!holds_run(folder / "killed")) continue;             // killed before it began
    ++killed;
    const auto rows = Metrics(folder / "killed/metrics.db").rows();
    if (rows.empty()) continue;                      // killed before its first update
    const std::int64_t update = rows.front().steps;  // several boats play in a lane
    EXPECT_GE(zithercraft::Run::open(folder / "killed").steps_done(),
              rows.back().steps - every - update);
  }
  EXPECT_GE(killed, 7);
  ASSERT_EQ(test::run_tool(go("killed", true, "1")).status, 0);
  ASSERT_EQ(test::run_tool(go("whole", false, "2")).status, 0);
  EXPECT_TRUE(test::read_file(folder / "killed/checkpoints/last.safetensors") ==
              test::read_file(folder / "whole/checkpoints/last.safetensors"));
  EXPECT_EQ(Metrics(folder / "killed/metrics.db").newest()->of_learner("past_policies"), 5.0);
}

TEST(Stopped, BySignalItSavesAndEndsWithStatus7) {
  for (const int signal : {SIGINT, SIGTERM}) {
    const test::TemporaryFolder folder;
    const int process =
        test::start_tool({"train", "mooring", "--run", (folder / "run").string(), "--lanes", "16"});
    for (int waited = 0;
         waited < 200 && (!holds_run(folder / "run") || last_seen(folder / "run") == 0); ++waited)
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
    ::kill(process, signal);
    EXPECT_EQ(test::wait_for(process), 7);
    const zithercraft::Run run = zithercraft::Run::open(folder / "run");
    EXPECT_GT(run.steps_done(), 0);
    EXPECT_EQ(run.steps_done(), last_seen(folder / "run"));  // nothing was lost
    EXPECT_FALSE(run.finished());
  }
}

}  // namespace
}  // namespace zithercraft
