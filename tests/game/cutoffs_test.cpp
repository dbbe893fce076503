// Cutoffs: the one that ended an episode is reported, and none of them is a verdict.

#include <gtest/gtest.h>

#include "support.hpp"
#include "zithercraft/game/episode.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
namespace {

Lanes meadow(const std::string& cutoffs) {
  Lanes lanes(Game(parse_game(R"(
    name = "meadow"
    ticks_per_step = 1
    cutoffs = { )" + cutoffs + R"( }
    [arena]
    tick = 0.1
    zones = [{ name = "well", kept_free = false, place = { region = [4, 0, 4, 0] } }]
    items = [{ name = "herb", place = { region = [2, 0, 2, 0] } }]
    bodies = [{ name = "goat", motion = "free", mover = { kind = "walker", speed = 1, acceleration = 100 } }]
    [[roles]]
    name = "goat"
    senses = [{ kind = "own_motion" }]
    controls = [{ kind = "dial", name = "ahead" }]
    rewards = [{ name = "herb", on = { event = "collect" } },
               { name = "too_fast", when = { faster_than = 50 }, ends = "failure" }]
  )")),
              1);
  lanes.begin(0, {});
  return lanes;
}

// Walks on at a pace until the episode ends; returns how many steps it took.
std::uint32_t walk(Lanes& lanes, float pace) {
  while (lanes.outcome(0) == Outcome::running && lanes.steps(0) < 1000) {
    lanes.control(0, 0)[0] = pace;
    lanes.step(0);
  }
  return lanes.steps(0);
}

TEST(Cutoffs, ByTime) {
  Lanes lanes = meadow("steps = 17");
  EXPECT_EQ(walk(lanes, 0.1f), 17u);
  EXPECT_EQ(lanes.outcome(0), Outcome::cutoff);
  EXPECT_EQ(lanes.ended_by(0), EndedBy::time);
  EXPECT_EQ(episode_result(lanes, 0, 0).ended_by, EndedBy::time);
  EXPECT_EQ(lanes.events(0).back().kind, EventKind::cutoff);
  EXPECT_EQ(lanes.events(0).back().detail, static_cast<std::int32_t>(EndedBy::time));
}

TEST(Cutoffs, ByDistanceFromTheStart) {
  Lanes lanes = meadow("steps = 500, too_far = [{ beyond = 3 }]");
  EXPECT_NEAR(walk(lanes, 1), 31, 1);
  EXPECT_EQ(lanes.ended_by(0), EndedBy::too_far);
}

TEST(Cutoffs, ByDistanceFromAThing) {
  Lanes lanes = meadow("steps = 500, too_far = [{ from = \"well\", beyond = 4.5 }]");
  EXPECT_NEAR(walk(lanes, -1), 6, 1);
  EXPECT_EQ(lanes.ended_by(0), EndedBy::too_far);
}

TEST(Cutoffs, ByTimeSinceAnEvent) {
  const std::string rule = "steps = 500, stalls = [{ since = \"collect\", steps = 30 }]";
  Lanes still = meadow(rule), walking = meadow(rule);
  EXPECT_EQ(walk(still, 0), 30u);
  EXPECT_EQ(still.ended_by(0), EndedBy::stall);
  const std::uint32_t ended = walk(walking, 1);
  EXPECT_GT(ended, 40u) << "it took a herb on its way";
  EXPECT_LT(ended, 55u);
  EXPECT_EQ(walking.ledger(0, 0)[0], 1);
}

TEST(Cutoffs, ByAStateThatIsThereAgain) {
  Lanes lanes = meadow("steps = 500, repeats = { times = 5, within = 20 }");
  EXPECT_EQ(walk(lanes, 0), 4u) << "the start is the first of five";
  EXPECT_EQ(lanes.ended_by(0), EndedBy::repeats);
  Lanes moving = meadow("steps = 60, repeats = { times = 5, within = 20 }");
  walk(moving, 0.5f);
  EXPECT_EQ(moving.ended_by(0), EndedBy::time);
}

TEST(Cutoffs, CountLessThanAVerdict) {
  Lanes lanes = meadow("steps = 1");
  lanes.game().arena().set_velocity(lanes.arena_state(0), 0, {1000, 0, 0, 0});
  lanes.step(0);
  EXPECT_EQ(lanes.outcome(0), Outcome::failure);
  EXPECT_EQ(lanes.ended_by(0), EndedBy::verdict);
}

TEST(Cutoffs, GoOnFromASnapshotAsIfNothingHadHappened) {
  const std::string rule =
      "steps = 500, too_far = [{ beyond = 9 }], stalls = [{ since = \"collect\", steps = 40 }], "
      "repeats = {}";
  Lanes lanes = meadow(rule), other = meadow(rule);
  for (int d = 0; d < 25; ++d) {
    lanes.control(0, 0)[0] = 1;
    lanes.step(0);
  }
  other.restore(0, lanes.state(0));
  EXPECT_EQ(walk(lanes, 1), walk(other, 1));
  EXPECT_EQ(lanes.ended_by(0), other.ended_by(0));
}

TEST(Cutoffs, RefuseWhatMakesNoSense) {
  const std::pair<const char*, const char*> cases[] = {
      {"too_far = [{ from = \"wel\" }]", "nothing in the arena bears the tag 'wel'"},
      {"stalls = [{ steps = 3 }]", "the key 'since' is missing"},
      {"stalls = [{ since = \"collect\", of = \"herb\" }]", "no body bears the tag 'herb'"},
      {"repeats = { times = 9, within = 4 }",
       "a state cannot be there so often within so few steps"}};
  for (const auto& [rule, problem] : cases) {
    const Error error = test::error_of([&, text = rule] { meadow(text); });
    EXPECT_NE(error.problem().find(problem), std::string::npos) << rule << ": " << error.what();
  }
}

}  // namespace
}  // namespace zithercraft
