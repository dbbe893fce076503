// The tool in several processes, as `mpirun` starts them.

#include <gtest/gtest.h>
#include <signal.h>

#include <chrono>
#include <thread>

#include "support.hpp"
#include "zithercraft/run/metrics.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {
namespace {

std::vector<std::string> mpirun(int processes, const std::vector<std::string>& arguments) {
  std::vector<std::string> all{ZITHERCRAFT_MPIRUN,        "--allow-run-as-root",
                               "--oversubscribe",         "-n",
                               std::to_string(processes), test::tool()};
  all.insert(all.end(), arguments.begin(), arguments.end());
  return all;
}

std::vector<std::string> train_into(const std::filesystem::path& folder, const char* steps,
                                    const char* lanes) {
  return {"train",   "mooring", "--run",     folder.string(), "--steps",   steps,
          "--lanes", lanes,     "--learner", "horizon=32",    "--threads", "1"};
}

TEST(TogetherByMpi, ProcessesTrainWhatOneTrains) {
  const test::TemporaryFolder folder;
  ASSERT_EQ(test::run_tool(train_into(folder / "alone", "20000", "128")).status, 0);
  for (const int processes : {2, 4}) {
    const auto run = folder / std::to_string(processes);
    const auto result = test::run_program(mpirun(processes, train_into(run, "20000", "128")));
    ASSERT_EQ(result.status, 0) << result.err;
    EXPECT_EQ(result.out.find("trained"), result.out.rfind("trained"))
        << "only the first reports: " << result.out;
    EXPECT_EQ(test::read_file(run / "checkpoints/last.safetensors"),
              test::read_file(folder / "alone/checkpoints/last.safetensors"));
    EXPECT_EQ(Metrics(run / "metrics.db").rows().size(),
              Metrics(folder / "alone/metrics.db").rows().size());
  }
}

TEST(TogetherByMpi, ProcessesEvolveWhatOneEvolves) {
  const test::TemporaryFolder folder;
  for (const char* method : {"genetic", "topology", "cma", "es"}) {
    const auto evolve_into = [&](const std::filesystem::path& run) {
      return std::vector<std::string>{
          "train",      "mooring",       "--method",  method,      "--run",
          run.string(), "--generations", "4",         "--learner", "population=20",
          "--learner",  "episodes=2",    "--threads", "1"};
    };
    const auto alone = folder / (std::string(method) + "-alone"), run = folder / method;
    ASSERT_EQ(test::run_tool(evolve_into(alone)).status, 0) << method;
    const auto result = test::run_program(mpirun(2, evolve_into(run)));
    ASSERT_EQ(result.status, 0) << result.err;
    EXPECT_EQ(test::read_file(run / "checkpoints/last.safetensors"),
              test::read_file(alone / "checkpoints/last.safetensors"))
        << method;
  }
}

TEST(TogetherByMpi, ARunIsStoppedAndResumedByAnyNumber) {
  const test::TemporaryFolder folder;
  const auto run = folder / "run";
  const int process = test::start_program(mpirun(2, train_into(run, "4000000", "64")));
  while (!std::filesystem::exists(run / "metrics.db") || Metrics(run / "metrics.db").rows().empty())
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
  ::kill(process, SIGTERM);
  test::wait_for(process);
  const std::int64_t made = zithercraft::Run::open(run).steps_done();
  EXPECT_GT(made, 0);
  EXPECT_LT(made, 4'000'000);
  const auto resume = [&](std::int64_t steps) {
    return std::vector<std::string>{
        "train", "mooring", "--run", run.string(), "--steps", std::to_string(steps), "--resume"};
  };
  ASSERT_EQ(test::run_tool(resume(made + 20'000)).status, 0);
  const auto result = test::run_program(mpirun(2, resume(made + 40'000)));
  ASSERT_EQ(result.status, 0) << result.err;
  EXPECT_GE(zithercraft::Run::open(run).steps_done(), made + 40'000);
}

TEST(TogetherByMpi, WhatCannotBeIsSaidOnce) {
  const test::TemporaryFolder folder;
  const auto refused = [&](int processes, const std::vector<std::string>& arguments,
                           const std::string& problem) {
    const auto result = test::run_program(mpirun(processes, arguments));
    EXPECT_EQ(result.status, 5) << result.err;
    const auto first = result.err.find(problem);
    EXPECT_NE(first, std::string::npos) << result.err;
    EXPECT_EQ(first, result.err.rfind(problem)) << result.err;
    EXPECT_FALSE(std::filesystem::exists(folder / "run/metrics.db"));
  };
  refused(3, train_into(folder / "run", "1000", "96"), "3 processes cannot train together");
  refused(2, train_into(folder / "run", "1000", "96"), "3 groups of lanes");
}

TEST(TogetherByMpi, RunsAreHandedOutToAnyNumber) {
  const test::TemporaryFolder folder;
  const auto ablate = [&](const char* out) {
    return std::vector<std::string>{"ablate",     "mooring",
                                    "--only",     "terms",
                                    "--seeds",    "1",
                                    "--steps",    "4000",
                                    "--episodes", "20",
                                    "--learner",  "lanes=32",
                                    "--learner",  "horizon=32",
                                    "--learner",  "minibatch=512",
                                    "--out",      (folder / out).string(),
                                    "--quiet"};
  };
  const auto alone = test::run_tool(ablate("alone"));
  ASSERT_EQ(alone.status, 0) << alone.err;
  const auto together = test::run_program(mpirun(3, ablate("together")));
  ASSERT_EQ(together.status, 0) << together.err;
  const auto table = [](const std::string& out) { return out.substr(0, out.find("report: ")); };
  EXPECT_EQ(table(together.out), table(alone.out));
  EXPECT_NE(alone.out.find("without term.bump"), std::string::npos);
}

}  // namespace
}  // namespace zithercraft
