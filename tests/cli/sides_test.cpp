// Sides through the tool: players of a training's roles, and matches.

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

class Sides : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder = new test::TemporaryFolder;
    const auto made = train("barge", "tugs", {"--steps", "40000", "--checkpoint-every", "10000"});
    ASSERT_EQ(made.status, 0) << made.err;
  }
  static void TearDownTestSuite() { delete folder; }
  static std::string path(const std::string& name) { return (*folder / name).string(); }
  static test::ToolResult train(const std::string& game, const std::string& run,
                                std::vector<std::string> more) {
    std::vector<std::string> words{"train",     game,
                                   "--run",     path(run),
                                   "--quiet",   "--json",
                                   "--learner", "lanes=16",
                                   "--learner", "horizon=32",
                                   "--learner", "minibatch=512",
                                   "--learner", "policy_layers=[16]"};
    words.insert(words.end(), more.begin(), more.end());
    return test::run_tool(words);
  }
  static inline test::TemporaryFolder* folder = nullptr;
};

TEST_F(Sides, MeetInMatches) {
  const auto run =
      test::run_tool({"match", "script", "random", path("tugs"), "--episodes", "10", "--json",
                      "--replays", path("notable"), "--png", path("table.png")});
  ASSERT_EQ(run.status, 0) << run.err;
  const json j = json::parse(run.out);
  EXPECT_EQ(j["game"], "barge");  // that of the only player that has one
  EXPECT_EQ(j["sides"], json({"north", "east"}));
  ASSERT_EQ(j["pairings"].size(), 3u);
  EXPECT_EQ(j["pairings"][0]["a"], "script");
  EXPECT_GE(j["pairings"][0]["all"]["wins"], 16);
  EXPECT_EQ(j["players"][0]["rating"], 0.0);
  EXPECT_LT(j["players"][1]["rating"], -200.0);
  EXPECT_TRUE(std::filesystem::exists(path("table.png")));
  for (const auto& told : j["notable"])
    EXPECT_EQ(test::run_tool({"replay", told["replay"], "--check"}).status, 0);
  const auto said = test::run_tool(
      {"match", "script", "random", "--game", "barge", "--episodes", "5", "--by-return"});
  EXPECT_NE(said.out.find("script against random"), std::string::npos) << said.out;
  EXPECT_NE(said.out.find("the greater return wins"), std::string::npos);
}

TEST_F(Sides, OfAllCheckpointsOfARunMeetEachOther) {
  const auto run = test::run_tool({"match", "--all", path("tugs"), "--episodes", "2", "--json"});
  ASSERT_EQ(run.status, 0) << run.err;
  const json j = json::parse(run.out);
  EXPECT_GE(j["players"].size(), 4u);
  EXPECT_EQ(j["pairings"].size(), j["players"].size() * (j["players"].size() - 1) / 2);
}

TEST_F(Sides, TellHowTheyBehave) {
  const auto run = test::run_tool({"behaviour", "--all", path("tugs"), "--episodes", "2", "--quiet",
                                   "--png", path("course.png"), "--draw", "touch barge"});
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_NE(run.out.find("over all"), std::string::npos) << run.out;
  EXPECT_NE(run.out.find("touch barge"), std::string::npos);
  EXPECT_TRUE(std::filesystem::exists(path("course.png")));
  const auto others =
      test::run_tool({"behaviour", "script", "random", "--game", "lanternboat", "--seat",
                      "collector", "--episodes", "5", "--json", "--png", path("others.svg")});
  ASSERT_EQ(others.status, 0) << others.err;
  const json j = json::parse(others.out);
  EXPECT_EQ(j["seat"], "collector");
  EXPECT_EQ(j["players"][1]["name"], "random");
  EXPECT_TRUE(j["players"][1]["differences"].contains("speed, m/s"));
  EXPECT_GT(j["players"][1]["elsewhere"], 0.0);
  EXPECT_TRUE(std::filesystem::exists(path("others.svg")));
}

