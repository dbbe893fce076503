// Roles of opposed sides: who mirrors whom, and whose verdict ends an episode.

#include <gtest/gtest.h>

#include "support.hpp"
#include "zithercraft/game/episode.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
namespace {

GameSpec barge() { return load_game(test::project_folder() / "demos/barge.toml"); }

Error refusal(const GameSpec& spec) {
  return test::error_of([&] { Game game(spec); });
}

TEST(Mirrors, AreLaidOutAlike) {
  const Game game(barge());
  EXPECT_EQ(game.roles()[0].mirrors, 0u);
  EXPECT_EQ(game.roles()[1].mirrors, 0u);
  EXPECT_TRUE(opposed(game.roles()[0], game.roles()[1]));
  GameSpec spec = barge();
  spec.roles[1].mirrors = "nobody";
  EXPECT_NE(refusal(spec).problem().find("no role named before it"), std::string::npos);
  spec.roles[1].mirrors = "east_tug";
  EXPECT_EQ(refusal(spec).where(), "roles[1].mirrors");
  spec = barge();
  spec.roles[1].senses.pop_back();
  EXPECT_NE(refusal(spec).problem().find("columns here"), std::string::npos);
  spec = barge();
  std::get<RayFan>(spec.roles[1].senses[0]).reach = 40;
  EXPECT_NE(refusal(spec).problem().find("is not like"), std::string::npos);
  spec = barge();
  spec.roles[1].keys.clear();
  spec.roles[1].controls.pop_back();
  EXPECT_NE(refusal(spec).problem().find("controls differ"), std::string::npos);
  EXPECT_EQ(parse_game(to_toml(barge()), "again"), barge());
}

// What the north wins the east loses, whichever side's term says so.
TEST(Verdicts, AreThoseOfTheSideOfWhomTheyAreToldTo) {
  const auto outcome = [](std::size_t deciding_role, Verdict verdict, std::size_t seen_by) {
    GameSpec spec = barge();
    for (RoleSpec& role : spec.roles)
      for (Term& term : role.rewards) term.ends = Verdict::none;
    spec.cutoffs.steps = 50;
    Term at_once{.name = "at once", .when = Condition{.of = "barge", .slower_than = 1000.0}};
    at_once.ends = verdict;
    spec.roles[deciding_role].rewards.push_back(at_once);
    const Game game(spec);
    Lanes lanes(game, 1);
    lanes.begin(0, {1, 0, 0});
    while (lanes.outcome(0) == Outcome::running) lanes.step(0);
    EXPECT_EQ(lanes.steps(0), 1u);
    return episode_result(lanes, seen_by, 0).outcome;
  };
  EXPECT_EQ(outcome(0, Verdict::success, 0), Outcome::success);
  EXPECT_EQ(outcome(0, Verdict::success, 1), Outcome::failure);
  EXPECT_EQ(outcome(1, Verdict::success, 1), Outcome::success);
  EXPECT_EQ(outcome(1, Verdict::success, 0), Outcome::failure);
  EXPECT_EQ(outcome(1, Verdict::failure, 0), Outcome::success);
}

}  // namespace
}  // namespace zithercraft
