// Games of the user's own: what an environment makes of a class that knows all of its game.

#include <gtest/gtest.h>

#include <limits>

#include "counting_new.hpp"
#include "custom_games.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/overrides.hpp"

namespace zithercraft {
namespace {

using test::winch;

// Both hands of a lane do the same.
void haul(Environment& environment, std::size_t lane, float rope, float voice = 0.0f) {
  for (std::size_t row = 2 * lane; row < 2 * lane + 2; ++row) {
    environment.control(0, row)[0] = rope;
    environment.control(0, row)[1] = voice;
  }
  environment.step(lane);
}

std::vector<float> sensed(const Environment& environment, std::size_t lane) {
  const auto all = environment.observations(0);
  const std::size_t each = all.size() / environment.count();
  return {all.begin() + static_cast<std::ptrdiff_t>(lane * each),
          all.begin() + static_cast<std::ptrdiff_t>((lane + 1) * each)};
}

TEST(CustomGame, IsAnEnvironmentLikeAnyOther) {
  const Game game(winch());
  const auto environment = make_environment(game, 3);
  EXPECT_EQ(environment->rows(0), 6u);
  ASSERT_EQ(game.roles()[0].columns.size(), 4u);
  EXPECT_EQ(game.roles()[0].columns[0].name, "winch.boat");
  EXPECT_EQ(game.roles()[0].columns[3].name, "may.voice.call");
  environment->begin(1, {5, 0, 0});
  EXPECT_TRUE(environment->abilities().deterministic);
  EXPECT_TRUE(environment->abilities().drawing);

  haul(*environment, 1, 1.0f);
  EXPECT_EQ(environment->rewards_by_term(0, 2)[0], 1.0f);
  EXPECT_EQ(environment->observation(0, 3)[1], 1.0f);
  EXPECT_EQ(environment->observation(0, 2)[2], 1.0f);
  EXPECT_GT(environment->place(0, 2)[0], 0.05f);
  while (environment->outcome(1) == Outcome::running) haul(*environment, 1, 1.0f);
  EXPECT_EQ(environment->outcome(1), Outcome::success);
  EXPECT_EQ(environment->ended_by(1), EndedBy::verdict);
  EXPECT_NEAR(environment->steps(1), 10.0, 3.0);
  EXPECT_EQ(environment->episode_return(0, 2), static_cast<double>(environment->steps(1)));

  environment->begin(1, {5, 0, 1});
  while (environment->outcome(1) == Outcome::running) haul(*environment, 1, -1.0f);
  EXPECT_EQ(environment->outcome(1), Outcome::failure);
  environment->begin(1, {5, 0, 2});
  while (environment->outcome(1) == Outcome::running) haul(*environment, 1, 0.0f);
  EXPECT_EQ(environment->outcome(1), Outcome::cutoff);
  EXPECT_EQ(environment->ended_by(1), EndedBy::game);
  EXPECT_EQ(environment->steps(1), 40u);
}

TEST(CustomGame, IsCutOffLikeAnyOther) {
  GameSpec spec = winch();
  spec.cutoffs.steps = 7;
  const auto environment = make_environment(Game(spec), 1);
  environment->begin(0, {1, 0, 0});
  while (environment->outcome(0) == Outcome::running) haul(*environment, 0, 0.0f);
  EXPECT_EQ(environment->ended_by(0), EndedBy::time);
  EXPECT_EQ(environment->steps(0), 7u);
}

TEST(CustomGame, SaysWhatIsAllowedAndTellsWhatHappens) {
  const auto environment = make_environment(Game(winch()), 1);
  environment->begin(0, {1, 0, 0});
  EXPECT_FALSE(environment->allowed(0, 0, 1, 1));
  haul(*environment, 0, 0.0f, 1.0f);  // counts as silent
  EXPECT_TRUE(environment->events(0).empty());
  haul(*environment, 0, 0.0f);
  EXPECT_TRUE(environment->allowed(0, 0, 1, 1));
  haul(*environment, 0, 0.0f, 1.0f);
  ASSERT_EQ(environment->events(0).size(), 2u);
  const Event& event = environment->events(0)[1];
  EXPECT_EQ(event.kind, EventKind::custom);
  EXPECT_EQ(event.tick, 6u);  // two in each step of half a second
  EXPECT_EQ(event.detail, 0);
  EXPECT_EQ(event.strength, 2.0f);
  EXPECT_EQ(event.who, environment->game().roles()[0].seats[1]);
  EXPECT_EQ(event.whom, environment->game().roles()[0].seats[0]);
  EXPECT_EQ(environment->rewards_by_term(0, 1)[1], 0.1f);
}

TEST(CustomGame, SeatsMayLeaveAndSenseNothingThen) {
  GameSpec spec = winch();
  spec.custom->settings["leaves_at"] = 4;
  const auto environment = make_environment(Game(spec), 1);
  environment->begin(0, {1, 0, 0});
  for (int step = 0; step < 3; ++step) haul(*environment, 0, 0.5f);
  EXPECT_TRUE(environment->present(0, 1));
  haul(*environment, 0, 0.5f);
  EXPECT_FALSE(environment->present(0, 1));
  EXPECT_TRUE(environment->present(0, 0));
  for (const float column : environment->observation(0, 1)) EXPECT_EQ(column, 0.0f);
  EXPECT_EQ(environment->observation(0, 0)[2], 0.5f);
}

TEST(CustomGame, TermsAreSharedAndLimitedAsDeclared) {
  GameSpec spec = winch();
  spec.role("hand").rewards[0] = {
      .name = "hauling", .weight = 2.0, .scope = Scope::everyone, .most_per_step = 1.5};
  spec.role("hand").rewards.push_back(
      {.name = "time", .weight = -0.5, .each_step = Measure::always()});
  const auto environment = make_environment(Game(spec), 1);
  environment->begin(0, {1, 0, 0});
  environment->control(0, 0)[0] = 0.25f;
  environment->control(0, 1)[0] = 0.25f;
  environment->step(0);
  EXPECT_FLOAT_EQ(environment->rewards_by_term(0, 0)[0], 1.0f);
  EXPECT_FLOAT_EQ(environment->rewards_by_term(0, 1)[2], -0.5f);
  haul(*environment, 0, 1.0f);
  EXPECT_FLOAT_EQ(environment->rewards_by_term(0, 0)[0], 1.5f);
}

TEST(CustomGame, SensesPassThroughTheirSignals) {
  GameSpec spec = winch();
  const auto signal = [&]() -> Signal& {
    return std::get<CustomSense>(spec.role("hand").senses[0]).signal;
  };
  signal().history = 1;
  spec.role("hand").senses.push_back(OwnState{.controls = true, .time_left = true});
  const Game game(spec);
  const auto& columns = game.roles()[0].columns;
  ASSERT_EQ(columns.size(), 3u + 3u + 4u + 1u);
  const auto environment = make_environment(game, 1);
  environment->begin(0, {1, 0, 0});
  haul(*environment, 0, 0.5f);
  const float before = environment->observation(0, 0)[0];
  haul(*environment, 0, 0.5f);
  EXPECT_EQ(environment->observation(0, 0)[3], before) << columns[3].name;
  EXPECT_EQ(environment->observation(0, 0)[6], 0.5f) << columns[6].name;
  EXPECT_FLOAT_EQ(environment->observation(0, 0)[9], 58.0f / 60.0f) << columns[9].name;

  signal().noise = 0.2;
  const auto noisy = make_environment(Game(spec), 2);
  for (const std::size_t lane : {0u, 1u}) noisy->begin(lane, {1, 0, 0});
  EXPECT_EQ(sensed(*noisy, 0), sensed(*noisy, 1));
  EXPECT_NE(noisy->observation(0, 0)[0], 0.0f);
}

TEST(CustomGame, SameKeySameEpisodeOnAnyLaneAndThread) {
  const Game game(winch());
  const auto alone = make_environment(game, 1);
  const auto many = make_environment(game, 16, 2);
  WorkerPool pool(2);
  many->begin_all(pool, 9);
  for (int step = 0; step < 25; ++step) {
    for (std::size_t row = 0; row < many->rows(0); ++row) {
      many->control(0, row)[0] = 0.1f * static_cast<float>(row % 5);
      many->control(0, row)[1] = static_cast<float>(row % 2);
    }
    many->step_all(pool);
  }
  for (const std::size_t lane : {0u, 3u, 15u}) {
    alone->begin(0, many->key(lane));
    for (std::uint32_t step = 0; step < many->steps(lane); ++step) {
      for (std::size_t seat = 0; seat < 2; ++seat) {
        alone->control(0, seat)[0] = 0.1f * static_cast<float>((2 * lane + seat) % 5);
        alone->control(0, seat)[1] = static_cast<float>(seat);
      }
      alone->step(0);
    }
    EXPECT_EQ(sensed(*alone, 0), sensed(*many, lane)) << lane;
    EXPECT_EQ(alone->outcome(0), many->outcome(lane)) << lane;
  }
}

// By playing it again, and by what it saves.
TEST(CustomGame, IsBroughtBackToTheBit) {
  for (const bool saves : {false, true}) {
    const Game game(winch({.saves = saves}));
    const auto there = make_environment(game, 2), here = make_environment(game, 2);
    for (const std::size_t lane : {0u, 1u})
      there->begin(lane, {4, 0, static_cast<std::uint32_t>(lane)});
    for (int step = 0; step < 9; ++step) haul(*there, 0, 0.3f, static_cast<float>(step % 2));
    for (int step = 0; step < 4; ++step) haul(*there, 1, -0.3f);
    std::vector<std::byte> stored;
    for (const std::size_t lane : {0u, 1u}) there->append_snapshot(lane, stored);
    std::size_t next = 0;
    for (const std::size_t lane : {0u, 1u})
      next += here->restore_snapshot(lane, 0, std::span(stored).subspan(next));
    EXPECT_EQ(next, stored.size());
    for (const std::size_t lane : {0u, 1u}) {
      for (int step = 0; step < 20 && there->outcome(lane) == Outcome::running; ++step) {
        haul(*there, lane, 0.2f, static_cast<float>(step % 2));
        haul(*here, lane, 0.2f, static_cast<float>(step % 2));
        ASSERT_EQ(sensed(*here, lane), sensed(*there, lane)) << saves << ' ' << step;
      }
      EXPECT_EQ(here->episode_return(0, 2 * lane), there->episode_return(0, 2 * lane));
      EXPECT_EQ(here->steps(lane), there->steps(lane));
    }
  }
}

TEST(CustomGame, SnapshotsThatAreWrongAreRefused) {
  const Game game(winch());
  const auto environment = make_environment(game, 1);
  environment->begin(0, {4, 0, 0});
  for (int step = 0; step < 5; ++step) haul(*environment, 0, 0.3f);
  std::vector<std::byte> stored;
  environment->append_snapshot(0, stored);
  for (const std::size_t size : {std::size_t{0}, stored.size() / 2, stored.size() - 1})
    EXPECT_EQ(test::error_of([&] {
                environment->restore_snapshot(0, 0, std::span(stored).first(size));
              }).kind(),
              ErrorKind::refused)
        << size;
  std::vector<std::byte> other = stored;
  const float pull = 0.7f;  // in place of the last step's
  std::memcpy(other.data() + other.size() - 4 * sizeof(float), &pull, sizeof pull);
  const Error error = test::error_of([&] { environment->restore_snapshot(0, 0, other); });
  EXPECT_NE(error.problem().find("did not get back to where it was"), std::string::npos);
  EXPECT_EQ(environment->restore_snapshot(0, 0, stored), stored.size());
}

TEST(CustomGame, OneThatIsNotDeterministicHasNoSnapshots) {
  GameSpec spec = winch();
  spec.custom->deterministic = false;
  const auto environment = make_environment(Game(spec), 1);
  environment->begin(0, {1, 0, 0});
  EXPECT_FALSE(environment->abilities().snapshots);
  std::vector<std::byte> stored;
  EXPECT_EQ(test::error_of([&] { environment->append_snapshot(0, stored); }).kind(),
            ErrorKind::refused);
  spec = winch({.saves = true});
  spec.custom->deterministic = false;
  const auto saving = make_environment(Game(spec), 1);
  saving->begin(0, {1, 0, 0});
  EXPECT_TRUE(saving->abilities().snapshots);
}

TEST(CustomGame, StagesAndOverridesChangeItsSettings) {
  GameSpec spec = winch();
  spec.stages = {
      {.name = "calm", .set = {{"custom.settings.waves", 0.0}}, .advance = {.steps = 10}}};
  const Game game(spec);
  const auto environment = make_environment(game, 1);
  environment->assign_stage(0, 0);
  environment->begin(0, {1, 0, 0});
  haul(*environment, 0, 0.0f);
  EXPECT_EQ(environment->observation(0, 0)[0], 0.0f);
  environment->assign_stage(0, 1);
  environment->begin(0, {1, 0, 0});
  haul(*environment, 0, 0.0f);
  EXPECT_NE(environment->observation(0, 0)[0], 0.0f);

  const Game calm(with_keys(winch(), {{"custom.settings.waves", 0.0}}, "test"));
  const auto changed = make_environment(calm, 1);
  changed->begin(0, {1, 0, 0});
  haul(*changed, 0, 0.0f);
  EXPECT_EQ(changed->observation(0, 0)[0], 0.0f);
}

TEST(CustomGame, AFileNamesItAndTheProgramHasItsCode) {
  const std::string text = to_toml(winch());
  const Error error = test::error_of([&] { parse_game(text); });
  EXPECT_NE(error.problem().find("a file cannot hold its code"), std::string::npos);
  const GameSpec without = parse_game(text, "test", CustomParts::optional);
  EXPECT_TRUE(first_difference(without, winch()).empty());
  const Game no_code(without, CustomParts::optional);
  const auto environment = make_environment(no_code, 1);
  EXPECT_NE(test::error_of([&] {
              environment->begin(0, {1, 0, 0});
            })
                .problem()
                .find("is not in this program"),
            std::string::npos);

  GameSpec known = winch();
  known.name = "known winch";
  add_game(known);
  EXPECT_EQ(added_games().back().name, "known winch");
  EXPECT_NE(test::error_of([&] { add_game(known); }).problem().find("added already"),
            std::string::npos);
  const Game with_code(parse_game(to_toml(known)));
  const auto played = make_environment(with_code, 1);
  played->begin(0, {1, 0, 0});
  haul(*played, 0, 1.0f);
  EXPECT_GT(played->observation(0, 0)[0], 0.0f);
}

TEST(CustomGame, WhatMakesNoSenseWithoutAnArenaIsRefused) {
  const struct {
    const char* where;
    void (*change)(GameSpec&);
  } wrong[] = {
      {"arena", [](GameSpec& g) { g.arena.zones.push_back({.name = "berth"}); }},
      {"ticks_per_step", [](GameSpec& g) { g.ticks_per_step = 3; }},
      {"rules", [](GameSpec& g) { g.rules.push_back({.name = "tide"}); }},
      {"cutoffs", [](GameSpec& g) { g.cutoffs.too_far.push_back({}); }},
      {"cutoffs", [](GameSpec& g) { g.cutoffs.repeats = Repeats{}; }},
      {"roles[0].body", [](GameSpec& g) { g.roles[0].body = "hull"; }},
      {"roles[0].seats", [](GameSpec& g) { g.roles[0].seats = 0; }},
      {"roles[0].senses[0]", [](GameSpec& g) { g.roles[0].senses[0] = RayFan{.sees = {"hull"}}; }},
      {"roles[0].senses[1].heading",
       [](GameSpec& g) { g.roles[0].senses.push_back(OwnState{.heading = true}); }},
      {"roles[0].senses[0].code",
       [](GameSpec& g) {
         std::get<CustomSense>(g.roles[0].senses[0]).code = [](const SeatView&, std::span<float>) {
         };
       }},
      {"roles[0].controls[0].rate",
       [](GameSpec& g) { std::get<Dial>(g.roles[0].controls[0]).rate = 1.0; }},
      {"roles[0].controls[1].options[1].allowed_when",
       [](GameSpec& g) {
         std::get<Choice>(g.roles[0].controls[1]).options[1].allowed_when =
             AllowedWhen{.stands = true};
       }},
      {"roles[0].rewards[0]",
       [](GameSpec& g) { g.roles[0].rewards[0].progress = Progress{.to = "berth"}; }},
      {"roles[0].rewards[0]",
       [](GameSpec& g) { g.roles[0].rewards[0].each_step = [](const SeatView&) { return 1.0; }; }},
      {"custom.events",
       [](GameSpec& g) {
         g.custom->events = {"call", "call"};
       }},
      {"custom.frame",
       [](GameSpec& g) {
         g.custom->frame = {{1, 0, 0, 1}};
       }},
      {"custom.step_seconds", [](GameSpec& g) { g.custom->step_seconds = 0.0; }},
      {"stages[0].start",
       [](GameSpec& g) {
         g.stages = {
             {.name = "s", .start = RecordedStart{.replay = "x.zrep"}, .advance = {.steps = 1}}};
       }},
  };
  for (const auto& [where, change] : wrong) {
    GameSpec spec = winch();
    change(spec);
    const Error error = test::error_of([&] { const Game game(spec); });
    EXPECT_EQ(error.kind(), ErrorKind::spec) << where;
    EXPECT_NE(error.where().find(where), std::string::npos) << where << ": " << error.what();
  }
  GameSpec arena = test::mooring();
  arena.roles[0].seats = 2;
  EXPECT_EQ(test::error_of([&] { const Game game(arena); }).where(), "roles[0].seats");
  arena = test::mooring();
  arena.roles[0].side = "red";
  EXPECT_EQ(test::error_of([&] { const Game game(arena); }).where(), "roles[0].side");
}

// A winch whose step is something else.
GameSpec winch_that(void (*steps)(CustomStep&)) {
  class Bad : public test::Winch {
   public:
    explicit Bad(void (*code)(CustomStep&)) : Winch({}), code_(code) {}
    void step(CustomStep& step) override { code_(step); }

   private:
    void (*code_)(CustomStep&);
  };
  GameSpec game = winch();
  game.custom->code = [steps] { return std::make_unique<Bad>(steps); };
  return game;
}

TEST(CustomGame, MistakesOfItsCodeAreNamed) {
  const struct {
    const char* says;
    void (*code)(CustomStep&);
  } mistakes[] = {
      {"asks for control 7 of the role 'hand', which has 2", [](CustomStep& s) { s.control(7); }},
      {"asks for seat 2 of the role 'hand', which has 2",
       [](CustomStep& s) { s.control(0, 0, 2); }},
      {"asks for role 1 of the game, which has 1", [](CustomStep& s) { s.pay(0, 1.0, 1); }},
      {"asks for term 2 of the role 'hand', which has 2", [](CustomStep& s) { s.pay(2, 1.0); }},
      {"asks for event 1 of the game, which has 1", [](CustomStep& s) { s.happen(1); }},
      {"the term 'calling' gave a reward that is not a finite number",
       [](CustomStep& s) { s.pay(1, std::numeric_limits<double>::quiet_NaN()); }},
      {"the game's own code failed: no rope",
       [](CustomStep&) { throw std::out_of_range("no rope"); }},
  };
  for (const auto& [says, code] : mistakes) {
    const auto environment = make_environment(Game(winch_that(code)), 2);
    environment->begin(1, {1, 0, 0});
    try {
      environment->step(1);
      ADD_FAILURE() << says;
    } catch (const LaneError& error) {
      EXPECT_NE(error.problem().find(says), std::string::npos) << error.what();
      EXPECT_EQ(error.lane(), 1u);
    }
  }
}

TEST(CustomGame, ATermWithATriggerIsNotPaidByHand) {
  GameSpec spec = winch_that([](CustomStep& s) { s.pay(2, 1.0); });
  spec.roles[0].rewards.push_back({.name = "time", .each_step = Measure::always()});
  const auto environment = make_environment(Game(spec), 1);
  environment->begin(0, {1, 0, 0});
  const Error error = test::error_of([&] { environment->step(0); });
  EXPECT_EQ(error.kind(), ErrorKind::usage);
  EXPECT_NE(error.problem().find("has a trigger of its own"), std::string::npos) << error.what();
}

TEST(CustomGame, TakesNoMemoryOfItsOwnWhilePlaying) {
  const auto environment = make_environment(
      Game(winch_that([](CustomStep& s) { s.pay(0, s.control(0)), s.happen(0); })), 4);
  const auto play = [&] {
    for (std::uint32_t episode = 0; episode < 3; ++episode)
      for (std::size_t lane = 0; lane < 4; ++lane) {
        environment->begin(lane, {1, static_cast<std::uint32_t>(lane), episode});
        for (int step = 0; step < 30; ++step) haul(*environment, lane, 0.1f);
      }
  };
  play();
  const std::uint64_t before = test::allocations();
  play();
  EXPECT_EQ(test::allocations(), before);
}

}  // namespace
}  // namespace zithercraft
