// What is wrong, where and how to fix it, for every kind of mistake in a game file.

#include <gtest/gtest.h>

#include <ostream>

#include "support.hpp"
#include "zithercraft/game/game.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
namespace {

struct Mistake {
  const char *from, *to;
  const char* message;  // the whole line after the file's name
};

class BadGame : public ::testing::TestWithParam<Mistake> {};

TEST_P(BadGame, GetsOneClearError) {
  const auto& [from, to, message] = GetParam();
  const Error error = test::error_of(
      [&, from = from, to = to] { parse_game(test::mooring_with(from, to), "game.toml"); });
  EXPECT_EQ(error.kind(), ErrorKind::spec);
  EXPECT_STREQ(error.what(), (std::string("game.toml") + message).c_str());
}

void PrintTo(const Mistake& mistake, std::ostream* out) { *out << mistake.to; }

INSTANTIATE_TEST_SUITE_P(
    Mistakes, BadGame,
    ::testing::Values(
        Mistake{"ticks_per_step = 4", "tick_per_step = 4",
                ":6 (tick_per_step): unknown key 'tick_per_step'; did you mean 'ticks_per_step'?"},
        Mistake{"tick = 0.05", "tick = \"fast\"",
                ":9 (arena.tick): expected a number, found the text 'fast'; change the value"},
        Mistake{"tick = 0.05", "tick = nan",
                ":9 (arena.tick): the number is not finite; give a finite number"},
        Mistake{"tick = 0.05", "tick = 3",
                ":9 (arena.tick): 3 is too large; give a number of at most 0.25"},
        Mistake{"closed = true", "closed = 1",
                ":14 (arena.walls[0].closed): expected true or false, found the whole number 1; "
                "change the value"},
        Mistake{"length = 5.0, width = 4.0", "length = -5.0, width = 4.0",
                ":18 (arena.zones[0].shape.length): -5 is too small; give a number above 0"},
        Mistake{"count = 8", "count = 0",
                ":23 (arena.bodies[0].count): 0 is too small; give a number of at least 1"},
        Mistake{"motion = \"free\"", "motion = \"fre\"",
                ":29 (arena.bodies[1].motion): unknown value 'fre'; did you mean 'free'?"},
        Mistake{"kind = \"boat\"", "kind = \"bote\"",
                ":33 (arena.bodies[1].mover.kind): unknown kind 'bote'; did you mean 'boat'?"},
        Mistake{"sees = [\"quay\", \"hull\", \"berth\"]", "sees = [\"quay\", \"hul\", \"berth\"]",
                ":41 (roles[0].senses[0].sees[1]): nothing in the arena bears the tag 'hul'; did "
                "you mean 'hull'?"},
        Mistake{"with = [\"hull\", \"quay\"]", "with = [\"hull\", \"key\"]",
                ":78 (roles[0].rewards[2].on.with[1]): nothing in the arena bears the tag 'key'; "
                "known are hull, "
                "skiff, berth and quay"},
        Mistake{"progress = { to = \"berth\" }", "progress = { to = \"quay\" }",
                ":67 (roles[0].rewards[0].progress.to): the tag 'quay' is borne by walls or cells "
                "only, and a distance "
                "needs "
                "a body, zone or item; "
                "choose another tag"},
        Mistake{"inside = \"berth\"", "inside = \"hull\"",
                ":72 (roles[0].rewards[1].when.inside): no zone bears the tag 'hull'; name a "
                "zone's tag"},
        Mistake{"name = \"throttle\"", "name = \"speed\"",
                ":47 (roles[0].controls[0].drives): the body has no input 'speed'; known are "
                "throttle and rudder"},
        Mistake{"low = -0.5, high = 1.0", "low = 0.5, high = 0.2",
                ":47 (roles[0].controls[0].high): the dial's range is empty; make high larger than "
                "low"},
        Mistake{
            "each_step = \"always\"", "each_step = \"alway\"",
            ":84 (roles[0].rewards[3].each_step): unknown value 'alway'; did you mean 'always'?"},
        Mistake{"each_step = \"always\"", "progress = { to = \"berth\" }\neach_step = \"always\"",
                ":81 (roles[0].rewards[3]): the term 'time' has 2 triggers; give exactly one of "
                "progress, on, when, "
                "change, near_miss, visits, "
                "each_step and each_second"},
        Mistake{"name = \"time\"", "name = \"bump\"",
                ":64 (roles[0].rewards): two terms are named 'bump'; give them different names"},
        Mistake{"script = \"steer_home\"", "body = \"skif\"",
                ":38 (roles[0].body): no body is named 'skif'; did you mean 'skiff'?"},
        Mistake{"[arena]\n", "[arena\n",
                ":8: not valid TOML: Error while parsing table header: expected ']', saw '\\n'; "
                "fix the syntax there"}));

struct DemoMistake {
  const char *demo, *from, *to;
  const char* message;  // a part of the line after the file's name
};

class BadDemo : public ::testing::TestWithParam<DemoMistake> {};

TEST_P(BadDemo, GetsOneClearError) {
  const auto& [demo, from, to, message] = GetParam();
  std::string text =
      test::read_file(test::project_folder() / "demos" / (std::string(demo) + ".toml"));
  const std::size_t at = text.find(from);
  ASSERT_NE(at, std::string::npos) << from;
  text.replace(at, std::string(from).size(), to);
  const Error error = test::error_of([&] { parse_game(text, "game.toml"); });
  EXPECT_EQ(error.kind(), ErrorKind::spec);
  EXPECT_NE(std::string(error.what()).find(message), std::string::npos) << error.what();
}

void PrintTo(const DemoMistake& mistake, std::ostream* out) { *out << mistake.to; }

INSTANTIATE_TEST_SUITE_P(
    Mistakes, BadDemo,
    ::testing::Values(
        DemoMistake{"fogbank", "across = 12", "across = 1e30",
                    "the picture shows more than 1024 cells or blocks from corner to corner"},
        DemoMistake{"locks", "symbol = \".\"", "symbol = \"..\"",
                    "(arena.cells.kinds[1].symbol): '..' cannot stand for a cell; choose one "
                    "printable ASCII character"},
        DemoMistake{"locks", "symbol = \"w\"", "symbol = \"#\"",
                    "two kinds have the symbol '#'; choose another"},
        DemoMistake{"locks", "#######nnn#######", "#######nXn#######",
                    "no kind has the symbol 'X'; give a kind that symbol, or use a space"},
        DemoMistake{"locks", "meeting = \"none\"", "meeting = \"non\"",
                    "unknown value 'non'; did you mean 'none'?"},
        DemoMistake{"locks", "ticks_per_move = 1 }", "ticks_per_move = 1, faces_move = true }",
                    "no control makes one"},
        DemoMistake{"locks", "kind = \"stepper\"", "kind = \"walker\"",
                    "unknown key 'ticks_per_move'; known are speed, acceleration, turn_rate, jump, "
                    "step_height, slope, in_air, pitch_rate and "
                    "pitch_limit"},
        DemoMistake{"locks", "beyond = \"bank\"", "beyond = \"canal\"",
                    "the window does not see 'canal'"},
        DemoMistake{"locks", "count = 4", "count = 5",
                    "there are 5 seats and 4 things of tag 'berth' to pair them with"},
        DemoMistake{"locks", "on = [\"east_arm\"]", "on = [\"east_arn\"]",
                    "no kind of cell is named 'east_arn'; did you mean 'east_arm'?"},
        DemoMistake{
            "tidepools", "wall = \"rock\"", "wall = \"rok\"",
            "(arena.cells.generate[0].wall): no kind of cell is named 'rok'; did you mean 'rock'?"},
        DemoMistake{"tidepools", "columns = 21", "columns = 2", "the map is too small for a maze"},
        DemoMistake{"tidepools", "columns = 21", "columns = 5000", "5000 is too large"},
        DemoMistake{"tidepools", "connect = [\"wader\"", "connect = [\"wade\"",
                    "no body, zone or item is named 'wade'; did you mean 'wader'?"},
        DemoMistake{"tidepools", "chases = [\"wader\"]", "chases = [\"crew\"]",
                    "nothing in the arena bears the tag 'crew'"},
        DemoMistake{"tidepools", "kills = [\"wader\"] },", "kills = [\"gull\"] },",
                    "nothing in the arena bears the tag 'gull'"},
        DemoMistake{"narrows", "tall = [0.4, 3.0]", "tall = [3.0, 0.4]",
                    "the range of heights runs backwards"},
        DemoMistake{"narrows", "from_height = 0.3", "to_height = 31.0",
                    "the rays are too short to end at that height"},
        DemoMistake{"narrows",
                    "[arena.heights]\ngravity = 9.81\nfloor = { name = \"water\", grip = 0.0 }\n",
                    "", "this needs an arena with height"},
        DemoMistake{"kelpdive", "in = [\"coral\"]", "in = [\"choral\"]",
                    "no kind of block is named 'choral'; did you mean 'coral'?"},
        DemoMistake{"flare", "rise = [-5, 45]", "rise = [-5, 450]", "450 is too large"},
        DemoMistake{"tidepools", "kind = \"walker\", speed = 1.0", "kind = \"boat\", thrust = 1.0",
                    "unknown key 'acceleration'"},
        DemoMistake{"tidepools", "script = \"walk_home\"\n\nsenses", "body = \"crab\"\n\nsenses",
                    "'crab' wanders by itself; remove its wanderer, or control another body"},
        DemoMistake{"lanternboat", "meter = \"lanterns\"", "meter = \"lantern\"",
                    "no body has a meter 'lantern'; did you mean 'lanterns'?"},
        DemoMistake{"lanternboat", "high = 10, start = 0", "high = 0, start = 0",
                    "the meter's range is empty"},
        DemoMistake{"lanternboat", "high = 10, start = 0", "high = 10, start = 20",
                    "the meter starts outside its range"},
        DemoMistake{"lanternboat", "collectors = [\"collector\"]", "collectors = [\"colector\"]",
                    "did you mean 'collector'?"},
        DemoMistake{"lanternboat", "of = \"collector\"", "of = \"lantern\"",
                    "no body bears the tag 'lantern'"},
        DemoMistake{"lanternboat", "event = \"full\"", "event = \"ful\"",
                    "unknown value 'ful'; did you mean 'full'?"},
        DemoMistake{"barge", "motion = \"free\"", "motion = \"carried\"",
                    "a carried body needs a track; add `track`"},
        DemoMistake{"barge", "length = 7.0, width = 3.0 }",
                    "length = 7.0, width = 3.0 }\ntrack = { points = [[1, 0]] }",
                    "only a carried body follows a track"},
        DemoMistake{"barge", "{ kind = \"box\", length = 7.0, width = 3.0 }",
                    "{ kind = \"outline\", corners = [[0, 0], [2, 0], [1, 0.5], [2, 2]] }",
                    "the outline is not convex there"},
        DemoMistake{"barge", "{ kind = \"box\", length = 7.0, width = 3.0 }",
                    "{ kind = \"outline\", corners = [[0, 0], [2, 0]] }",
                    "an outline has 3 to 8 corners, this one has 2"},
        DemoMistake{"skerries", "vital = true },", "vitl = true },",
                    "unknown key 'vitl'; did you mean 'vital'?"},
        DemoMistake{"skerries", "sets = { ahead = 1 }", "sets = { ahed = 1 }",
                    "the body has no input 'ahed'; did you mean 'ahead'?"},
        DemoMistake{"skerries", "sets = { ahead = 1 }", "sets = { ahead = 3 }", "3 is too large"},
        DemoMistake{"skerries", "{ name = \"wait\" }", "{ name = \"wait\", value = 1 }",
                    "a choice cannot mix `value` and `sets`"}));

TEST(BadGame, MissingKeysAndFilesAreNamed) {
  EXPECT_STREQ(test::error_of([] { parse_game("name = \"x\"", "x.toml"); }).what(),
               "x.toml:1: the key 'arena' is missing; add it");
  const Error missing = test::error_of([] { load_game("no/such/game.toml"); });
  EXPECT_EQ(missing.kind(), ErrorKind::file);
  EXPECT_NE(std::string(missing.what()).find("no/such/game.toml: cannot read the file"),
            std::string::npos);
}

TEST(BadGame, SpecsBuiltInCodeAreCheckedAsWell) {
  GameSpec game = test::mooring();
  game.arena.tick = -1;
  EXPECT_EQ(test::error_of([&] { Game compiled(game); }).where(), "game built in C++ (arena.tick)");
  game = test::mooring();
  game.role("skiff").senses.clear();
  EXPECT_EQ(test::error_of([&] { Game compiled(game); }).problem(), "the role senses nothing");
}

}  // namespace
}  // namespace zithercraft
