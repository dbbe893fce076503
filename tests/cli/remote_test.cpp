// Games in other processes, from the command line: the kits' examples, and games that end.

#include <gtest/gtest.h>
#include <signal.h>

#include <chrono>
#include <nlohmann/json.hpp>
#include <thread>

#include "browser.hpp"
#include "support.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;
using test::run_tool;

std::string kit(const std::string& file) {
  return (test::project_folder() / "clients" / file).string();
}
const std::string cockles = "python3 " + kit("python/cockles.py") + " {address}";
const std::string crane = "node " + kit("javascript/crane.js") + " {address}";
const std::string flight = ZITHERCRAFT_FLIGHT " {address} 8";

json success_of(const std::string& run, const std::string& launch, const char* episodes = "200") {
  const auto scored =
      run_tool({"evaluate", run, "--episodes", episodes, "--launch", launch, "--json", "--quiet"});
  EXPECT_EQ(scored.status, 0) << scored.err;
  return json::parse(scored.out)["players"];
}

TEST(RemoteTool, AGameInPythonIsTrainedScoredRecordedAndPlayedAgain) {
  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string(), replay = (folder / "a.zrep").string();
  const auto trained = run_tool({"train", "remote", "--run", run, "--steps", "60000", "--launch",
                                 cockles, "--instances", "2", "--quiet"});
  ASSERT_EQ(trained.status, 0) << trained.err;
  EXPECT_NE(trained.err.find("joined (cockles.py): 16 copies"), std::string::npos);
  // Once more, to the same bits, however fast the games were.
  const std::string again = (folder / "again").string();
  ASSERT_EQ(run_tool({"train", "remote", "--run", again, "--steps", "60000", "--launch", cockles,
                      "--instances", "2", "--quiet"})
                .status,
            0);
  EXPECT_TRUE(test::read_file(run + "/checkpoints/last.safetensors") ==
              test::read_file(again + "/checkpoints/last.safetensors"));
  const json players = success_of(run, cockles);
  EXPECT_GT(players[0]["success"]["mean"].get<double>(), 0.8);
  EXPECT_LT(players[1]["success"]["mean"].get<double>(), 0.2);
  ASSERT_EQ(
      run_tool({"record", run, "--out", replay, "--episodes", "2", "--launch", cockles}).status, 0);
  EXPECT_EQ(run_tool({"replay", replay, "--png", (folder / "a.png").string()}).status, 0);
  const auto checked = run_tool({"replay", replay, "--check", "--launch", cockles});
  EXPECT_EQ(checked.status, 0) << checked.err;
  EXPECT_NE(checked.out.find("every bit the same"), std::string::npos) << checked.out;
  const auto alone = run_tool({"evaluate", run});
  EXPECT_EQ(alone.status, 3);
  EXPECT_NE(alone.err.find("let games join that play it (--launch, --join-at)"), std::string::npos)
      << alone.err;
}

TEST(RemoteTool, WhoPlaysIsKeptInTheRunAndShownByWatch) {
  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string();
  ASSERT_EQ(run_tool({"train", "remote", "--run", run, "--steps", "10000", "--launch", cockles,
                      "--instances", "2", "--quiet"})
                .status,
            0);
  const json kept = json::parse(test::read_file(run + "/games.json"));
  ASSERT_EQ(kept["games"].size(), 2u);
  EXPECT_EQ(kept["games"][0]["program"], "cockles.py");
  EXPECT_EQ(kept["games"][0]["copies"], 16);
  EXPECT_GT(kept["games"][0]["steps"], 0);
  EXPECT_EQ(kept["dropped"], 0);
  // Without the game's program too: its curves are there, and nobody plays.
  const int watching = test::start_tool({"watch", run}, folder / "out", folder / "err");
  std::string told;
  for (int i = 0; i < 200 && told.find(" in a browser") == std::string::npos; ++i) {
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
    told = test::read_file(folder / "err");
  }
  const auto colon = told.find("127.0.0.1:");
  ASSERT_NE(colon, std::string::npos) << told;
  const auto port = static_cast<std::uint16_t>(std::stoi(told.substr(colon + 10)));
  const json news = json::parse(test::http(port, "GET", "/data/curves.json").body);
  EXPECT_EQ(news["games"], kept);
  EXPECT_GT(news["rows"].size(), 1u);
  EXPECT_TRUE(news["checkpoints"].empty());
  test::Browser browser;
  browser.open("http://127.0.0.1:" + std::to_string(port) + "/");
  EXPECT_TRUE(
      browser.wait_for("document.querySelector('table.games').textContent.includes('cockles.py')"));
  EXPECT_EQ(browser.errors(), "");
  ::kill(watching, SIGTERM);
  test::wait_for(watching);
}

