// The example with a game of its own: at home in every command of the tool.

#include <gtest/gtest.h>
#include <signal.h>

#include <chrono>
#include <nlohmann/json.hpp>
#include <thread>

#include "support.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

test::ToolResult run(std::vector<std::string> words) {
  words.insert(words.begin(), ZITHERCRAFT_OWN_GAME);
  return test::run_program(words);
}

class OwnGame : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new test::TemporaryFolder;
    ASSERT_EQ(
        run({"train", "fish_market", "--run", path("run"), "--steps", "200000", "--quiet"}).status,
        0);
    ASSERT_EQ(run({"record", path("run"), "--out", path("market.zrep"), "--episodes", "2"}).status,
              0);
  }
  static void TearDownTestSuite() { delete folder_; }
  static std::string path(const std::string& name) { return (*folder_ / name).string(); }

  static test::TemporaryFolder* folder_;
};
test::TemporaryFolder* OwnGame::folder_ = nullptr;

TEST_F(OwnGame, IsListedAndShown) {
  EXPECT_EQ(run({"games"}).out.find("fish_market"), 0u);
  const auto shown = run({"show", "fish_market", "--png", path("start.png")});
  EXPECT_EQ(shown.status, 0) << shown.err;
  EXPECT_NE(shown.out.find("aim=30"), std::string::npos);
  EXPECT_NE(shown.out.find("may.move.load"), std::string::npos);
  EXPECT_EQ(json::parse(run({"show", "fish_market", "--json"}).out)["custom"]["settings"]["aim"],
            30);
  EXPECT_GT(test::read_file(path("start.png")).size(), 5000u);
}

TEST_F(OwnGame, LearnsToSellAll) {
  const auto evaluated = run({"evaluate", path("run"), "--episodes", "200", "--json", "--quiet"});
  ASSERT_EQ(evaluated.status, 0) << evaluated.err;
  const json players = json::parse(evaluated.out)["players"];
  EXPECT_GT(players[0]["success"]["low"], 0.9);
  EXPECT_LT(players[1]["success"]["high"], 0.1) << players[1]["name"];
  const auto harder = run({"evaluate", path("run"), "--episodes", "100", "--vary",
                           "custom.settings.rush=0.02,0.12", "--json", "--quiet"});
  ASSERT_EQ(harder.status, 0) << harder.err;
}

TEST_F(OwnGame, IsTrainedByEveryMethod) {
  for (const std::string method : {"ppo", "es", "genetic", "topology"}) {
    const auto trained = run({"train", "fish_market", "--run", path(method), "--method", method,
                              "--steps", "30000", "--quiet", "--json"});
    EXPECT_EQ(trained.status, 0) << trained.err;
    EXPECT_EQ(run({"evaluate", path(method), "--episodes", "10", "--quiet"}).status, 0) << method;
  }
}

TEST_F(OwnGame, ResumesToTheSameBytes) {
  const std::vector<std::string> same{"--steps", "60000", "--quiet", "--checkpoint-every", "10000"};
  std::vector<std::string> whole{"train", "fish_market", "--run", path("whole"), "--threads", "1"};
  whole.insert(whole.end(), same.begin(), same.end());
  ASSERT_EQ(run(whole).status, 0);
  whole[3] = path("halved");
  whole[5] = "2";
  const int process = test::start_program([&] {
    std::vector<std::string> words{ZITHERCRAFT_OWN_GAME};
    words.insert(words.end(), whole.begin(), whole.end());
    return words;
  }());
  const std::string checkpoint = path("halved") + "/checkpoints/last.safetensors";
  for (int look = 0; look < 30'000 && !std::filesystem::exists(checkpoint); ++look)
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
  EXPECT_TRUE(std::filesystem::exists(checkpoint)) << "it does not train";
  ::kill(process, SIGKILL);
  test::wait_for(process);
  ASSERT_EQ(run({"train", "fish_market", "--run", path("halved"), "--resume", "--quiet"}).status,
            0);
  EXPECT_TRUE(test::read_file(path("whole") + "/checkpoints/last.safetensors") ==
              test::read_file(path("halved") + "/checkpoints/last.safetensors"));
}

TEST_F(OwnGame, IsRecordedCheckedAndConverted) {
  const auto checked = run({"replay", path("market.zrep"), "--check"});
  EXPECT_EQ(checked.status, 0) << checked.err;
  EXPECT_NE(checked.out.find("every bit the same"), std::string::npos);
  EXPECT_EQ(run({"replay", path("market.zrep"), "--csv", path("csv"), "--png", path("moment.png"),
                 "--sheet", path("sheet.png"), "--html", path("market.html")})
                .status,
            0);
  const std::string events = test::read_file(path("csv/events.csv"));
  EXPECT_NE(events.find(",sold,0,carter,"), std::string::npos);
  EXPECT_NE(events.find(",lost,0,carter,"), std::string::npos);
  EXPECT_EQ(test::read_file(path("csv/states.csv")).find('\n') + 1,
            test::read_file(path("csv/states.csv")).size())
      << "it has no bodies";
}

TEST_F(OwnGame, IsExaminedAndItsBehaviourCounted) {
  const auto found = run({"doctor", "fish_market", "--quiet"});
  EXPECT_EQ(found.out.find("error "), std::string::npos) << found.out;
  const auto behaviour = run({"behaviour", path("run"), "--episodes", "20", "--quiet"});
  EXPECT_EQ(behaviour.status, 0) << behaviour.err;
  EXPECT_NE(behaviour.out.find("\nsold "), std::string::npos) << behaviour.out;
  EXPECT_EQ(behaviour.out.find("speed"), std::string::npos) << behaviour.out;
}

// The tool alone shows what is in the files, and says why it cannot play.
TEST_F(OwnGame, TheToolWithoutItsCodeSaysSo) {
  EXPECT_EQ(test::run_tool({"replay", path("market.zrep"), "--html", path("tool.html")}).status, 0);
  for (const auto& words :
       {std::vector<std::string>{"replay", path("market.zrep"), "--check"},
        {"evaluate", path("run"), "--quiet"},
        {"train", "fish_market", "--run", path("run"), "--resume", "--quiet"}}) {
    const auto refused = test::run_tool(words);
    EXPECT_NE(refused.status, 0);
    EXPECT_NE(refused.err.find(words[0] == "train" ? "there is no game 'fish_market'" : "program"),
              std::string::npos)
        << refused.err;
  }
}

}  // namespace
}  // namespace zithercraft
