// The viewer page in a real browser: recorded matches, alone and side by side.

#include <gtest/gtest.h>

#include <set>

#include "browser.hpp"
#include "custom_games.hpp"
#include "support.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/net/state_table.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/show/page.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

GameSpec demo(const std::string& name) {
  return load_game(test::project_folder() / "demos" / (name + ".toml"));
}

// Plays by script or at random; with overlays and estimates that can be recognised.
void record(const std::filesystem::path& file, const GameSpec& spec, std::uint32_t episodes,
            std::uint64_t seed = 6) {
  const Game game(spec);
  std::vector<std::unique_ptr<Player>> players;
  std::vector<Player*> hands;
  for (std::size_t r = 0; r < game.roles().size(); ++r)
    hands.push_back(players
                        .emplace_back(spec.roles[r].script.playable() ? script_player(game, r)
                                                                      : random_player())
                        .get());
  ReplayWriter writer(file, game, {spec.name, to_toml(spec), {hands[0]->name()}, seed, "test"});
  std::vector<float> values, probabilities;
  for (const Role& role : game.roles()) {
    values.resize(values.size() + role.seats.size(), 0.5f);
    probabilities.resize(
        probabilities.size() + role.seats.size() * probability_count(role.controls), 0.25f);
  }
  for (std::uint32_t e = 0; e < episodes; ++e)
    play_one(game, hands, {seed, 0, e}, [&](const Environment& lanes) {
      values[0] = 0.01f * static_cast<float>(lanes.steps(0));
      if (lanes.steps(0) % 2 == 1) {
        writer.draw(
            {.name = "aim", .label = "there", .form = Overlay::Form::points, .numbers = {1, 2, 0}});
        writer.draw({.name = "alarm",
                     .form = Overlay::Form::tint,
                     .colour = {255, 0, 255},
                     .numbers = {0}});
      }
      writer.add(lanes, 0, {values, probabilities});
    });
  writer.finish();
}

// Pixels of the first view's canvas: how many colours there are, and how many pixels differ from
// the ground.
constexpr const char* look_at_canvas = R"(
  const view = viewer.views[0].arena;
  view.dirty = true;
  view.render();
  const gl = view.renderer.getContext(), w = gl.drawingBufferWidth, h = gl.drawingBufferHeight, p = new Uint8Array(4 * w * h);
  gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, p);
  const colours = new Map();
  for (let i = 0; i < p.length; i += 4) { const c = (p[i] << 16) | (p[i + 1] << 8) | p[i + 2]; colours.set(c, (colours.get(c) || 0) + 1); }
  return { colours: colours.size, most: Math.max(...colours.values()) / (w * h), sum: [...colours].reduce((a, [c, n]) => (a * 31 + c * n) % 1000000007, 7) };
)";

class Viewer : public ::testing::Test {
 protected:
  void show(const std::vector<std::filesystem::path>& replays, const std::string& moment = "",
            const std::vector<Policy>& policies = {}) {
    write_page(folder / "page.html", replays, policies);
    browser.open("about:blank");  // else another moment of the same page would only be jumped to
    browser.open("file://" + (folder / "page.html").string() + moment);
    ASSERT_TRUE(browser.wait_for("document.body.dataset.ready")) << browser.errors();
  }
  json at(const std::string& expression) { return browser.run("return " + expression + ";"); }
  void no_harm_done() {
    EXPECT_EQ(browser.errors(), "");
    EXPECT_EQ(at("performance.getEntriesByType('resource').map((r) => r.name).filter((n) => "
                 "!/^(data|blob):/.test(n))"),
              json::array());
    EXPECT_EQ(at("document.documentElement.scrollWidth > innerWidth"), false);
  }

  test::TemporaryFolder folder;
  test::Browser browser;
};

