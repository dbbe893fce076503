// Methods that learn values, through the tool.

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

class Values : public ::testing::Test {
 protected:
  std::string path(const std::string& name) const { return (folder_ / name).string(); }
  test::ToolResult train(const std::string& game, const std::string& method,
                         const std::vector<std::string>& learner,
                         const std::vector<std::string>& more = {}) const {
    std::vector<std::string> words{"train",      game,      "--method", method,    "--run",
                                   path(method), "--steps", "2000",     "--quiet", "--json"};
    for (const std::string& setting : learner) {
      words.push_back("--learner");
      words.push_back(setting);
    }
    words.insert(words.end(), more.begin(), more.end());
    return test::run_tool(words);
  }

 private:
  test::TemporaryFolder folder_;
};

TEST_F(Values, ATableIsTrainedReadAndWritten) {
  const auto trained = train("locks", "q_table", {"column_bins=['window=1', 'compass=3']"});
  ASSERT_EQ(trained.status, 0) << trained.err;
  EXPECT_NE(trained.err.find("at most 27 states of 5 numbers each"), std::string::npos)
      << trained.err;
  const auto shown = test::run_tool({"network", path("q_table"), "--table", path("table.csv")});
  ASSERT_EQ(shown.status, 0) << shown.err;
  EXPECT_NE(shown.out.find("narrowboat: a table of"), std::string::npos) << shown.out;
  EXPECT_NE(shown.out.find("compass.distance below 5.333 m"), std::string::npos) << shown.out;
  EXPECT_EQ(test::read_file(path("table.csv")).substr(0, 13), "compass.ahead");
  const json told = json::parse(test::run_tool({"network", path("q_table"), "--json"}).out);
  EXPECT_EQ(told["possible_states"], 27);
  EXPECT_EQ(told["combinations"][4], "back");
  const auto drawn = test::run_tool({"network", path("q_table"), "--graph", path("g.png")});
  EXPECT_EQ(drawn.status, 2);
  EXPECT_NE(drawn.err.find("the policy is a table"), std::string::npos) << drawn.err;
  EXPECT_EQ(test::run_tool({"evaluate", path("q_table"), "--episodes", "4", "--quiet"}).status, 0);
}

TEST_F(Values, WhatDoesNotFitIsRefusedBeforeAnythingIsWritten) {
  const auto table = train("locks", "q_table", {});
  EXPECT_NE(table.status, 0);
  EXPECT_NE(table.err.find("column_bins=[\"window=1\"]"), std::string::npos) << table.err;
  const auto dials = train("mooring", "dqn", {});
  EXPECT_NE(dials.status, 0);
  EXPECT_NE(dials.err.find("is a dial"), std::string::npos) << dials.err;
  const auto choices = train("locks", "td3", {});
  EXPECT_NE(choices.err.find("dqn"), std::string::npos) << choices.err;
  const auto bins = train("locks", "q_table", {"column_bins=['windoe=1']"});
  EXPECT_NE(bins.err.find("no column begins with 'windoe'"), std::string::npos) << bins.err;
  const auto share = train("mooring", "sac", {"target_rate=0"});
  EXPECT_NE(share.status, 0);
  EXPECT_NE(share.err.find("target_rate"), std::string::npos) << share.err;
}

TEST_F(Values, RunsOfSacAreEvaluatedRecordedAndContinued) {
  ASSERT_EQ(
      train("mooring", "sac", {"policy_layers=[16]", "value_layers=[16]", "updates_per_step=0.05"})
          .status,
      0);
  EXPECT_EQ(test::run_tool({"evaluate", path("sac"), "--episodes", "4", "--quiet"}).status, 0);
  EXPECT_EQ(
      test::run_tool({"record", path("sac"), "--out", path("sac.zrep"), "--episodes", "1"}).status,
      0);
  const auto network = test::run_tool({"network", path("sac")});
  EXPECT_EQ(network.status, 0) << network.err;
  EXPECT_NE(test::run_tool({"network", path("sac"), "--json"}).out.find(" spread"),
            std::string::npos);
  EXPECT_NE(test::run_tool({"network", path("sac"), "--table", path("t.csv")}).status, 0);
  const auto resumed = test::run_tool({"train", "mooring", "--run", path("sac"), "--resume",
                                       "--steps", "3000", "--quiet", "--json"});
  ASSERT_EQ(resumed.status, 0) << resumed.err;
  EXPECT_GE(json::parse(resumed.out)["steps"], 3000);
  EXPECT_EQ(test::run_tool({"train", "mooring", "--method", "sac", "--from", path("sac"), "--run",
                            path("more"), "--steps", "500", "--learner", "policy_layers=[16]",
                            "--learner", "value_layers=[16]", "--quiet"})
                .status,
            0);
}

}  // namespace
}  // namespace zithercraft
