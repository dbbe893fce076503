#include "zithercraft/match/steering.hpp"

#include <gtest/gtest.h>

#include <fstream>

#include "support.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
namespace {

std::vector<float> now(const Steering& steering, std::size_t controls) {
  std::vector<float> out(controls, 9.0f);
  steering.controls(out);
  return out;
}

Role role_of(const std::string& demo, std::size_t role = 0) {
  return Game(load_game(test::project_folder() / "demos" / (demo + ".toml"))).roles()[role];
}

using Values = std::vector<float>;

TEST(Steering, DialsAddUpWhatIsHeldAndStayInTheirRange) {
  Steering hands(role_of("mooring"));
  EXPECT_EQ(now(hands, 2), (Values{0, 0}));
  hands.press("ArrowUp");
  hands.press("KeyW");
  hands.press("KeyD");
  EXPECT_EQ(now(hands, 2), (Values{1, -1}));
  hands.press("ArrowDown");
  hands.release("KeyW");
  hands.decided();
  EXPECT_EQ(now(hands, 2), (Values{0.5f, -1}));
  hands.let_go();
  EXPECT_EQ(now(hands, 2), (Values{0, 0}));
  hands.gamepad({0.25f, -0.5f}, {});
  EXPECT_EQ(now(hands, 2), (Values{0.5f, -0.25f}));
  hands.gamepad({5.0f}, {});
  EXPECT_EQ(now(hands, 2), (Values{0, -1}));
}

TEST(Steering, ChoicesTakeWhatWasPressedLast) {
  const Role role = role_of("locks");
  ASSERT_EQ(role.controls[0].options,
            (std::vector<std::string>{"wait", "ahead", "left", "right", "back"}));
  Steering hands(role);
  hands.press("ArrowUp");
  hands.press("ArrowLeft");
  EXPECT_EQ(now(hands, 1), Values{2});
  hands.release("ArrowLeft");
  hands.decided();
  EXPECT_EQ(now(hands, 1), Values{1});
  hands.gamepad({}, std::vector<bool>(16, true));
  EXPECT_EQ(now(hands, 1), Values{1}) << "keys count before buttons";
  hands.let_go();
  EXPECT_EQ(now(hands, 1), Values{0});
}

TEST(Steering, AShortPressCountsForOneStep) {
  Steering hands(role_of("mooring"));
  hands.press("ArrowUp");
  hands.release("ArrowUp");
  EXPECT_EQ(now(hands, 2), (Values{1, 0}));
  hands.decided();
  EXPECT_EQ(now(hands, 2), (Values{0, 0}));
  // The same by what is held now, as a page sends it.
  hands.hold({"ArrowUp"});
  hands.hold({});
  hands.hold({"ArrowLeft"});
  EXPECT_EQ(now(hands, 2), (Values{1, 1}));
  hands.decided();
  EXPECT_EQ(now(hands, 2), (Values{0, 1}));
}

TEST(Steering, WhatIsPointedAtComesBeforeKeys) {
  const Role role = role_of("skerries");
  Steering hands(role);
  const auto options = [&] { return now(hands, role.controls.size()); };
  hands.press("KeyM");
  EXPECT_EQ(options(), (std::vector<float>{0, 1, 0}));
  hands.point({{"mob", "3"}});
  EXPECT_EQ(options(), (std::vector<float>{0, 3, 0}));
  hands.decided();
  hands.point({{"feed", "1"}});
  EXPECT_EQ(options(), (std::vector<float>{0, 3, 1})) << "let go of too early, it still counts";
  hands.decided();
  EXPECT_EQ(options(), (std::vector<float>{0, 1, 1}));
  hands.let_go();
  EXPECT_EQ(options(), (std::vector<float>{0, 0, 0}));
  for (const auto& [control, option] : {std::pair("mbo", "1"), std::pair("mob", "9")})
    EXPECT_EQ(test::error_of([&, c = control, o = option] {
                hands.point({{c, o}});
              }).kind(),
              ErrorKind::usage);
}

TEST(Steering, GamesWithoutKeysGetTheUsualOnes) {
  GameSpec spec = test::duck_pond();
  EXPECT_TRUE(spec.roles[0].keys.empty());
  const Role role = Game(spec).roles()[0];
  Steering hands(role);
  EXPECT_EQ(now(hands, 2), (Values{0, 1})) << "at rest: no paddling, straight on";
  hands.press("Digit2");
  hands.press("KeyQ");
  EXPECT_EQ(now(hands, 2), (Values{1, 0}));
  spec.roles[0].controls = {Dial{.name = "throttle"},
                            Dial{.name = "rudder", .low = 0.2, .high = 0.8}};
  Steering dials(Game(spec).roles()[0]);
  EXPECT_EQ(now(dials, 2), (Values{0, 0.2f}));
  dials.press("ArrowLeft");
  EXPECT_EQ(now(dials, 2), (Values{0, 0.8f}));
}

TEST(Steering, BindingsAreCheckedAndKept) {
  GameSpec spec = test::duck_pond();
  spec.roles[0].keys = {{.key = "KeyJ", .control = "paddle", .option = "go"},
                        {.axis = 3, .control = "turn", .value = -1, .option = "left"},
                        {.button = 2, .control = "turn", .option = "right"}};
  EXPECT_EQ(parse_game(to_toml(spec)), spec);
  Steering hands(Game(spec).roles()[0]);
  hands.gamepad({0, 0, 0, -0.6f}, {false, false, false});
  EXPECT_EQ(now(hands, 2), (Values{0, 0}));
  const auto complaint = [&](KeyBinding binding) {
    spec.roles[0].keys = {std::move(binding)};
    return std::string(test::error_of([&] { Game game(spec); }).what());
  };
  EXPECT_EQ(complaint({.control = "turn", .option = "left"}),
            "roles[0].keys[0]: a binding needs exactly one of key, axis and button; say what is "
            "pressed or moved");
  EXPECT_EQ(complaint({.key = "ArowUp", .control = "turn", .option = "left"}),
            "roles[0].keys[0].key: there is no key 'ArowUp'; did you mean 'ArrowUp'?");
  EXPECT_EQ(complaint({.key = "KeyA", .control = "turm", .option = "left"}),
            "roles[0].keys[0].control: the role has no control 'turm'; did you mean 'turn'?");
  EXPECT_EQ(
      complaint({.key = "KeyA", .control = "turn"}),
      "roles[0].keys[0].option: 'turn' is a choice, and the binding names no option; name one");
  EXPECT_EQ(complaint({.key = "KeyA", .control = "turn", .option = "lefd"}),
            "roles[0].keys[0].option: 'turn' has no option 'lefd'; did you mean 'left'?");
  EXPECT_EQ(complaint({.key = "KeyA", .control = "turn", .value = 3, .option = "left"})
                .find("game built in C++ (roles[0].keys[0].value)"),
            0u);
}

TEST(KeyScript, PressesAndReleasesAtItsSteps) {
  KeyScript script = KeyScript::parse(
      "# to the berth\n0 press ArrowUp\n\n2 release ArrowUp  # enough\n2 press KeyD\n", "k");
  Steering hands(role_of("mooring"));
  std::vector<Values> seen;
  for (std::uint32_t d = 0; d < 4; ++d) {
    script.apply(hands, d);
    seen.push_back(now(hands, 2));
    hands.decided();
  }
  EXPECT_EQ(seen, (std::vector<Values>{{1, 0}, {1, 0}, {1, -1}, {0, -1}}))
      << "what is let go counts once more";
  for (const auto& [text, wanted] :
       {std::pair<std::string, std::string>{
            "x press KeyA",
            "k:1: 'x' is no step's number; begin the line with a whole number, from 0"},
        {"\n1 push KeyA", "k:2: 'push' is neither press nor release; write: STEP press KEY"},
        {"1 press Keya", "k:1: there is no key 'Keya'; did you mean 'KeyA'?"},
        {"1 press KeyA KeyB", "k:1: 'KeyB' follows the key; write one key on a line"},
        {"5 press KeyA\n4 release KeyA",
         "k:2: the steps are not in order; sort the lines by their first number"}})
    EXPECT_EQ(std::string(test::error_of([&, bad = text] { KeyScript::parse(bad, "k"); }).what()),
              wanted);
}

}  // namespace
}  // namespace zithercraft