TEST_F(Viewer, ShowsEveryMomentOfAReplayAsItWasRecorded) {
  record(folder / "a.zrep", test::mooring(), 2);
  show({folder / "a.zrep"});
  test::expect_licences(test::read_file(folder / "page.html"));
  Replay replay(folder / "a.zrep");
  const Role& role = replay.game().roles()[0];
  EXPECT_EQ(at("viewer.playback.episodes"), 2);
  EXPECT_EQ(at("viewer.playback.end"), replay.episodes()[0].moments - 1);

  // Each column by name with its value, in its unit; controls, ledger and estimate of a moment
  // half-way.
  const std::uint32_t d = replay.episodes()[0].moments / 2 | 1u;
  browser.run("viewer.playback.seek(" + std::to_string(d) + ");");
  ASSERT_TRUE(browser.wait_for("document.querySelector('.state').textContent.startsWith('step " +
                               std::to_string(d) + " ')"));
  const Moment moment = replay.moment(0, d);
  const json rows =
      at("[...document.querySelectorAll('.observations tbody tr')].map((r) => [...r.cells].map((c) "
         "=> c.textContent))");
  ASSERT_EQ(rows.size(), role.columns.size());
  for (std::size_t c = 0; c < rows.size(); ++c) {
    EXPECT_EQ(rows[c][0], role.columns[c].name);
    EXPECT_EQ(rows[c][2], role.columns[c].unit);
    const double scale = role.columns[c].unit == "flag" ? 1.0 : role.columns[c].scale;
    EXPECT_NEAR(std::stod(rows[c][1].get<std::string>()),
                static_cast<double>(moment.roles[0].observations[c]) * scale, 0.51)
        << role.columns[c].name;
  }
  EXPECT_NEAR(
      std::stod(at("document.querySelector('.gauge output').textContent").get<std::string>()),
      static_cast<double>(replay.moment(0, d + 1).roles[0].controls[0]), 0.006);
  double reward = 0.0;
  for (std::uint32_t i = 0; i <= d; ++i)
    reward += static_cast<double>(replay.moment(0, i).roles[0].rewards[0]);
  ASSERT_TRUE(browser.wait_for(
      "viewer.panel.rewards && viewer.panel.rewards[0].length === viewer.playback.end + 1"));
  EXPECT_NEAR(at("viewer.panel.rewards[0][" + std::to_string(d) + "].y").get<double>(), reward,
              1e-4);
  EXPECT_NEAR(at("viewer.panel.valueChart.data.datasets[0].data.at(-1).y").get<double>(),
              0.01 * (replay.episodes()[0].moments - 1), 1e-4);

  // Things stand where they were, also between steps.
  const auto pose = [&](const std::vector<std::byte>& state) {
    return replay.game().arena().pose(state.data(), role.seats[0]);
  };
  for (const double share : {0.0, 0.5}) {
    const auto& ticks = replay.ticks(0, d + 1);
    const Pose wanted = share == 0.0 ? pose(moment.state) : pose(ticks[ticks.size() / 2 - 1]);
    browser.run("viewer.playback.seek(" + std::to_string(d + share) + ");");
    ASSERT_TRUE(browser.wait_for("!viewer.changed"));
    const json seen = at("[...viewer.views[0].arena.poseOf(viewer.chosen.body)]");
    EXPECT_NEAR(seen[0].get<double>(), static_cast<double>(wanted.x), 1e-4);
    EXPECT_NEAR(seen[1].get<double>(), static_cast<double>(wanted.y), 1e-4);
  }
  // Rays end where the seat's rays ended.
  browser.run("viewer.playback.seek(" + std::to_string(d) + ");");
  const json ends =
      at("raysOf(viewer.match, viewer.match.frame(0, " + std::to_string(d) +
         "), 0, 0, viewer.views[0].overlays.poseAtStep(viewer.match, viewer.match.frame(0, " +
         std::to_string(d) + "), viewer.chosen.body)).map((r) => [...r.to, r.tag])");
  Lanes lanes(replay.game(), 1);
  lanes.begin(0, {});
  std::copy(moment.state.begin(), moment.state.end(), lanes.arena_state(0));
  const auto rays = SeatView(lanes, 0, 0, 0).rays();
  ASSERT_EQ(ends.size(), rays.size());
  for (std::size_t i = 0; i < rays.size(); ++i) {
    EXPECT_NEAR(ends[i][0].get<double>(), static_cast<double>(rays[i].to_x), 1e-3);
    EXPECT_NEAR(ends[i][1].get<double>(), static_cast<double>(rays[i].to_y), 1e-3);
    const Arena& arena = replay.game().arena();
    const json tag =
        rays[i].entity < 0 ? json() : json(arena.tags()[arena.entity(rays[i].entity).tag]);
    EXPECT_EQ(ends[i][3], tag);
  }
  no_harm_done();
}