TEST(RemoteTool, AGameInCppIsSeenAsAPictureAndPlayedByItsOwnExpert) {
  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string();
  ASSERT_EQ(
      run_tool({"train", "remote", "--run", run, "--steps", "2000", "--launch", flight, "--quiet"})
          .status,
      0);
  const json players = success_of(run, flight, "50");
  ASSERT_EQ(players.size(), 3u);
  EXPECT_EQ(players[2]["name"], "expert");
  EXPECT_EQ(players[2]["success"]["mean"], 1.0);
  const auto shown = run_tool({"show", "remote", "--launch", flight});
  EXPECT_NE(shown.out.find("screen"), std::string::npos) << shown.out;
}

TEST(RemoteTool, AGameInJavaScriptIsTrained) {
  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string();
  const auto trained = run_tool(
      {"train", "remote", "--run", run, "--steps", "120000", "--launch", crane, "--quiet"});
  ASSERT_EQ(trained.status, 0) << trained.err;
  EXPECT_GT(success_of(run, crane)[0]["success"]["mean"].get<double>(), 0.8);
}

TEST(RemoteTool, APageIsServedAndTrainsInARealBrowser) {
  const test::TemporaryFolder folder;
  const int training =
      test::start_tool({"train", "remote", "--run", (folder / "run").string(), "--steps", "20000",
                        "--page", kit("javascript/crane.html"), "--quiet"},
                       folder / "out", folder / "err");
  std::string told;
  for (int i = 0; i < 200 && told.find(" in a browser") == std::string::npos; ++i) {
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
    told = test::read_file(folder / "err");
  }
  const auto at = told.find("http://");
  ASSERT_NE(at, std::string::npos) << told;
  const std::string url = told.substr(at, told.find(' ', at) - at);
  const auto port = static_cast<std::uint16_t>(std::stoi(url.substr(url.rfind(':') + 1)));
  for (const char* path :
       {"/../packages.txt", "/%2e%2e/packages.txt", "/.git", "/crane.py", "/javascript/crane.js"})
    EXPECT_EQ(test::http(port, "GET", path).status, 404) << path;
  EXPECT_EQ(test::http(port, "GET", "/crane.js").status, 200);
  test::Browser browser;
  browser.open(url + "#join");
  EXPECT_TRUE(
      browser.wait_for("document.getElementById('told').textContent === "
                       "'The training is over.'",
                       60.0))
      << browser.run("return document.getElementById('told').textContent");
  EXPECT_EQ(test::wait_for(training), 0) << test::read_file(folder / "err");
}

TEST(RemoteTool, GamesThatEndAgainAndAgainAreStartedAgain) {
  const test::TemporaryFolder folder;
  const auto trained =
      run_tool({"train", "remote", "--run", (folder / "run").string(), "--steps", "30000",
                "--launch", "timeout 1.5 " + cockles, "--instances", "2", "--quiet"});
  EXPECT_EQ(trained.status, 0) << trained.err;
  EXPECT_NE(trained.err.find("is gone: it left"), std::string::npos) << trained.err;
  EXPECT_NE(trained.err.find("game 3 joined"), std::string::npos) << trained.err;
}

TEST(RemoteTool, AKilledTrainingLeavesNoGamesBehind) {
  const test::TemporaryFolder folder;
  const std::string mark = (folder / "mark").string();
  const int training = test::start_tool({"train", "remote", "--run", (folder / "run").string(),
                                         "--launch", cockles + " # " + mark, "--quiet"});
  const auto alive = [&] {
    return test::run_program({"pgrep", "-f", "cockles.py ws.*" + mark}).status == 0 ||
           !test::run_program({"pgrep", "-f", mark}).out.empty();
  };
  for (int i = 0; i < 200 && !std::filesystem::exists(folder / "run"); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
  std::this_thread::sleep_for(std::chrono::milliseconds(500));
  EXPECT_TRUE(alive());
  ::kill(training, SIGKILL);
  test::wait_for(training);
  for (int i = 0; i < 200 && alive(); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
  EXPECT_FALSE(alive());
}

TEST(RemoteTool, WhatCannotBeDoneIsSaid) {
  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string();
  const struct {
    std::vector<std::string> words;
    int status;
    const char* why;
  } cases[] = {
      {{"train", "remote", "--run", run}, 2, "no game joins; start games with --launch"},
      {{"train", "mooring", "--run", run, "--instances", "2"}, 2, "it needs --launch, --join-at"},
      {{"train", "remote", "--run", run, "--join-at", "70000"}, 2, "'70000' is no place to listen"},
      {{"train", "remote", "--run", run, "--join-at", "0.0.0.0:0"}, 2, "give a token"},
      {{"train", "remote", "--run", run, "--page", "nowhere.html"}, 4, "there is no such page"},
      {{"train", "remote", "--run", run, "--launch", cockles, "--set", "roles.cockler.seats=2"},
       5,
       "role 0 is cockler (seats: 2) here and cockler (seats: 1) there"},
  };
  for (const auto& c : cases) {
    const auto result = run_tool(c.words);
    EXPECT_EQ(result.status, c.status) << result.err;
    EXPECT_NE(result.err.find(c.why), std::string::npos) << result.err;
    EXPECT_FALSE(std::filesystem::exists(run + "/checkpoints/last.safetensors"));
  }
}

}  // namespace
}  // namespace zithercraft
