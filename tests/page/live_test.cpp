// The page while something happens: a person drives, a training runs. The built tool serves it.

#include <gtest/gtest.h>
#include <signal.h>

#include <chrono>
#include <regex>
#include <set>
#include <thread>

#include "browser.hpp"
#include "support.hpp"
#include "zithercraft/record/replay.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

// A tool that serves in the background; its address is read from what it says.
class Serving {
 public:
  explicit Serving(std::vector<std::string> arguments)
      : process_(test::start_tool(arguments, folder_ / "out", folder_ / "err")) {
    const std::regex address("open (http://127.0.0.1:([0-9]+)/[^ ]*) in");
    for (int i = 0; i < 400 && url.empty(); ++i) {
      const std::string said = test::read_file(folder_ / "err");
      if (std::smatch found; std::regex_search(said, found, address)) {
        url = found[1];
        port = static_cast<std::uint16_t>(std::stoi(found[2]));
      }
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
    }
    EXPECT_FALSE(url.empty()) << test::read_file(folder_ / "err");
  }
  ~Serving() {
    if (process_ > 0) stop();
  }
  int stop() {
    ::kill(process_, SIGINT);
    return wait();
  }
  int wait() {
    const int status = test::wait_for(process_);
    process_ = -1;
    return status;
  }
  std::string said() const { return test::read_file(folder_ / "out"); }

  std::string url;
  std::uint16_t port = 0;

 private:
  test::TemporaryFolder folder_;
  int process_;
};

class LivePage : public ::testing::Test {
 protected:
  json at(const std::string& expression) { return browser.run("return " + expression + ";"); }
  void no_harm_done(const std::string& url) {
    EXPECT_EQ(browser.errors(), "");
    const json elsewhere =
        at("performance.getEntriesByType('resource').map((r) => r.name).filter((n) => "
           "!n.startsWith('" +
           url + "') && !/^(data|blob):/.test(n))");
    EXPECT_EQ(elsewhere, json::array());
  }

  test::TemporaryFolder folder;
  test::Browser browser;
};

// The skiff lies before its berth with open water between. The berth is so long that the skiff
// stops in it even where the machine is busy and a key is released seconds late.
std::string easy_mooring() {
  std::string text = test::mooring_with(
      "place = { region = [-18, -13, 18, 13], heading = [-180, 180], clearance = 2.0 }",
      "place = { region = [-8, 0, -8, 0] }");
  for (const auto& [from, to] :
       {std::pair<std::string, std::string>{
            "place = { region = [-16, -11, 16, 11], heading = [-180, 180], clearance = 0.5 }",
            "place = { region = [6, 0, 6, 0] }"},
        {"length = 5.0, width = 4.0", "length = 20.0, width = 4.0"},
        {"place = { region = [-17, -12, 17, 12]", "place = { region = [-17, 8, 17, 12]"},
        {"count = 8", "count = 2"}})
    text.replace(text.find(from), from.size(), to);
  return text;
}

TEST_F(LivePage, ASkiffIsDrivenIntoItsBerthByKeys) {
  test::write_file(folder / "easy.toml", easy_mooring());
  Serving tool({"drive", (folder / "easy.toml").string(), "--out",
                (folder / "driven.zrep").string(), "--seed", "3"});
  browser.open(tool.url);
  ASSERT_TRUE(browser.wait_for("document.body.dataset.ready && viewer.driving.preview"))
      << browser.errors();
  EXPECT_EQ(
      at("[...document.querySelectorAll('#bindings kbd')].slice(0, 2).map((k) => k.textContent)"),
      json({"Up", "W"}));
  const auto x = [&] {
    return at("viewer.views[0].arena.poseOf(viewer.chosen.body)[0]").get<double>();
  };

  browser.press(test::arrow_up);
  ASSERT_TRUE(browser.wait_for("viewer.driving.latencies.length > 0"));
  ASSERT_TRUE(browser.wait_for("viewer.views[0].arena.poseOf(viewer.chosen.body)[0] > -3", 30))
      << x();
  browser.release(test::arrow_up);
  browser.press(test::arrow_down);
  ASSERT_TRUE(browser.wait_for("viewer.driving.match.episodes[0].outcome > 0", 30)) << x();
  browser.release(test::arrow_down);
  EXPECT_EQ(at("outcomes[viewer.driving.match.episodes[0].outcome]"), "success");
  EXPECT_NE(at("byId('notice').textContent").get<std::string>().find("success"), std::string::npos);

  browser.press(test::enter);
  browser.release(test::enter);
  ASSERT_TRUE(
      browser.wait_for("viewer.driving.match.episodes.length === 2 && viewer.playback.end > 2"));
  browser.run(
      "navigator.getGamepads = () => [null, { axes: [0.02, -0.5], buttons: [{ pressed: false }] "
      "}];");
  ASSERT_TRUE(browser.wait_for("viewer.driving.axes.length === 2"));

  // Another client looks on; one that sends nonsense is dropped; the driver continues.
  browser.run(
      "window.other = new WebSocket(location.href.replace('http', 'ws').split('#')[0] + 'live');"
      "other.onopen = () => other.send('nonsense'); other.onclose = (e) => (window.sentAway = "
      "[e.code, e.reason]);");
  ASSERT_TRUE(browser.wait_for("window.sentAway"));
  EXPECT_EQ(at("window.sentAway"), json({1008, "a message could not be understood"}));
  const int before = at("viewer.playback.end").get<int>();
  EXPECT_TRUE(browser.wait_for("viewer.playback.end > " + std::to_string(before + 1)));
  no_harm_done(tool.url);

  browser.click("finish");
  EXPECT_EQ(tool.wait(), 0);
  EXPECT_NE(tool.said().find("success"), std::string::npos) << tool.said();
  const ReplayCheck check = check_replay(folder / "driven.zrep");
  EXPECT_TRUE(check.passed()) << check.difference;
  Replay replay(folder / "driven.zrep");
  EXPECT_EQ(replay.info().players, std::vector<std::string>{"person"});
  ASSERT_EQ(replay.episodes().size(), 2u);
  EXPECT_EQ(replay.episodes()[0].outcome, Outcome::success);
  std::set<float> throttles;
  for (std::uint32_t d = 1; d < replay.episodes()[0].moments; ++d)
    throttles.insert(replay.moment(0, d).roles[0].controls[0]);
  EXPECT_TRUE(throttles.contains(1.0f) && throttles.contains(-0.5f)) << "full ahead, then back";
  EXPECT_EQ(replay.moment(1, replay.episodes()[1].moments - 1).roles[0].controls[0], 0.5f)
      << "half ahead by gamepad";
}