TEST_F(Viewer, WordsAtOneSpotStandInLinesAndTablesFitThePanel) {
  record(folder / "a.zrep", demo("kelpdive"), 1);
  show({folder / "a.zrep"});
  EXPECT_EQ(at("document.getElementById('right').scrollWidth > "
               "document.getElementById('right').clientWidth"),
            false);
  const json offsets = browser.run(R"(
    const { arena, overlays } = viewer.views[0], kind = kindsOfEvents.indexOf("touch");
    arena.clear(arena.overlay);
    const events = [[0, 4, kind, -1, -1, 9, 9], [0, 4, kind, -1, -1, 9, 9], [0, 4, kind, -1, -1, 25, 25]];
    const match = Object.assign(Object.create(viewer.match), { concerns: () => true, frame: (episode, step) => (step === 1 ? { events } : null) });
    overlays.drawEvents(match, 0, 1, viewer.chosen);
    return arena.overlay.children.map((word) => word.center.y);
  )");
  ASSERT_EQ(offsets.size(), 3u);
  EXPECT_DOUBLE_EQ(offsets[0].get<double>(), 0.5);
  EXPECT_LT(offsets[1].get<double>(),
            0.0);  // a line higher: its middle is more than half a word above its place
  EXPECT_DOUBLE_EQ(offsets[2].get<double>(), 0.5);
  no_harm_done();
}

TEST_F(Viewer, PlaysStepsScrubsAndLoops) {
  record(folder / "a.zrep", test::mooring(), 2);
  show({folder / "a.zrep"});
  browser.click("play");
  EXPECT_TRUE(browser.wait_for("viewer.playback.time > 1.2"));
  browser.press(" ");
  browser.release(" ");
  ASSERT_TRUE(browser.wait_for("!viewer.playback.playing"));
  browser.run("viewer.playback.seek(5);");
  for (const auto& [key, wanted] :
       {std::pair{".", 6.0}, std::pair{"]", 6.25}, std::pair{"[", 6.0}, std::pair{",", 5.0}}) {
    browser.press(key);
    browser.release(key);
    EXPECT_EQ(at("viewer.playback.time"), wanted) << key;
  }
  browser.run(
      "const r = document.querySelector('#line input'); r.value = 11; r.dispatchEvent(new "
      "Event('input'));");
  EXPECT_EQ(at("viewer.playback.time"), 11);
  browser.click("next_event");
  const double event = at("viewer.playback.time").get<double>();
  EXPECT_TRUE(event > 11 &&
              at("viewer.playback.marks().some((m) => m[0] === viewer.playback.time)").get<bool>());
  browser.run(
      "document.getElementById('speed').value = 9; "
      "document.getElementById('speed').dispatchEvent(new "
      "Event('change'));");
  browser.click("loop");
  browser.run(
      "window.wrapped = 0; let last = 0; setInterval(() => { if (viewer.playback.time < last) "
      "++window.wrapped; last = "
      "viewer.playback.time; }, 5); viewer.playback.toggle(true);");
  EXPECT_TRUE(browser.wait_for("window.wrapped > 0"))
      << "at 64 times the speed it begins again within seconds";
  no_harm_done();
}

