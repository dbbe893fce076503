#include "zithercraft/match/player.hpp"

#include <gtest/gtest.h>

#include <array>

#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
namespace {

TEST(RandomPlayer, UsesTheWholeRangeOfEveryControl) {
  Lanes lanes(Game(test::duck_pond()), 1);
  const auto player = random_player(1);
  std::array<int, 2> paddle{};
  std::array<int, 3> turn{};
  for (std::uint32_t e = 0; e < 600; ++e) {
    lanes.begin(0, {1, 0, e});
    player->decide(lanes, 0, 0, 1);
    ++paddle[static_cast<std::size_t>(lanes.control(0, 0)[0])];
    ++turn[static_cast<std::size_t>(lanes.control(0, 0)[1])];
  }
  for (const int n : paddle) EXPECT_NEAR(n, 300, 60);
  for (const int n : turn) EXPECT_NEAR(n, 200, 60);
  Lanes skiffs(Game(test::mooring()), 1);
  float low = 9, high = -9;
  for (std::uint32_t e = 0; e < 300; ++e) {
    skiffs.begin(0, {1, 0, e});
    player->decide(skiffs, 0, 0, 1);
    low = std::min(low, skiffs.control(0, 0)[0]);
    high = std::max(high, skiffs.control(0, 0)[0]);
  }
  EXPECT_GE(low, -0.5f);
  EXPECT_LT(low, -0.45f);
  EXPECT_LE(high, 1.0f);
  EXPECT_GT(high, 0.95f);
}

TEST(ScriptPlayer, MoorsFarMoreOftenThanChance) {
  const Game game(test::mooring());
  WorkerPool pool(2);
  const auto moored = [&](const Player& player) {
    int n = 0;
    for (const EpisodeResult& e : play_episodes(game, {&player}, 300, 99, pool))
      n += e.outcome == Outcome::success ? 1 : 0;
    return n;
  };
  EXPECT_GT(moored(*script_player(game, 0)), 200);
  EXPECT_LT(moored(*random_player()), 15);
}

// How many of 100 episodes of a demo its script ends well, and random play.
std::array<int, 2> successes(const char* demo) {
  const Game game(load_game(test::project_folder() / "demos" / demo));
  WorkerPool pool(2);
  std::array<int, 2> n{};
  const auto script = script_player(game, 0), random = random_player();
  for (std::size_t p = 0; p < n.size(); ++p)
    for (const EpisodeResult& e :
         play_episodes(game, {p == 0 ? script.get() : random.get()}, 100, 99, pool))
      n[p] += e.outcome == Outcome::success ? 1 : 0;
  return n;
}

TEST(ScriptPlayer, HitsWhatDriftsByKnowingTheLawsOfFlight) {
  const auto [script, random] = successes("flare.toml");
  EXPECT_GT(script, 95);
  EXPECT_LT(random, 5);
}

TEST(ScriptPlayer, AimsTheMortarToo) {
  GameSpec spec = load_game(test::project_folder() / "demos" / "flare.toml");
  for (Control& control : spec.role("gunner").controls)
    std::visit(
        [](auto& c) {
          if constexpr (requires { c.drives; })
            c.drives.replace(0, std::string("pistol").size(), "mortar");
        },
        control);
  const Game game(spec);
  WorkerPool pool(2);
  int n = 0;
  for (const EpisodeResult& e : play_episodes(game, {script_player(game, 0).get()}, 50, 99, pool))
    n += e.outcome == Outcome::success ? 1 : 0;
  EXPECT_GT(n, 25);
}

TEST(ScriptPlayer, RunsTheRiverFarBetterThanChance) {
  const auto [script, random] = successes("narrows.toml");
  EXPECT_GT(script, 30);
  EXPECT_EQ(random, 0);
}

TEST(ScriptPlayer, HopsAlongMostBreakwaters) {
  const auto [script, random] = successes("breakwater.toml");
  EXPECT_GT(script, 60);
  EXPECT_EQ(random, 0);
}

// A bat that sees at once and may do all that it can outlasts its rivals more often than one that
// is later and more idle than they are.
TEST(ScriptPlayer, FollowsWithinItsLimits) {
  const auto last_ones = [](const ScriptLimits& limits) {
    GameSpec spec = load_game(test::project_folder() / "demos" / "basin.toml");
    spec.roles[0].script_limits = limits;
    const Game game(spec);
    std::vector<std::unique_ptr<Player>> scripts;
    for (std::size_t r = 0; r < 4; ++r) scripts.push_back(script_player(game, r));
    Lanes lanes(game, 1);
    int last = 0;
    for (std::uint32_t episode = 0; episode < 40; ++episode) {
      lanes.begin(0, {4, 0, episode});
      while (lanes.outcome(0) == Outcome::running) {
        for (std::size_t r = 0; r < 4; ++r) scripts[r]->decide(lanes, r, 0, 1);
        EXPECT_LE(std::fabs(lanes.control(0, 0)[0]), static_cast<float>(limits.effort));
        lanes.step(0);
      }
      last += lanes.outcome(0) == Outcome::success ? 1 : 0;
    }
    return last;
  };
  const int freely = last_ones({}), late = last_ones({.delay = 0.4, .effort = 0.3});
  EXPECT_GT(freely, late + 10) << late;
}

TEST(ScriptPlayer, HasLimitsOnlyWhereItKeepsThem) {
  GameSpec spec = load_game(test::project_folder() / "demos" / "mooring.toml");
  spec.roles[0].script_limits.delay = 0.1;
  const Error error = test::error_of([&] { script_player(Game(spec), 0); });
  EXPECT_NE(std::string(error.what()).find("keeps to no limits"), std::string::npos);
}

TEST(ScriptPlayer, WalksToTheLagoonMostly) {
  const auto [script, random] = successes("tidepools.toml");
  EXPECT_GT(script, 60);  // of 100
  EXPECT_LT(random, 3);
}

// However the rays report, the same way is free.
TEST(ScriptPlayer, ReadsAllFormsOfRays) {
  const auto course = [](RayReport reports) {
    GameSpec spec = load_game(test::project_folder() / "demos" / "tidepools.toml");
    for (Sense& sense : spec.roles[0].senses)
      if (auto* fan = std::get_if<RayFan>(&sense)) fan->reports = reports;
    const Game game(spec);
    const auto script = script_player(game, 0);
    Lanes lanes(game, 1);
    lanes.begin(0, {3, 0, 0});
    std::vector<float> taken;
    for (int step = 0; step < 100 && lanes.outcome(0) == Outcome::running; ++step) {
      script->decide(lanes, 0, 0, 1);
      taken.insert(taken.end(), lanes.control(0, 0).begin(), lanes.control(0, 0).end());
      lanes.step(0);
    }
    return taken;
  };
  const auto first = course(RayReport::first);
  EXPECT_GT(first.size(), 20u);
  EXPECT_EQ(course(RayReport::first_or_miss), first);
  EXPECT_EQ(course(RayReport::each_tag), first);
}

TEST(ScriptPlayer, MissingOrUnknownScriptsAreErrors) {
  GameSpec spec = test::mooring();
  spec.role("skiff").script = "steer_hime";
  EXPECT_NE(
      test::error_of([&] { script_player(Game(spec), 0); }).fix().find("did you mean 'steer_home'"),
      std::string::npos);
  EXPECT_EQ(test::error_of([&] { check_scripts(Game(spec)); }).where(), "roles[0].script");
  spec.role("skiff").script = {};
  EXPECT_NE(test::error_of([&] { script_player(Game(spec), 0); }).problem().find("no script"),
            std::string::npos);
  GameSpec pond = test::duck_pond();
  const auto problem = [&](const char* script) {
    pond.role("duck").script = script;
    return test::error_of([&] { script_player(Game(pond), 0); }).problem();
  };
  EXPECT_NE(problem("steer_home").find("needs a dial 'throttle'"), std::string::npos);
  EXPECT_NE(problem("walk_home").find("needs a dial 'ahead'"), std::string::npos);
  EXPECT_NE(problem("run_gates").find("needs two ray fans"), std::string::npos);
  EXPECT_NE(problem("lead_and_fire").find("a choice that fires it"), std::string::npos);
}

// A blind agent can still be shown, driven and trained; only who asks for its script is refused.
TEST(ScriptPlayer, ThatDoesNotFitStopsNobodyElse) {
  GameSpec pond = test::duck_pond();
  pond.role("duck").script = "steer_home";
  const Game game(pond);
  check_scripts(game);
  EXPECT_FALSE(has_script(game, 0));
  EXPECT_NE(misfit_of_script(game, 0).find("needs a dial 'throttle'"), std::string::npos);
  EXPECT_EQ(usual_player(game, 0)->name(), random_player()->name());
  EXPECT_EQ(test::error_of([&] { script_player(game, 0); }).kind(), ErrorKind::spec);
  EXPECT_TRUE(has_script(Game(test::mooring()), 0));
  EXPECT_EQ(misfit_of_script(Game(test::mooring()), 0), "");
}

TEST(ScriptPlayer, MayBeAFunctionOfTheUsers) {
  GameSpec spec = test::duck_pond();
  spec.role("duck").script = [](const SeatView& seat, std::span<float> controls) {
    const Bearing jetty = seat.nearest("jetty");
    controls[0] = 1;
    controls[1] = jetty.ahead > 0.95f ? 1.0f : jetty.left > 0 ? 0.0f : 2.0f;
  };
  const Game game(spec);
  WorkerPool pool(2);
  int home = 0;
  for (const EpisodeResult& e : play_episodes(game, {script_player(game, 0).get()}, 100, 1, pool))
    home += e.outcome == Outcome::success ? 1 : 0;
  EXPECT_GT(home, 80);
}

TEST(PolicyPlayer, OnlyFitsItsOwnGame) {
  WorkerPool pool(1);
  const Policy policy =
      Ppo(Game(test::duck_pond()), {.lanes = 1, .horizon = 1}, 1, 1, pool).policy();
  const Error error = test::error_of([&] { policy_player(Game(test::mooring()), 0, policy); });
  EXPECT_EQ(error.kind(), ErrorKind::refused);
  EXPECT_NE(error.problem().find("column 1 is 'rays[0].quay' in the game and 'compass.ahead'"),
            std::string::npos);
}

}  // namespace
}  // namespace zithercraft
