// Driving, watching and replaying without a browser: what goes over the wire.

#include "zithercraft/show/drive.hpp"

#include <gtest/gtest.h>

#include <atomic>
#include <iterator>
#include <regex>

#include "browser.hpp"
#include "support.hpp"
#include "wire.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;
using test::eventually;
using test::http;
using test::Wire;

// Something that serves on a thread of its own.
class Background {
 public:
  explicit Background(const std::function<void(const ServeOptions&)>& serve)
      : thread_([this, serve] {
          serve({.stop = &stop_, .on_ready = [this](const std::string& url) {
                   std::smatch found;
                   std::regex_search(url, found, std::regex(":([0-9]+)/"));
                   port = static_cast<std::uint16_t>(std::stoi(found[1]));
                 }});
        }) {
    EXPECT_TRUE(eventually([&] { return port != 0; }));
  }
  ~Background() { end(); }
  void end() {
    stop_ = true;
    if (thread_.joinable()) thread_.join();
  }
  std::atomic<std::uint16_t> port{0};

 private:
  std::atomic<bool> stop_{false};
  std::thread thread_;
};

TEST(Drive, KeysOverTheWireSteerAndAreRecorded) {
  const test::TemporaryFolder folder;
  const Game game(test::mooring());
  std::vector<DrivenEpisode> episodes, told;
  Background served([&](const ServeOptions& serving) {
    episodes = drive(game, {.out = folder / "a.zrep", .seed = 3}, serving,
                     [&](const DrivenEpisode& e) { told.push_back(e); });
  });
  EXPECT_NE(http(served.port, "GET", "/").body.find("<!DOCTYPE html>"), std::string::npos);
  EXPECT_EQ(http(served.port, "GET", "/data/0/meta.json").status, 404);
  {
    const Wire driver(served.port);
    driver.say(test::handshake(served.port));
    EXPECT_NE(driver.hear("\"kind\":\"preview\"").find("\"kind\":\"begin\""), std::string::npos);
    driver.say(test::text_frame(R"({"do":"speed","speed":16})"));
    driver.say(
        test::text_frame(R"({"serial":1,"keys":["ArrowUp"],"axes":[],"buttons":[],"options":{}})"));
    driver.hear("\"first\":5");
    driver.say(test::text_frame(R"({"do":"pause"})"));
    driver.hear("\"paused\":true");
    driver.say(test::text_frame(R"({"do":"next"})"));
    driver.hear("\"kind\":\"begin\"");
    const Wire other(served.port);
    other.say(test::handshake(served.port));
    EXPECT_NE(other.hear("\"steering\":false").find("\"kind\":\"begin\""), std::string::npos)
        << "who looks on sees it from its start";
    driver.say(
        test::text_frame(R"({"keys":["Bogus"],"axes":[],"buttons":[],"options":{},"serial":2})"));
    EXPECT_NE(driver.hear("do not exist").find("do not exist"), std::string::npos);
  }
  served.end();
  ASSERT_EQ(episodes.size(), 1u) << "the second was left before its first step";
  EXPECT_EQ(told.size(), 1u);
  EXPECT_EQ(episodes[0].outcome, Outcome::running);
  double sum = 0.0;
  for (const auto& [term, reward] : episodes[0].ledger) sum += reward;
  EXPECT_NEAR(sum, episodes[0].episode_return, 1e-9);
  EXPECT_TRUE(check_replay(folder / "a.zrep").passed());
  Replay replay(folder / "a.zrep");
  EXPECT_EQ(replay.moment(0, episodes[0].steps).roles[0].controls[0], 1.0f);
}

TEST(Drive, WhereNothingWasDrivenKeepsTheFileThatStoodThere) {
  const test::TemporaryFolder folder;
  const Game game(test::mooring());
  drive_by_keys(game, {.out = folder / "a.zrep", .seed = 3}, KeyScript::parse("0 press KeyW", "k"));
  const std::string before = test::read_file(folder / "a.zrep");
  std::vector<DrivenEpisode> episodes;
  Background served([&](const ServeOptions& serving) {
    episodes = drive(game, {.out = folder / "a.zrep", .seed = 4}, serving);
  });
  served.end();
  EXPECT_TRUE(episodes.empty());
  EXPECT_EQ(test::read_file(folder / "a.zrep"), before);
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 1)
      << "and leaves nothing beside it";
}