TEST_F(Sides, ErrorsSayWhatIsWrong) {
  const auto says = [](const test::ToolResult& run, int status, const std::string& text) {
    EXPECT_EQ(run.status, status) << run.err;
    EXPECT_NE(run.err.find(text), std::string::npos) << run.err;
    EXPECT_EQ(std::count(run.err.begin(), run.err.end(), '\n'), 1) << run.err;
  };
  says(test::run_tool({"match", "script", "--game", "barge"}), 2, "a match needs two players");
  says(test::run_tool({"behaviour", "--game", "barge"}), 2, "no player is named");
  says(test::run_tool({"behaviour", "script", "--game", "barge", "--others", "random"}), 2,
       "take a seat or a role");
  says(test::run_tool({"behaviour", "script", "--game", "barge", "--seat", "tug"}), 2,
       "no role 'tug'");
  says(test::run_tool({"behaviour", "script", "random", "--game", "barge", "--episodes", "1",
                       "--png", path("x.png"), "--draw", "tuch barge"}),
       2, "did you mean 'touch barge'");
  says(test::run_tool({"behaviour", "script", "random", "--game", "barge", "--episodes", "1",
                       "--png", path("x.png")}),
       2, "play more episodes");
  says(test::run_tool({"match", "script", "random"}), 2, "give --game GAME");
  says(test::run_tool({"match", "script", "nobody", "--game", "barge"}), 2,
       "no player is called 'nobody'");
  says(test::run_tool({"match", "script", "random", "--game", "mooring"}), 5, "0 opposed sides");
  says(test::run_tool({"match", path("tugs"), path("tugs") + ":at-1"}), 2,
       "has no checkpoint 'at-1'");
  says(test::run_tool({"match", path("tugs"), "random", "--game", "lanternboat"}), 5,
       "cannot be seated");
  says(train("lanternboat", "x", {"--role", "blocker"}), 2, "does not name a player for a role");
  says(train("lanternboat", "x", {"--role", "bloker=learns"}), 3, "did you mean 'blocker'");
  says(train("lanternboat", "x", {"--role", "collector=script", "--role", "blocker=random"}), 2,
       "nobody learns");
  says(train("lanternboat", "x", {"--role", "blocker=learns", "--learner", "blocker:epoch=2"}), 3,
       "did you mean 'epochs'");
}

TEST_F(Sides, LearnWithSettingsOfTheirOwnAndGoOn) {
  const std::vector<std::string> roles{"--role", "blocker=learns", "--learner",
                                       "blocker:policy_layers=[24]"};
  auto begun = roles, on = roles;
  begun.insert(begun.end(), {"--steps", "4000"});
  on.insert(on.end(), {"--steps", "8000", "--resume"});
  ASSERT_EQ(train("lanternboat", "both", begun).status, 0);
  const auto resumed = train("lanternboat", "both", on);
  ASSERT_EQ(resumed.status, 0) << resumed.err;
  EXPECT_GE(json::parse(resumed.out)["steps"], 8000);
  // Both can be met in matches, on the side that they learned.
  const auto met = test::run_tool({"match", path("both"), "script", "--episodes", "3", "--json"});
  ASSERT_EQ(met.status, 0) << met.err;
  EXPECT_EQ(json::parse(met.out)["pairings"][0]["a_second"]["wins"].get<double>() +
                json::parse(met.out)["pairings"][0]["a_second"]["losses"].get<double>() +
                json::parse(met.out)["pairings"][0]["a_second"]["draws"].get<double>(),
            3.0);
  // Left to play at random they do not learn: another run.
  auto frozen = roles;
  frozen[1] = "blocker=" + path("both");
  frozen.resize(2);
  frozen.insert(frozen.end(), {"--steps", "2000"});
  ASSERT_EQ(train("lanternboat", "against", frozen).status, 0);
}

}  // namespace
}  // namespace zithercraft
