// Stages of a curriculum: what they change, when they are left, and which lanes play them.

#include <gtest/gtest.h>

#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/curriculum.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
namespace {

GameSpec staged(std::vector<Stage> stages) {
  GameSpec game = test::mooring();
  game.stages = std::move(stages);
  return game;
}

GameSpec three_stages() {
  return staged(
      {{.name = "open water",
        .set = {{"arena.bodies.hull.count", 2}, {"roles.skiff.rewards.time.weight", -0.01}},
        .advance = {.metric = "success", .at_least = 0.5, .over = 4}},
       {.name = "near",
        .set = {{"arena.bodies.skiff.place.region", Value::List{-5.0, -5, 5.0, 5}},
                {"cutoffs.steps", 50}},
        .advance = {.metric = "bump", .at_least = -0.5, .over = 2, .steps = 1000},
        .earlier = 0.25}});
}

TEST(Stages, SetKeysByTheirPaths) {
  const Game game(three_stages());
  ASSERT_EQ(game.stages(), 3u);
  EXPECT_EQ(game.stage_name(0), "open water");
  EXPECT_EQ(game.stage_name(2), "mooring");
  EXPECT_EQ(game.stage(0).spec().arena.bodies[0].count, 2);
  EXPECT_EQ(game.stage(0).spec().roles[0].rewards[3].weight, -0.01);
  EXPECT_EQ(game.stage(1).spec().arena.bodies[0].count, 8);
  EXPECT_EQ(game.stage(1).spec().cutoffs.steps, 50);
  EXPECT_EQ(game.stage(1).spec().arena.bodies[1].place.region, (std::array{-5.0, -5.0, 5.0, 5.0}));
  EXPECT_EQ(game.stage(2).fingerprint(), game.fingerprint());
  EXPECT_NE(game.stage(1).fingerprint(), game.fingerprint());
}

TEST(Stages, SurviveTomlAndBack) {
  const GameSpec game = three_stages();
  EXPECT_EQ(parse_game(to_toml(game)), game);
}

TEST(Stages, KeepCustomParts) {
  GameSpec game = three_stages();
  game.roles[0].rewards.push_back(
      {.name = "gentle", .each_step = [](const SeatView&) { return 0.25; }});
  Lanes lanes(Game(game), 1);
  lanes.assign_stage(0, 0);
  lanes.begin(0, {});
  lanes.step(0);
  EXPECT_EQ(lanes.rewards_by_term(0, 0)[4], 0.25f);
  EXPECT_EQ(lanes.rewards_by_term(0, 0)[3], -0.01f);
}

TEST(Stages, LanesPlayDifferentOnes) {
  const Game game(three_stages());
  Lanes lanes(game, 3);
  for (std::size_t lane = 0; lane < 3; ++lane) {
    lanes.assign_stage(lane, lane);
    lanes.begin(lane, {1, 0, 0});
    EXPECT_EQ(lanes.stage(lane), lane);
  }
  EXPECT_EQ(lanes.game_of(0).arena().bodies_named("hull").size(), 2u);
  EXPECT_EQ(lanes.game_of(2).arena().bodies_named("hull").size(), 8u);
  // The same episode alone, in the stage's own game.
  for (std::size_t stage = 0; stage < 3; ++stage) {
    Lanes alone(game.stage(stage), 1);
    alone.begin(0, {1, 0, 0});
    for (int d = 0; d < 50; ++d) {
      lanes.control(0, stage)[0] = 0.4f;
      alone.control(0, 0)[0] = 0.4f;
      if (alone.outcome(0) != Outcome::running) break;
      lanes.step(stage);
      alone.step(0);
      const auto a = lanes.observation(0, stage), b = alone.observation(0, 0);
      ASSERT_TRUE(std::equal(a.begin(), a.end(), b.begin()));
      ASSERT_EQ(lanes.outcome(stage), alone.outcome(0));
    }
    EXPECT_EQ(lanes.game_of(stage).arena().hash(lanes.arena_state(stage)), alone.view(0).hash());
  }
  lanes.assign_stage(0, 2);
  EXPECT_EQ(lanes.stage(0), 0u) << "until the next episode";
  lanes.begin(0, {1, 0, 0});
  EXPECT_EQ(lanes.game_of(0).arena().bodies_named("hull").size(), 8u);
}

EpisodeResult episode(bool success, std::size_t stage, double bump = 0) {
  return {.outcome = success ? Outcome::success : Outcome::cutoff,
          .stage = stage,
          .ledger = {0, 0, bump, 0}};
}

TEST(Curriculum, AdvancesWhenAStageIsLearned) {
  Curriculum c((Game(three_stages())));
  for (int i = 0; i < 3; ++i) c.add(episode(true, 0));
  EXPECT_FALSE(c.advance(100)) << "three episodes are not four";
  c.add(episode(false, 0));
  c.add(episode(false, 0));
  c.add(episode(false, 0));
  EXPECT_FALSE(c.advance(200)) << "one in four";
  c.add(episode(true, 0));
  c.add(episode(true, 0));
  EXPECT_TRUE(c.advance(300)) << "two in four";
  EXPECT_EQ(c.stage(), 1u);
  c.add(episode(true, 1));
  c.add(episode(true, 0));  // of an earlier stage: does not count
  EXPECT_FALSE(c.advance(1299)) << "one episode is not two";
  EXPECT_TRUE(c.advance(1300)) << "a thousand steps are enough in any case";
  EXPECT_EQ(c.stage(), 2u);
  EXPECT_FALSE(c.advance(1'000'000)) << "the last stage is not left";
}

TEST(Curriculum, LeavesAStageByItsMetricBeforeTheStepsAreTaken) {
  Curriculum c((Game(three_stages())));
  c.restore(std::vector<double>{1, 300});
  c.add(episode(false, 1, -1));
  c.add(episode(false, 1, -1));
  EXPECT_FALSE(c.advance(400));
  c.add(episode(false, 1, 0));
  EXPECT_TRUE(c.advance(500));
}

TEST(Curriculum, KeepsAShareOfEpisodesOnEarlierStages) {
  Curriculum c((Game(three_stages())));
  EXPECT_EQ(c.stage_of({1, 0, 0}), 0u);
  c.restore(std::vector<double>{1, 500, 1, 0});
  int early = 0;
  for (std::uint32_t e = 0; e < 4000; ++e) {
    const std::size_t stage = c.stage_of({1, e % 7, e});
    early += stage == 0;
    EXPECT_EQ(stage, c.stage_of({1, e % 7, e}));
  }
  EXPECT_NEAR(early, 1000, 100);
}

TEST(Curriculum, RemembersEverything) {
  Curriculum a((Game(three_stages()))), b = a;
  for (int i = 0; i < 3; ++i) a.add(episode(i % 2 == 0, 0));
  b.restore(a.numbers());
  a.add(episode(true, 0));
  b.add(episode(true, 0));
  EXPECT_EQ(a.advance(5), b.advance(5));
  EXPECT_EQ(a.numbers(), b.numbers());
  EXPECT_EQ(test::error_of([&] {
              b.restore(std::vector<double>{7, 0});
            }).kind(),
            ErrorKind::refused);
}

TEST(Stages, RefuseWhatMakesNoSense) {
  const Advance soon{.steps = 10};
  const auto problem = [](std::vector<Stage> stages) {
    const Error error = test::error_of([&] { Game game(staged(std::move(stages))); });
    EXPECT_FALSE(error.fix().empty());
    return error.problem() + " @ " + error.where() + " @ " + error.fix();
  };
  const auto has = [](const std::string& text, const std::string& part) {
    return text.find(part) != std::string::npos;
  };
  EXPECT_TRUE(has(problem({{.name = "a"}}), "nothing says when the stage has been learned"));
  EXPECT_TRUE(has(problem({{.name = "a", .advance = soon}, {.name = "a", .advance = soon}}),
                  "two stages are named 'a'"));
  EXPECT_TRUE(
      has(problem({{.name = "a", .advance = {.metric = "succes"}}}), "did you mean 'success'"));
  EXPECT_TRUE(has(problem({{.name = "a", .advance = soon, .earlier = 0.5}}),
                  "no stage is earlier than the first"));
  const auto set = [&](const char* key, Value value) {
    return problem({{.name = "a", .set = {{key, std::move(value)}}, .advance = soon}});
  };
  EXPECT_TRUE(has(set("arena.bodies.hul.count", 3), "did you mean 'hull'"))
      << set("arena.bodies.hul.count", 3);
  EXPECT_TRUE(has(set("arena.bodies[9].count", 3), "the list has 2 entries"));
  EXPECT_TRUE(has(set("arena.bodies.hull.cont", 3), "unknown key 'cont'"));
  EXPECT_TRUE(has(set("arena.bodies.hull.count", "three"), "expected a whole number"));
  EXPECT_TRUE(has(set("arena.tick", -1.0), "-1 is too small"));
  EXPECT_TRUE(has(set("roles.skiff.senses[0].rays", 12),
                  "the stage changes the columns of the role 'skiff'"));
  EXPECT_TRUE(has(set("roles.skiff.rewards[0].name", "way"), "the stage changes the terms"));
  EXPECT_TRUE(has(set("arena.bodies.skiff.count", 2), "number of seats"));
  EXPECT_TRUE(has(set("arena.bodies.hull.count[0]", 2), "leads nowhere"));
}

}  // namespace
}  // namespace zithercraft