TEST_F(Viewer, OverlaysAreDrawnAndSwitchedOff) {
  record(folder / "a.zrep", test::mooring(), 1);
  show({folder / "a.zrep"}, "#episode=0&at=21&seat=0&view=above");
  ASSERT_TRUE(browser.wait_for("viewer.playback.time === 21 && !viewer.changed"));
  EXPECT_GT(browser.run(look_at_canvas)["colours"].get<int>(), 8);
  // On a busy machine fewer points would be drawn at some moment, and pictures could not be
  // compared.
  browser.run("for (const view of viewer.views) { view.arena.slow = view.arena.coarser = false; }");
  for (const char* name : {"rays", "all_rays", "paths", "zones", "custom", "heatmap", "value"}) {
    const json before = browser.run(look_at_canvas)["sum"];
    browser.click(std::string("overlay_") + name);
    ASSERT_TRUE(browser.wait_for("!viewer.changed"));
    EXPECT_NE(browser.run(look_at_canvas)["sum"], before) << name;
    browser.click(std::string("overlay_") + name);
    ASSERT_TRUE(browser.wait_for("!viewer.changed"));
    EXPECT_EQ(browser.run(look_at_canvas)["sum"], before) << name;
  }
  // Recorded overlays by name; a tint paints its thing.
  EXPECT_EQ(at("viewer.views[0].arena.things[0].material.color.getHexString()"), "ff00ff");
  browser.click("custom_alarm");
  ASSERT_TRUE(browser.wait_for("!viewer.changed"));
  EXPECT_NE(at("viewer.views[0].arena.things[0].material.color.getHexString()"), "ff00ff");
  no_harm_done();
}

TEST_F(Viewer, ALinkKeepsTheMoment) {
  record(folder / "a.zrep", demo("barge"), 1);
  show({folder / "a.zrep"});
  browser.run(
      "viewer.chooseSeat(2); viewer.setMode('space'); viewer.playback.seek(7.5); "
      "viewer.flipOverlay('heatmap');");
  ASSERT_TRUE(
      browser.wait_for("location.hash.includes('at=7.5') && location.hash.includes('heatmap')"));
  const std::string link = at("location.href").get<std::string>();
  browser.open("about:blank");
  browser.open(link);
  ASSERT_TRUE(browser.wait_for("document.body.dataset.ready"));
  EXPECT_EQ(
      at("[viewer.playback.time, +byId('seat').value, byId('mode').value, viewer.shown.heatmap]"),
      json({7.5, 2, "space", true}));
  no_harm_done();
}

TEST_F(Viewer, ShowsHeightsAndBlocksInSpace) {
  for (const char* name : {"flare", "narrows", "kelpdive"}) {
    record(folder / (std::string(name) + ".zrep"), demo(name), 1);
    show({folder / (std::string(name) + ".zrep")}, "#episode=0&at=9&seat=0&view=space");
    ASSERT_TRUE(browser.wait_for("viewer.playback.time === 9 && !viewer.changed"))
        << browser.errors();
    const json space = browser.run(look_at_canvas);
    EXPECT_GT(space["colours"].get<int>(), 20) << name;
    EXPECT_LT(space["most"].get<double>(), 0.95) << name;
    browser.press("3");
    browser.release("3");
    ASSERT_TRUE(browser.wait_for("viewer.views[0].arena.mode === 'eyes' && !viewer.changed"));
    const json eyes = browser.run(look_at_canvas);
    EXPECT_NE(eyes["sum"], space["sum"]) << name;
    EXPECT_GT(eyes["colours"].get<int>(), 4) << name;
    no_harm_done();
  }
  // Blocks that were cut open show again when they are closed.
  browser.press("2");
  browser.release("2");
  ASSERT_TRUE(browser.wait_for("viewer.views[0].arena.mode === 'space' && !viewer.changed"));
  const auto corners = [&] {
    return at("viewer.views[0].arena.blockMesh.geometry.attributes.position.count").get<int>();
  };
  const int open = corners();
  browser.click("overlay_cutaway");
  ASSERT_TRUE(browser.wait_for("!viewer.changed"));
  EXPECT_NE(corners(), open);
}

