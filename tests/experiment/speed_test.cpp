// How fast a game is played and learned. Times differ from run to run: what is tested is what they
// are about and how they are related.

#include "zithercraft/experiment/speed.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "support.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/learn/ppo.hpp"

namespace zithercraft {
namespace {

GameSpec demo(const std::string& name) {
  return load_game(test::project_folder() / ("demos/" + name + ".toml"));
}

const SpeedPart* part_of(const SpeedTable& table, const std::string& name) {
  const auto found = std::find_if(table.parts.begin(), table.parts.end(),
                                  [&](const SpeedPart& p) { return p.name == name; });
  return found == table.parts.end() ? nullptr : &*found;
}

TEST(Speed, TellsWhatCostsMostAndWhatACheaperFormBrings) {
  std::vector<std::string> measured;
  const SpeedTable t = measure_speed(
      demo("mooring"), {.learner = PolicyGradientSettings{.lanes = 32, .horizon = 32},
                        .threads = 2,
                        .seconds = 0.05,
                        .on_next = [&](const std::string& what) { measured.push_back(what); }});
  EXPECT_EQ(t.game, "mooring");
  EXPECT_EQ(t.method, "ppo");
  EXPECT_EQ(t.usual.lanes, 32);
  EXPECT_EQ(t.usual.threads, 2u);
  EXPECT_GT(t.usual.steps_per_second, 0.0);
  ASSERT_EQ(t.scaling.size(), 2u);
  EXPECT_EQ(t.scaling[0].lanes, 8);
  EXPECT_EQ(t.scaling[1].threads, 1u);
  EXPECT_GT(t.lane_bytes, 400u);
  EXPECT_GT(t.training_bytes, 0u);
  EXPECT_EQ(measured.front(), "training");

  for (const char* name : {"sense.rays", "term.bump", "arena", "network.learn", "network.decide"})
    EXPECT_NE(part_of(t, name), nullptr) << name;
  EXPECT_TRUE(std::is_sorted(t.parts.begin(), t.parts.end(), [](const auto& a, const auto& b) {
    return a.microseconds > b.microseconds;
  }));
  double played = 0.0;
  for (const SpeedPart& part : t.parts)
    if (!part.name.starts_with("network.")) played += part.microseconds;
  EXPECT_GE(played, t.play_microseconds * 0.999) << "what is left is the arena's";
  const auto cheaper = std::count_if(t.parts.begin(), t.parts.end(),
                                     [](const SpeedPart& p) { return !p.cheaper.empty(); });
  EXPECT_GE(cheaper, 1);
  EXPECT_LE(cheaper, 3);
  for (std::size_t p = 3; p < t.parts.size(); ++p) EXPECT_EQ(t.parts[p].cheaper, "");

  const auto j = nlohmann::json::parse(t.to_json());
  EXPECT_EQ(j["parts"].size(), t.parts.size());
  EXPECT_EQ(j["usual"]["lanes"], 32);
}

TEST(Speed, LargePicturesCostMoreThanTheirHalves) {
  GameSpec game = demo("fogbank");
  auto& camera = std::get<Camera>(game.roles[0].senses[0]);
  camera.reduce = 1;
  const SpeedTable t = measure_speed(
      game, {.learner = PolicyGradientSettings{.lanes = 4, .horizon = 32, .minibatch = 64},
             .seconds = 0.05});
  const SpeedPart* view = part_of(t, "sense.view");
  ASSERT_NE(view, nullptr);
  EXPECT_GT(view->microseconds, 0.5 * t.play_microseconds);
  for (std::size_t p = 0; p < 3; ++p)
    if (t.parts[p].name == "sense.view") {
      EXPECT_EQ(t.parts[p].cheaper, "half as many pixels a side");
      EXPECT_LT(t.parts[p].cheaper_microseconds, t.parts[p].microseconds);
    }
}

TEST(Speed, PlayingAloneIsMeasuredWithoutWhatTheGameCanDoWithout) {
  const SpeedTable t = measure_play(demo("skerries"), 0.05);
  EXPECT_EQ(part_of(t, "sense.near"), nullptr) << "a control points at those whom it lists";
  EXPECT_NE(part_of(t, "sense.window"), nullptr);
  EXPECT_EQ(part_of(t, "network.learn"), nullptr);
  EXPECT_GT(t.play_microseconds, 0.0);
  EXPECT_TRUE(t.scaling.empty());
}

TEST(Speed, NeedsTime) {
  EXPECT_EQ(test::error_of([] { measure_speed(demo("mooring"), {.seconds = 0.0}); }).kind(),
            ErrorKind::usage);
  EXPECT_EQ(test::error_of([] { measure_play(demo("mooring"), -1.0); }).kind(), ErrorKind::usage);
}

}  // namespace
}  // namespace zithercraft
