#include "zithercraft/record/convert.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>

#include "support.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

void record_random(const std::filesystem::path& file, const std::string& demo) {
  const Game game(load_game(test::project_folder() / "demos" / (demo + ".toml")));
  const auto player = random_player(2);
  ReplayWriter writer(file, game, {demo, to_toml(game.spec()), {"random"}, 1, "test"});
  for (std::uint32_t e = 0; e < 2; ++e)
    play_one(game, std::vector<Player*>(game.roles().size(), player.get()), {3, 0, e},
             [&](const Environment& lanes) { writer.add(lanes, 0); });
  writer.finish();
}

std::vector<std::vector<std::string>> table(const std::filesystem::path& file) {
  std::vector<std::vector<std::string>> rows;
  std::istringstream lines(test::read_file(file));
  for (std::string line; std::getline(lines, line);) {
    auto& row = rows.emplace_back();
    std::istringstream cells(line + ",");
    for (std::string cell; std::getline(cells, cell, ',');) row.push_back(cell);
  }
  return rows;
}

TEST(Convert, TablesHoldWhatTheReplayHolds) {
  const test::TemporaryFolder folder;
  record_random(folder / "a.zrep", "barge");
  Replay replay(folder / "a.zrep");
  write_csv(folder / "tables", replay);
  const auto states = table(folder / "tables/states.csv"),
             events = table(folder / "tables/events.csv"),
             ledger = table(folder / "tables/ledger.csv");
  std::size_t state = 1, event = 1, reward = 1;
  const Game& game = replay.game();
  for (std::size_t e = 0; e < replay.episodes().size(); ++e)
    for (std::uint32_t d = 0; d < replay.episodes()[e].moments; ++d) {
      const Moment& m = replay.moment(e, d);
      for (std::size_t p = 0; p < game.arena().posed().size(); ++p, ++state) {
        const Pose pose = game.arena().pose(m.state.data(), EntityId(p));
        ASSERT_EQ(states[state][0] + "/" + states[state][1] + "/" + states[state][3],
                  std::to_string(e) + "/" + std::to_string(d) + "/" + std::to_string(p));
        ASSERT_EQ(std::stof(states[state][7]), pose.x);
        ASSERT_EQ(std::stof(states[state][10]), pose.heading);
      }
      for (const Event& happened : m.events) {
        ASSERT_EQ(events[event][3], name_of(happened.kind));
        ASSERT_EQ(std::stof(events[event][10]), happened.z);
        ASSERT_EQ(events[event][13] + "/" + events[event][14],
                  in_words(happened.by_who) + "/" + in_words(happened.by_whom));
        ASSERT_EQ(std::stoi(events[event++][2]), static_cast<int>(happened.tick));
      }
      for (const RoleMoment& role : m.roles)
        for (std::size_t i = 0; d > 0 && i < role.rewards.size(); ++i)
          ASSERT_EQ(std::stof(ledger[reward++][5]), role.rewards[i]);
    }
  EXPECT_EQ(state, states.size());
  EXPECT_EQ(event, events.size());
  EXPECT_EQ(reward, ledger.size());
  EXPECT_GT(event, 10u);
  EXPECT_EQ(test::error_of([&] { write_csv(folder / "a.zrep", replay); }).kind(), ErrorKind::file);
}

// A glTF file's JSON and its binary part.
std::pair<json, std::string> parts(const std::string& glb) {
  std::uint32_t size = 0;
  std::memcpy(&size, glb.data() + 12, 4);
  return {json::parse(glb.substr(20, size)), glb.substr(20 + size + 8)};
}

TEST(Convert, ScenesMoveAsTheMatchDid) {
  const test::TemporaryFolder folder;
  record_random(folder / "a.zrep", "flare");
  Replay replay(folder / "a.zrep");
  write_gltf(folder / "a.glb", replay, 1);
  const auto glb = parts(test::read_file(folder / "a.glb"));
  const json& scene = glb.first;
  const std::string& bytes = glb.second;
  EXPECT_EQ(scene["asset"]["version"], "2.0");
  const auto numbers = [&](std::size_t accessor) {
    const json& a = scene["accessors"][accessor];
    const json& view = scene["bufferViews"][a["bufferView"].get<std::size_t>()];
    std::vector<float> list(view["byteLength"].get<std::size_t>() / 4);
    std::memcpy(list.data(), bytes.data() + view.value("byteOffset", 0), 4 * list.size());
    return list;
  };
  std::map<std::string, int> moved;
  for (const json& channel : scene["animations"][0]["channels"]) {
    if (channel["target"]["path"] != "translation") continue;
    const std::string name = scene["nodes"][channel["target"]["node"].get<std::size_t>()]["name"];
    if (name != "balloon" || moved[name]++ > 0) continue;
    const json& sampler = scene["animations"][0]["samplers"][channel["sampler"].get<std::size_t>()];
    const auto seconds = numbers(sampler["input"]), places = numbers(sampler["output"]);
    ASSERT_EQ(seconds.size(), replay.episodes()[1].moments);
    const auto balloon = replay.game().arena().bodies_named("balloon").front();
    for (std::uint32_t d = 0; d < seconds.size(); ++d) {
      const Pose pose = replay.game().arena().pose(replay.moment(1, d).state.data(), balloon);
      ASSERT_NEAR(seconds[d], 0.2f * static_cast<float>(d), 1e-3f);
      ASSERT_EQ(places[3 * d], pose.x);
      ASSERT_EQ(places[3 * d + 1], pose.z);
      ASSERT_EQ(places[3 * d + 2], -pose.y);
    }
  }
  EXPECT_GT(moved["balloon"], 0);
  EXPECT_EQ(test::error_of([&] { write_gltf(folder / "a.obj", replay, 0); }).kind(),
            ErrorKind::usage);
  EXPECT_EQ(test::error_of([&] { write_gltf(folder / "a.glb", replay, 9); }).kind(),
            ErrorKind::usage);
}

TEST(Convert, ScenesPassTheOfficialValidator) {
  if (std::getenv("ZITHERCRAFT_TEST_FETCH") == nullptr)
    GTEST_SKIP() << "it fetches the validator from a registry: set ZITHERCRAFT_TEST_FETCH to ask";
  const test::TemporaryFolder folder;
  const std::string place = folder.path().string();
  if (std::system("command -v npm >/dev/null 2>&1") != 0) GTEST_SKIP() << "npm is not installed";
  if (std::system(("cd " + place +
                   " && npm install --silent --no-audit --no-fund gltf-validator >/dev/null 2>&1")
                      .c_str()) != 0)
    GTEST_SKIP() << "npm cannot fetch gltf-validator";
  std::string files;
  for (const char* demo : {"mooring", "barge", "flare", "narrows", "kelpdive", "skerries"}) {
    record_random(folder / "a.zrep", demo);
    Replay replay(folder / "a.zrep");
    for (const char* ending : {".glb", ".gltf"}) {
      write_gltf(folder / (demo + std::string(ending)), replay, 0);
      files += " " + place + "/" + demo + ending;
    }
  }
  test::write_file(folder / "check.js", R"(
    const validator = require('gltf-validator'), fs = require('fs');
    (async () => {
      for (const file of process.argv.slice(2)) {
        const { issues } = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)));
        if (issues.numErrors + issues.numWarnings > 0) { console.log(file, JSON.stringify(issues.messages.slice(0, 3))); process.exitCode = 1; }
      }
    })();
  )");
  EXPECT_EQ(std::system(("cd " + place + " && node check.js" + files + " > said 2>&1").c_str()), 0)
      << test::read_file(folder / "said");
}

}  // namespace
}  // namespace zithercraft