TEST_F(Viewer, RunsUpToFourReplaysInStep) {
  std::vector<std::filesystem::path> files;
  for (std::uint64_t i = 0; i < 4; ++i) {
    files.push_back(folder / ("run" + std::to_string(i) + ".zrep"));
    record(files.back(), test::mooring(), 1, i);
  }
  show(files);
  EXPECT_EQ(at("viewer.views.length"), 4);
  browser.run("viewer.playback.speed = 6; viewer.playback.toggle(true);");
  ASSERT_TRUE(browser.wait_for("viewer.playback.time > 12"));
  browser.run("viewer.playback.toggle(false);");
  ASSERT_TRUE(browser.wait_for("!viewer.changed"));
  const json captions = at("viewer.views.map((v) => v.caption.textContent)");
  std::set<int> steps;
  for (std::size_t i = 0; i < 4; ++i) {
    Replay replay(files[i]);
    const std::string caption = captions[i].get<std::string>();
    EXPECT_TRUE(caption.starts_with("run" + std::to_string(i) + " ")) << caption;
    if (caption.find("success") == std::string::npos &&
        caption.find("failure") == std::string::npos)
      steps.insert(std::stoi(caption.substr(caption.find("step ") + 5)));
  }
  EXPECT_EQ(steps.size(), 1u) << captions;
  no_harm_done();
  EXPECT_EQ(test::error_of([&] {
              write_page(folder / "x.html", {files[0], files[0], files[0], files[0], files[0]});
            }).kind(),
            ErrorKind::usage);
}

// A network whose answers are known: the throttle is the compass's, the rudder follows what it read
// a step ago.
Policy known_network(const GameSpec& spec) {
  const Role role = Game(spec).roles()[0];
  const auto column = [&](const std::string& name) {
    return static_cast<std::int64_t>(std::find_if(role.columns.begin(), role.columns.end(),
                                                  [&](const Column& c) { return c.name == name; }) -
                                     role.columns.begin());
  };
  PolicySignature signature{.role = role.name, .columns = role.columns, .controls = role.controls};
  signature.policy = {.columns = role.columns.size(), .outputs = 2};
  signature.grown = true;
  TensorFile file;
  signature.store(file);
  const auto first_output = static_cast<std::int64_t>(role.columns.size()) + 1;
  const std::vector<std::int64_t> shape{0, 1, 0},
      links{column("compass.ahead"), first_output, 0, column("compass.left"), first_output + 1, 1};
  const std::vector<float> weights{2.0f, -3.0f}, stddev{-3.0f, -3.0f};
  file.put("policy.graph.shape", shape);
  file.put("policy.graph.links", links);
  file.put("policy.graph.weights", {2}, weights);
  file.put("policy.log_stddev", {2}, stddev);
  const std::vector<double> none(role.columns.size()), count{0.0}, scale{0.0, 1.0};
  file.put("normaliser.count", count);
  file.put("normaliser.mean", none);
  file.put("normaliser.deviation", none);
  file.put("value.scale", scale);
  return Policy::from(file);
}