// Two gulls stand around a tern that chooses one of them.
TEST_F(LivePage, APersonPointsAtOneOfMany) {
  test::write_file(folder / "gulls.toml", R"(
    name = "gulls"
    cutoffs = { steps = 1000 }
    [arena]
    [[arena.bodies]]
    name = "tern"
    motion = "free"
    mover = { kind = "walker" }
    shape = { kind = "disc", radius = 0.5 }
    [[arena.bodies]]
    name = "gull"
    motion = "free"
    shape = { kind = "disc", radius = 0.5 }
    place = { region = [3, 0, 3, 0] }
    [[arena.bodies]]
    name = "far_gull"
    tag = "gull"
    motion = "free"
    shape = { kind = "disc", radius = 0.5 }
    place = { region = [-5, 0, -5, 0] }
    [[roles]]
    name = "tern"
    senses = [{ kind = "crowd", name = "near", of = ["gull"], nearest = 4, reach = 10 }]
    controls = [
      { kind = "target", name = "mob", among = "near" },
      { kind = "target", name = "feed", among = "near" },
    ]
    rewards = [{ name = "time", weight = 0, each_step = "always" }]
)");
  Serving tool({"drive", (folder / "gulls.toml").string(), "--out", (folder / "g.zrep").string()});
  browser.open(tool.url);
  ASSERT_TRUE(browser.wait_for("document.body.dataset.ready && viewer.playback.end > 1"))
      << browser.errors();
  EXPECT_NE(at("byId('bindings').textContent").get<std::string>().find("whom you point at"),
            std::string::npos);
  // The mouse goes down where a body is drawn, and comes up after a few steps.
  const auto point = [&](int body, bool shift) {
    browser.run("const view = viewer.views[0].arena, p = view.poseOf(" + std::to_string(body) +
                "), box = view.renderer.domElement.getBoundingClientRect();"
                "const at = new THREE.Vector3(p[0], p[1], 0.5).project(view.camera());"
                "const where = { bubbles: true, clientX: box.left + (at.x + 1) / 2 * box.width, "
                "clientY: box.top + (1 - at.y) / 2 * box.height, button: 0, pointerId: 1, "
                "shiftKey: " +
                std::string(shift ? "true" : "false") +
                " }; view.renderer.domElement.dispatchEvent(new PointerEvent('pointerdown', "
                "where));");
    const int step = at("viewer.playback.end").get<int>();
    EXPECT_TRUE(browser.wait_for("viewer.playback.end > " + std::to_string(step + 3)));
    browser.run("dispatchEvent(new PointerEvent('pointerup', { bubbles: true }));");
    EXPECT_TRUE(browser.wait_for("viewer.playback.end > " + std::to_string(step + 6)));
  };
  point(2, false);
  point(1, true);
  EXPECT_EQ(at("viewer.chosen.body"), 0) << "the seat that is steered stays the chosen one";
  no_harm_done(tool.url);
  EXPECT_EQ(tool.stop(), 0);
  ASSERT_TRUE(check_replay(folder / "g.zrep").passed());
  Replay replay(folder / "g.zrep");
  std::vector<std::pair<float, float>> order;
  for (std::uint32_t d = 1; d < replay.episodes()[0].moments; ++d) {
    const auto& c = replay.moment(0, d).roles[0].controls;
    if (order.empty() || order.back() != std::pair(c[0], c[1])) order.emplace_back(c[0], c[1]);
  }
  EXPECT_EQ(order, (std::vector<std::pair<float, float>>{{0, 0}, {2, 0}, {0, 0}, {0, 1}, {0, 0}}));
}

