// A method of learning that another program adds: everything that reads the registry knows it.

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

// The tool with the method "idle", whose learner does nothing.
test::ToolResult run(std::vector<std::string> words) {
  words.insert(words.begin(), ZITHERCRAFT_IDLE);
  return test::run_program(words);
}

class Methods : public ::testing::Test {
 protected:
  test::ToolResult train(const std::string& name, std::vector<std::string> more = {}) const {
    std::vector<std::string> words{"train",    "mooring", "--method", "idle",    "--run",
                                   path(name), "--steps", "20000",    "--quiet", "--json"};
    words.insert(words.end(), more.begin(), more.end());
    return run(words);
  }
  std::string path(const std::string& name) const { return (folder_ / name).string(); }

 private:
  test::TemporaryFolder folder_;
};

TEST_F(Methods, OfOnesOwnAreTrainedBy) {
  EXPECT_NE(run({"train", "--help"}).out.find("idle: does nothing"), std::string::npos);
  const auto trained = train("run", {"--learner", "lanes=8"});
  ASSERT_EQ(trained.status, 0) << trained.err;
  const json told = json::parse(trained.out);
  EXPECT_EQ(told["method"], "idle");
  EXPECT_EQ(told["finished"], true);
  EXPECT_EQ(told["steps"], 20032) << "rounds of 8 steps in 8 lanes";
  const std::string configuration = test::read_file(path("run") + "/run.toml");
  EXPECT_NE(configuration.find("dream = 'of herring'"), std::string::npos) << configuration;
  EXPECT_NE(configuration.find("lanes = 8"), std::string::npos) << configuration;

  ASSERT_EQ(run({"report", path("run"), "--csv", path("curves.csv"), "--html", path("r.html"),
                 "--episodes", "5", "--quiet"})
                .status,
            0);
  EXPECT_NE(test::read_file(path("curves.csv")).find(",busy_share,laziness,term."),
            std::string::npos);
  EXPECT_NE(test::read_file(path("r.html")).find("Laziness, from 1 down"), std::string::npos);
  EXPECT_EQ(run({"evaluate", path("run"), "--episodes", "5", "--quiet"}).status, 0);
  EXPECT_NE(run({"doctor", "mooring", "--run", path("run"), "--quiet"}).status, 2);
}

TEST_F(Methods, OfOnesOwnAreComparedWithOthers) {
  for (const std::string seed : {"1", "2"}) {
    ASSERT_EQ(train("idle-" + seed, {"--seed", seed}).status, 0);
    ASSERT_EQ(run({"train", "mooring", "--run", path("ppo-" + seed), "--steps", "4096", "--learner",
                   "lanes=16", "--learner", "horizon=32", "--seed", seed, "--quiet"})
                  .status,
              0);
  }
  const auto compared =
      run({"compare", path("idle-1"), path("ppo-1"), "--episodes", "20", "--quiet"});
  EXPECT_EQ(compared.status, 0) << compared.err;
  EXPECT_NE(compared.out.find("idle"), std::string::npos) << compared.out;
}

TEST_F(Methods, OfOnesOwnHaveSettingsThatAreChecked) {
  EXPECT_NE(train("a", {"--learner", "lane=3"}).err.find("did you mean 'lanes'"),
            std::string::npos);
  EXPECT_NE(train("b", {"--learner", "lanes=many"}).err.find("another type"), std::string::npos);
  EXPECT_NE(train("c", {"--generations", "3"}).status, 0);
  EXPECT_NE(train("d", {"--freeze", "policy"}).err.find("--freeze"), std::string::npos);
}

TEST_F(Methods, ThatAProgramDoesNotHaveAreNamedInTheError) {
  ASSERT_EQ(train("run").status, 0);
  const auto refused = test::run_tool({"report", path("run"), "--csv", "-"});
  EXPECT_EQ(refused.status, 2);
  EXPECT_NE(refused.err.find("no method is called 'idle'"), std::string::npos) << refused.err;
}

}  // namespace
}  // namespace zithercraft