TEST_F(Viewer, ShowsTheNetworkAtWork) {
  const GameSpec spec = demo("mooring");
  record(folder / "a.zrep", spec, 1);
  show({folder / "a.zrep"}, "", {known_network(spec)});
  ASSERT_TRUE(browser.wait_for("viewer.panel.network && viewer.panel.network.values !== null"))
      << browser.errors();
  // Every node is what its inputs say: the rudder by what was read at the step before.
  Replay replay(folder / "a.zrep");
  const auto sensed = [&](std::uint32_t step, const std::string& name) {
    const Role& role = replay.game().roles()[0];
    const auto at = std::find_if(role.columns.begin(), role.columns.end(),
                                 [&](const Column& c) { return c.name == name; });
    return replay.moment(0, step)
        .roles[0]
        .observations[static_cast<std::size_t>(at - role.columns.begin())];
  };
  const json shown = browser.run(R"(
    const n = viewer.panel.network, at = (name) => n.network.nodes.findIndex((node) => node.name === name);
    n.step = 3;
    return { throttle: n.value(at("throttle")), rudder: n.value(at("rudder")), used: n.network.nodes.filter((node) => node.used).length };)");
  EXPECT_NEAR(shown["throttle"].get<double>(),
              2.0 * static_cast<double>(sensed(3, "compass.ahead")), 1e-4);
  EXPECT_NEAR(shown["rudder"].get<double>(), -3.0 * static_cast<double>(sensed(2, "compass.left")),
              1e-4);
  EXPECT_EQ(shown["used"], 4);
  // A click on an input shows its links; another shows all again.
  const auto click_on = [&](const std::string& name) {
    browser.run(
        R"(const n = viewer.panel.network, box = n.canvas.getBoundingClientRect(), s = box.width / n.width;
      const [x, y] = n.at[n.network.nodes.findIndex((node) => node.name === ")" +
        name + R"(")];
      n.canvas.dispatchEvent(new MouseEvent("click", { clientX: box.left + (x - 20) * s, clientY: box.top + y * s }));)");
    return browser.run("return document.getElementById('network_links').textContent")
        .get<std::string>();
  };
  EXPECT_EQ(click_on("compass.left"), "compass.left > rudder: -3.00, from the step before");
  EXPECT_EQ(click_on("compass.left"), "");
  EXPECT_EQ(click_on("compass.distance"), "none: it is not used");
  const auto pixels = [&] {
    return browser.run("return viewer.panel.network.canvas.toDataURL()").get<std::string>();
  };
  const std::string graph = pixels();
  browser.click("network_weights");
  EXPECT_NE(pixels(), graph);
  EXPECT_EQ(browser.errors(), "");
  EXPECT_EQ(test::error_of([&] {
              write_page(folder / "b.html", {folder / "a.zrep"},
                         {known_network(spec), known_network(spec)});
            }).kind(),
            ErrorKind::usage);
}

// A table that knows one state: that of a moment's senses.
Policy known_table(const Role& role, std::span<const float> senses) {
  PolicySignature signature{.role = role.name, .columns = role.columns, .controls = role.controls};
  signature.policy = {.columns = role.columns.size(), .outputs = 5};
  signature.rates = signature.tabular = true;
  StateBins bins;
  bins.edges.resize(role.columns.size());
  for (std::size_t c = 0; c < role.columns.size(); ++c) {
    if (role.columns[c].name == "window[1,0].bank") bins.edges[c] = {0.5f};
    if (role.columns[c].name == "compass.distance") bins.edges[c] = {0.25f, 0.5f};
  }
  StateTable table(bins, 5, 0.125f);
  std::vector<std::uint64_t> key(table.words());
  table.key(senses, key);
  const std::size_t row = table.add(key);
  table.visits(row) = 7;
  for (std::size_t c = 0; c < 5; ++c) table.row(row)[c] = c == 3 ? 2.5f : -1.0f;
  TensorFile file;
  signature.store(file);
  file.put("policy.log_stddev", {0}, std::span<const float>{});
  const std::vector<double> scale{0.0, 1.0};
  file.put("value.scale", std::span<const double>(scale));
  table.store(file);
  return Policy::from(file);
}