TEST(Drive, ScriptsOfKeysPlayOneEpisode) {
  const test::TemporaryFolder folder;
  const Game game(test::mooring());
  const auto play = [&] {
    return drive_by_keys(game, {.out = folder / "a.zrep", .seed = 3},
                         KeyScript::parse("0 press KeyW\n4 press KeyA\n9 release KeyA", "keys"));
  };
  const DrivenEpisode first = play(), second = play();
  EXPECT_EQ(first.steps, second.steps);
  EXPECT_EQ(first.episode_return, second.episode_return);
  EXPECT_NE(first.outcome, Outcome::running);
  Replay replay(folder / "a.zrep");
  EXPECT_EQ(replay.moment(0, 1).roles[0].controls, (std::vector<float>{1, 0}));
  EXPECT_EQ(replay.moment(0, 6).roles[0].controls, (std::vector<float>{1, 1}));
  for (const char* seat : {"skif", "skiff:2", "skiff:x"})
    EXPECT_EQ(test::error_of([&] { drive_by_keys(game, {.seat = seat}, {}); }).kind(),
              ErrorKind::usage)
        << seat;
}

TEST(Serve, ARunTellsItsCurvesAndPlaysItsCheckpoints) {
  const test::TemporaryFolder folder;
  TrainOptions options{.folder = folder / "run", .steps = 12'000, .checkpoint_every = 4'000};
  options.learner = PolicyGradientSettings{
      .policy_layers = {8}, .value_layers = {8}, .lanes = 16, .horizon = 32, .minibatch = 256};
  const zithercraft::Run run = train(test::duck_pond(), options);
  Background served([&](const ServeOptions& serving) { serve_run(folder / "run", serving); });
  const auto ask = [&](const std::string& path) { return http(served.port, "GET", path); };
  EXPECT_NE(ask("/").body.find("\"mode\":\"watch\""), std::string::npos);
  const json all = json::parse(ask("/data/curves.json").body);
  EXPECT_EQ(all["finished"], true);
  ASSERT_GT(all["rows"].size(), 4u);
  const auto third = all["rows"][2]["steps"].get<std::int64_t>();
  const json later = json::parse(ask("/data/curves.json?after=" + std::to_string(third)).body);
  EXPECT_EQ(later["rows"].size(), all["rows"].size() - 3);
  EXPECT_EQ(later["restarted"], false);
  EXPECT_EQ(json::parse(ask("/data/curves.json?after=77777777").body)["restarted"], true);
  EXPECT_EQ(ask("/data/curves.json?after=soon").status, 400);
  const std::string metrics = ask("/metrics").body;
  const auto newest = all["rows"].back()["steps"].get<std::int64_t>();
  EXPECT_NE(metrics.find("zithercraft_steps_total{game=\"duck_pond\",run=\""), std::string::npos)
      << metrics;
  EXPECT_NE(metrics.find("\"} " + std::to_string(newest) + "\n"), std::string::npos) << metrics;
  EXPECT_NE(metrics.find(",term=\"home\"} "), std::string::npos);
  EXPECT_TRUE(metrics.ends_with("# EOF\n"));
  ASSERT_GE(all["checkpoints"].size(), 2u);
  for (const json& name : all["checkpoints"]) {
    const json meta = json::parse(ask("/data/" + name.get<std::string>() + "/meta.json").body);
    EXPECT_EQ(meta["episodes"].size(), 3u);
    EXPECT_GT(ask("/data/" + name.get<std::string>() + "/2/0").body.size(), 100u);
  }
  EXPECT_EQ(ask("/data/at-000000000007/meta.json").status, 404);
}

}  // namespace
}  // namespace zithercraft
