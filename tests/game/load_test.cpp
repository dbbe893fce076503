#include "zithercraft/game/load.hpp"

#include <gtest/gtest.h>

#include "support.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft {
namespace {

TEST(Load, TomlToSpecToTomlLosesNothing) {
  for (const GameSpec& game : {test::mooring(), test::duck_pond()}) {
    const std::string text = to_toml(game);
    const GameSpec again = parse_game(text);
    EXPECT_EQ(again, game);
    EXPECT_EQ(to_toml(again), text);
    EXPECT_EQ(Game(again).fingerprint(), Game(game).fingerprint());
  }
}

TEST(Load, NumbersSurviveToTheLastBit) {
  GameSpec game = test::mooring();
  game.arena.bodies[0].place.clearance = 0.1 + 0.2;
  game.role("skiff").rewards[0].weight = 1.0 / 3.0;
  const GameSpec again = parse_game(to_toml(game));
  EXPECT_EQ(again.arena.bodies[0].place.clearance, 0.1 + 0.2);
  EXPECT_EQ(again.role("skiff").rewards[0].weight, 1.0 / 3.0);
}

TEST(Load, AnyChangeChangesTheFingerprintAndIsNamed) {
  const GameSpec game = test::mooring();
  GameSpec changed = game;
  std::get<RayFan>(changed.role("skiff").senses[0]).rays = 16;
  EXPECT_NE(Game(changed).fingerprint(), Game(game).fingerprint());
  EXPECT_EQ(first_difference(game, changed), "roles[0].senses[0].rays: 24 here, 16 there");
  EXPECT_EQ(first_difference(game, game), "");
}

TEST(Load, DefaultsInTomlAreThoseOfTheStructs) {
  const GameSpec game = test::duck_pond();
  EXPECT_EQ(std::get<OwnMotion>(game.role("duck").senses[1]), OwnMotion{});
  EXPECT_EQ(game.ticks_per_step, GameSpec{}.ticks_per_step);
  EXPECT_EQ(game.arena.bodies[0].grip, BodySpec{}.grip);
}

TEST(Load, CustomTermsAreRememberedButNeedTheirProgram) {
  GameSpec game = test::mooring();
  game.role("skiff").rewards.push_back(
      {.name = "gentle", .weight = -0.1, .each_step = [](const SeatView&) { return 1.0; }});
  const std::string text = to_toml(game);
  EXPECT_NE(text.find("each_step = 'custom'"), std::string::npos);
  const Error error = test::error_of([&] { parse_game(text); });
  EXPECT_EQ(error.kind(), ErrorKind::spec);
  EXPECT_NE(error.problem().find("custom"), std::string::npos);
  EXPECT_FALSE(
      Game(parse_game(text, "text", CustomParts::optional), CustomParts::optional).complete());
  EXPECT_TRUE(Game(game).complete());
}

TEST(Load, RolesAreFoundByName) {
  GameSpec game = test::mooring();
  EXPECT_EQ(game.role("skiff").name, "skiff");
  EXPECT_NE(test::error_of([&] { game.role("skif"); }).fix().find("did you mean 'skiff'"),
            std::string::npos);
}

}  // namespace
}  // namespace zithercraft