TEST_F(Viewer, ShowsTheRowOfATable) {
  record(folder / "a.zrep", demo("locks"), 1);
  Replay replay(folder / "a.zrep");
  const Role& role = replay.game().roles()[0];
  const auto sensed = [&](std::uint32_t moment) {
    return std::span(replay.moment(0, moment).roles[0].observations).first(role.columns.size());
  };
  const std::vector<float> known(sensed(3).begin(), sensed(3).end());
  const auto column = [&](const char* name) {
    return static_cast<std::size_t>(std::find_if(role.columns.begin(), role.columns.end(),
                                                 [&](const Column& c) { return c.name == name; }) -
                                    role.columns.begin());
  };
  show({folder / "a.zrep"}, "#episode=0&at=3&seat=0", {known_table(role, known)});
  ASSERT_TRUE(browser.wait_for("viewer.panel.network && viewer.panel.network.values !== null"))
      << browser.errors();
  EXPECT_EQ(at("byId('table_learned').textContent"), "learned 7 times");
  const float far = known[column("compass.distance")];
  EXPECT_EQ(at("byId('table_state').textContent"),
            std::string("window[1,0].bank ") +
                (known[column("window[1,0].bank")] > 0.5f ? "yes" : "no") + "compass.distance " +
                (far < 0.25f  ? "below 4 m"
                 : far < 0.5f ? "4 to 8 m"
                              : "from 8 m"));
  const std::string options = "viewer.panel.network.options";
  EXPECT_EQ(at(options + ".map((o) => o.value.textContent)"),
            (json{"-1.00", "-1.00", "-1.00", "2.50", "-1.00"}));
  EXPECT_EQ(at(options + ".filter((o) => o.line.classList.contains('chosen')).length"), 1);
  // A state that was never met looks different.
  const auto state = [&](std::span<const float> senses) {
    const float distance = senses[column("compass.distance")];
    return std::tuple(senses[column("window[1,0].bank")] > 0.5f, distance < 0.25f, distance < 0.5f);
  };
  std::uint32_t other = 0;
  for (std::uint32_t m = 1; other == 0 && m < replay.episodes()[0].moments; ++m)
    if (state(sensed(m)) != state(known)) other = m;
  ASSERT_GT(other, 0u);
  browser.run("viewer.panel.network.show(0, " + std::to_string(other) + ", viewer.match.name);");
  ASSERT_TRUE(browser.wait_for("byId('table_learned').textContent.includes('never met')"));
  EXPECT_EQ(at(options + "[3].value.textContent"), "0.13");
  no_harm_done();
}

TEST_F(Viewer, LightAndDarkHelpAndCrowds) {
  record(folder / "a.zrep", demo("locks"), 1);
  show({folder / "a.zrep"});
  browser.run("setLook('light');");
  const json light = at("getComputedStyle(document.body).backgroundColor");
  browser.press("d");
  browser.release("d");
  EXPECT_NE(at("getComputedStyle(document.body).backgroundColor"), light);
  browser.press("?");
  browser.release("?");
  EXPECT_EQ(at("byId('help').open"), true);
  EXPECT_GE(at("byId('help').querySelectorAll('kbd').length").get<int>(), 25);
  browser.click("help");
  browser.run("byId('help').close();");
  // Filtering leaves what contains the words.
  browser.run(
      "const f = document.querySelector('input[type=search]'); f.value = 'compass'; f.oninput();");
  const json visible =
      at("[...document.querySelectorAll('.observations tbody tr')].filter((r) => "
         "!r.hidden).map((r) => "
         "r.cells[0].textContent)");
  EXPECT_FALSE(visible.empty());
  for (const auto& name : visible)
    EXPECT_NE(name.get<std::string>().find("compass"), std::string::npos);
  no_harm_done();
}

// ---- Custom games

TEST_F(Viewer, ShowsWhatACustomGameDraws) {
  record(folder / "winch.zrep", test::winch(), 2);
  show({folder / "winch.zrep"}, "#episode=0&at=7");
  const json seen = at("viewer.match.frame(0, 7).overlays.map((o) => o.name)");
  EXPECT_EQ(seen, (json{"aim", "alarm", "water", "rope", "boat", "marks", "count"}));
  const json with = browser.run(look_at_canvas);
  EXPECT_GT(with["colours"], 5) << "water of two colours, rope, boat, mark and words";
  EXPECT_EQ(at("document.getElementById('overlay_rays').hidden"), true);
  EXPECT_EQ(at("document.getElementById('mode').parentElement.hidden"), true);
  const std::string drawn = "viewer.views[0].arena.overlay.children.length";
  const auto things = at(drawn).get<int>();
  browser.run("document.getElementById('custom_water').click();");
  EXPECT_TRUE(browser.wait_for(drawn + " === " + std::to_string(things - 1)));
  EXPECT_LT(browser.run(look_at_canvas)["colours"], with["colours"]);
  EXPECT_NE(at("viewer.match.tellEvent([3, 19, 0, 1, 0])").get<std::string>().find("call"),
            std::string::npos);
  no_harm_done();
}

}  // namespace
}  // namespace zithercraft
