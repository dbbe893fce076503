// The doctor and the senses sheet as a person or a script would use them.

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;
using test::run_tool;

TEST(ToolDoctor, TellsTheSeverityByItsExitStatus) {
  const test::TemporaryFolder folder;
  const auto good = run_tool({"doctor", "mooring", "--steps", "4000"});
  EXPECT_EQ(good.status, 0) << good.out;
  EXPECT_NE(good.out.find("nothing found"), std::string::npos);
  test::write_file(folder / "swamped.toml",
                   test::mooring_with("weight = -0.005", "weight = -1000.0"));
  EXPECT_EQ(run_tool({"doctor", (folder / "swamped.toml").string(), "--steps", "4000"}).status, 8);
  test::write_file(folder / "dead.toml", test::mooring_with("rudder_flow = 0.6, rudder_wash = 0.8",
                                                            "rudder_flow = 0, rudder_wash = 0"));
  const auto error = run_tool({"doctor", (folder / "dead.toml").string(), "--steps", "4000"});
  EXPECT_EQ(error.status, 9);
  for (const char* part : {"error    role 'skiff', control 'rudder': has no effect on the arena",
                           "dead control: tried from", "fix: check which input it drives"})
    EXPECT_NE(error.out.find(part), std::string::npos) << error.out;
  const json j = json::parse(
      run_tool({"doctor", (folder / "dead.toml").string(), "--steps", "4000", "--json"}).out);
  EXPECT_EQ(j["worst"], "error");
  EXPECT_EQ(j["findings"][0]["check"], "dead control");
  EXPECT_EQ(j["players"], (json{"random", "idle", "to and fro", "script"}));
}

TEST(ToolDoctor, SaysWhetherAMethodFitsTheControls) {
  const auto looked = [](const char* method) {
    return run_tool({"doctor", "mooring", "--steps", "1000", "--method", method, "--json"});
  };
  for (const char* method : {"ppo", "sac", "cma", "clone"})
    EXPECT_EQ(json::parse(looked(method).out)["worst"], "nothing found") << method;
  const json j = json::parse(looked("dqn").out);
  EXPECT_EQ(j["worst"], "error");
  EXPECT_EQ(j["findings"][0]["check"], "method");
  EXPECT_NE(j["findings"][0]["what"].get<std::string>().find("'throttle' is a dial"),
            std::string::npos);
  EXPECT_NE(j["findings"][0]["fix"].get<std::string>().find("sac"), std::string::npos);
  const auto unknown = looked("dqnn");
  EXPECT_NE(unknown.err.find("did you mean 'dqn'"), std::string::npos) << unknown.err;
}

TEST(ToolDoctor, LooksAtARunOfThatGame) {
  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string();
  ASSERT_EQ(
      run_tool({"train", "mooring", "--run", run, "--steps", "40000", "--lanes", "16"}).status, 0);
  const auto looked = run_tool({"doctor", "mooring", "--run", run, "--steps", "4000", "--json",
                                "--strange", (folder / "strange").string()});
  const json j = json::parse(looked.out);
  EXPECT_EQ(j["run"], run);
  EXPECT_EQ(j["players"].back(), "trained");
  ASSERT_FALSE(j["strange"].empty());
  EXPECT_EQ(run_tool({"replay", j["strange"][0]["replay"], "--check"}).status, 0);
  const auto other = run_tool({"doctor", "tidepools", "--run", run});
  EXPECT_EQ(other.status, 5);
  EXPECT_NE(other.err.find("the run is of another game"), std::string::npos);
}

TEST(ToolShow, TellsWhatSensesRead) {
  const test::TemporaryFolder folder;
  const std::string png = (folder / "senses.png").string();
  const auto text = run_tool({"show", "mooring", "--senses", "--png", png});
  EXPECT_EQ(text.status, 0);
  EXPECT_NE(text.out.find("role skiff: 102 columns over random play"), std::string::npos);
  EXPECT_NE(text.out.find("rays[0..23].quay"), std::string::npos);
  EXPECT_EQ(test::read_file(png).substr(1, 3), "PNG");
  const json j = json::parse(run_tool({"show", "fogbank", "--senses", "--json"}).out);
  const auto& columns = j["roles"][0]["columns"];
  ASSERT_EQ(columns.size(), 2u * 21 * 21 + 4 + 4 + 1);
  for (const auto& column : columns) {
    EXPECT_LE(column["low"], column["read"]["low"]) << column["name"];
    EXPECT_GE(column["high"], column["read"]["high"]) << column["name"];
    EXPECT_LE(column["read"]["low"], column["read"]["mean"]);
  }
}

}  // namespace
}  // namespace zithercraft