TEST_F(LivePage, PausesChangesPaceAndKeepsWhatWasDrivenWhenInterrupted) {
  Serving tool(
      {"drive", "barge", "--seat", "east_tug:2", "--out", (folder / "driven.zrep").string()});
  browser.open(tool.url);
  ASSERT_TRUE(browser.wait_for("document.body.dataset.ready && viewer.playback.end > 1"))
      << browser.errors();
  EXPECT_EQ(at("[viewer.chosen.role, viewer.chosen.seat]"), json({1, 1}));
  browser.click("play");
  ASSERT_TRUE(browser.wait_for("viewer.driving.paused"));
  const json still = at("[viewer.playback.end, ...viewer.driving.poses()]");
  std::this_thread::sleep_for(std::chrono::milliseconds(500));
  EXPECT_EQ(at("[viewer.playback.end, ...viewer.driving.poses()]"), still);
  browser.click("play");
  browser.run("byId('speed').value = 8; byId('speed').dispatchEvent(new Event('change'));");
  ASSERT_TRUE(
      browser.wait_for("viewer.playback.end > " + std::to_string(still[0].get<int>() + 100), 30))
      << "32 times the speed";
  no_harm_done(tool.url);
  EXPECT_EQ(tool.stop(), 0);
  EXPECT_TRUE(check_replay(folder / "driven.zrep").passed());
}

TEST_F(LivePage, ATrainingIsWatchedWhileItGoesOn) {
  const std::string run = (folder / "run").string();
  const int training =
      test::start_tool({"train", "mooring", "--run", run, "--steps", "1000000", "--lanes", "64"});
  for (int i = 0; i < 400 && !std::filesystem::exists(folder / "run/run.toml"); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
  Serving tool({"watch", run});
  browser.open(tool.url);
  ASSERT_TRUE(
      browser.wait_for("document.body.dataset.ready && viewer.watching.rows.length > 1", 60))
      << browser.errors();
  const int rows = at("viewer.watching.rows.length").get<int>();
  EXPECT_TRUE(browser.wait_for("viewer.watching.rows.length > " + std::to_string(rows + 2), 60))
      << "curves grow";
  EXPECT_EQ(at("Object.values(Chart.instances).length >= 6"), true);
  ASSERT_TRUE(browser.wait_for("viewer.matches && viewer.playback.time > 1", 90))
      << "episodes of the newest policy are played";
  const std::string first = at("viewer.matches[0].name").get<std::string>();
  browser.run("viewer.playback.speed = 9;");
  EXPECT_TRUE(browser.wait_for("viewer.matches[0].name > '" + first + "'", 90))
      << "a newer policy takes its place";
  test::wait_for(training);
  ASSERT_TRUE(browser.wait_for("/finished/.test(viewer.watching.summary.textContent)", 30));
  browser.click("compare");
  EXPECT_TRUE(browser.wait_for("viewer.views.length === 4 && viewer.playback.time > 0", 30));
  no_harm_done(tool.url);
  EXPECT_EQ(tool.stop(), 0);
}

TEST_F(LivePage, ReplaysAreServedPartByPart) {
  const std::string file = (folder / "a.zrep").string();
  test::write_file(folder / "keys.txt", "0 press ArrowUp\n9 release ArrowUp\n");
  ASSERT_EQ(
      test::run_tool({"drive", "mooring", "--keys", (folder / "keys.txt").string(), "--out", file})
          .status,
      0);
  Serving tool({"replay", file, file, "--serve", "--token", "sesame"});
  EXPECT_NE(tool.url.find("?token=sesame"), std::string::npos);
  EXPECT_EQ(test::http(tool.port, "GET", "/").status, 401);
  for (const char* path : {"/data/0/meta.json", "/data/1/0/0", "/"})
    EXPECT_EQ(test::http(tool.port, "GET", std::string(path) + "?token=sesame").status, 200)
        << path;
  for (const char* path : {"/data/7/meta.json", "/data/0/9/0", "/data/0/0/99", "/data/0/x/0",
                           "/data/0", "/../etc/passwd", "/%2e%2e/etc/passwd", "/report.js"})
    EXPECT_EQ(test::http(tool.port, "GET", std::string(path) + "?token=sesame").status, 404)
        << path;
  browser.open(tool.url);
  ASSERT_TRUE(browser.wait_for("document.body.dataset.ready && viewer.views.length === 2"))
      << browser.errors();
  browser.click("play");
  EXPECT_TRUE(browser.wait_for("viewer.playback.time > 3"));
  no_harm_done(tool.url.substr(0, tool.url.find('?')));
  EXPECT_EQ(tool.stop(), 0);
}

}  // namespace
}  // namespace zithercraft
