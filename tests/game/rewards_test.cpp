#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

// One lane of mooring with the hulls out of the way and the skiff and berth where the test wants
// them.
class Basin {
 public:
  explicit Basin(const GameSpec& spec) : lanes(Game(spec), 1) { lanes.begin(0, {1, 0, 0}); }
  const Arena& arena() { return lanes.game().arena(); }
  EntityId skiff() { return arena().bodies_named("skiff")[0]; }
  EntityId berth() { return arena().zones()[0]; }
  void clear_hulls() {
    for (std::size_t hull = 0; hull < 8; ++hull)
      arena().put(lanes.arena_state(0), EntityId(hull), 100, 10.0f * static_cast<float>(hull), 0);
  }
  void decide(float throttle, float rudder) {
    lanes.control(0, 0)[0] = throttle;
    lanes.control(0, 0)[1] = rudder;
    lanes.step(0);
  }
  double reward(const std::string& term) {
    const auto& terms = lanes.game().roles()[0].terms;
    return lanes.ledger(
        0,
        0)[static_cast<std::size_t>(std::find(terms.begin(), terms.end(), term) - terms.begin())];
  }
  Lanes lanes;
};

TEST(Rewards, ProgressPaysOneForTheWholeWayAndNothingForToAndFro) {
  Basin basin(test::mooring());
  basin.clear_hulls();
  const Pose start = basin.lanes.view(0).pose(basin.skiff());
  const Pose berth = basin.lanes.view(0).pose(basin.berth());
  const auto half_x = 0.5f * (start.x + berth.x), half_y = 0.5f * (start.y + berth.y);
  basin.arena().put(basin.lanes.arena_state(0), basin.skiff(), half_x, half_y, 0);
  basin.decide(0, 0);
  EXPECT_NEAR(basin.reward("progress"), 0.5, 1e-4);
  basin.arena().put(basin.lanes.arena_state(0), basin.skiff(), start.x, start.y, 0);
  basin.decide(0, 0);
  EXPECT_NEAR(basin.reward("progress"), 0, 1e-4);
  basin.arena().put(basin.lanes.arena_state(0), basin.skiff(), berth.x, berth.y, 0);
  basin.decide(0, 0);
  EXPECT_NEAR(basin.reward("progress"), 1, 1e-4);
  EXPECT_EQ(basin.reward("moored"), 5);
  EXPECT_EQ(basin.lanes.outcome(0), Outcome::success);
  EXPECT_EQ(basin.lanes.events(0).back().kind, EventKind::success);
}

TEST(Rewards, MooringNeedsALowSpeed) {
  Basin basin(test::mooring());
  basin.clear_hulls();
  const Pose berth = basin.lanes.view(0).pose(basin.berth());
  basin.arena().put(basin.lanes.arena_state(0), basin.skiff(), berth.x, berth.y, 0);
  basin.arena().set_velocity(basin.lanes.arena_state(0), basin.skiff(), {.x = 0.7f});
  basin.decide(0, 0);
  EXPECT_EQ(basin.reward("moored"), 0);
  EXPECT_EQ(basin.lanes.outcome(0), Outcome::running);
}

TEST(Rewards, OnlyHardTouchesEndTheEpisode) {
  for (const auto& [speed, outcome] :
       {std::pair{0.3f, Outcome::running}, {2.0f, Outcome::failure}}) {
    Basin basin(test::mooring());
    basin.clear_hulls();
    basin.arena().put(basin.lanes.arena_state(0), basin.berth(), -10, 0, 0);
    basin.arena().put(basin.lanes.arena_state(0), basin.skiff(), 18.79f, 0, 0);
    basin.arena().set_velocity(basin.lanes.arena_state(0), basin.skiff(), {.x = speed});
    basin.decide(0, 0);
    EXPECT_EQ(basin.lanes.outcome(0), outcome) << speed;
    EXPECT_EQ(basin.reward("bump"), outcome == Outcome::failure ? -1 : 0);
    bool touched = false;
    for (const Event& e : basin.lanes.events(0)) touched = touched || e.kind == EventKind::touch;
    EXPECT_TRUE(touched) << speed;
  }
}

TEST(Rewards, EpisodesAreCutOffWithoutAVerdict) {
  GameSpec spec = test::mooring();
  spec.cutoffs.steps = 7;
  Basin basin(spec);
  basin.clear_hulls();
  basin.arena().put(basin.lanes.arena_state(0), basin.berth(), 100, 0, 0);
  for (int d = 0; d < 7; ++d) {
    EXPECT_EQ(basin.lanes.outcome(0), Outcome::running);
    basin.decide(0, 0);
  }
  EXPECT_EQ(basin.lanes.outcome(0), Outcome::cutoff);
  EXPECT_NEAR(basin.reward("time"), -0.035, 1e-6);
}

TEST(Rewards, TheLedgerSumsToWhatWasRewardedInEveryEpisode) {
  const Game game(test::mooring());
  WorkerPool pool(2);
  Lanes lanes(game, 16);
  lanes.begin_all(pool, 4);
  RandomStream random(2, 0, 0, Purpose::user);
  std::vector<double> sums(16);
  int ended = 0;
  for (int d = 0; d < 500; ++d) {
    for (float& c : lanes.controls(0)) c = static_cast<float>(random.between(-1, 1));
    lanes.step_all(pool);
    for (std::size_t lane = 0; lane < 16; ++lane) {
      const auto reward = lanes.rewards_by_term(0, lane);
      EXPECT_EQ(lanes.rewards(0)[lane], std::accumulate(reward.begin(), reward.end(), 0.0f));
      for (const float p : reward) sums[lane] += static_cast<double>(p);
      if (lanes.outcome(lane) == Outcome::running) continue;
      ++ended;
      const auto ledger = lanes.ledger(0, lane);
      EXPECT_EQ(lanes.episode_return(0, lane), std::accumulate(ledger.begin(), ledger.end(), 0.0));
      EXPECT_NEAR(lanes.episode_return(0, lane), sums[lane], 1e-9);
      sums[lane] = 0;
    }
    lanes.renew_all(pool);
  }
  EXPECT_GT(ended, 15);
}

TEST(Rewards, CustomTermsCanEndAnEpisode) {
  GameSpec spec = test::mooring();
  spec.role("skiff").rewards.push_back(
      {.name = "fast",
       .weight = 3,
       .each_step = [](const SeatView& seat) { return seat.speed() > 2.0f ? 1.0 : 0.0; },
       .ends = Verdict::success});
  Basin basin(spec);
  basin.clear_hulls();
  basin.decide(0, 0);
  EXPECT_EQ(basin.lanes.outcome(0), Outcome::running);
  basin.arena().set_velocity(basin.lanes.arena_state(0), basin.skiff(), {.x = 4});
  basin.decide(0, 0);
  EXPECT_EQ(basin.lanes.outcome(0), Outcome::success);
  EXPECT_EQ(basin.reward("fast"), 3.0f);
}

TEST(Rewards, CustomTermsSeeTheSeatAndMayNotPayNaN) {
  GameSpec spec = test::mooring();
  spec.role("skiff").rewards.push_back(
      {.name = "speed", .weight = 2, .each_step = [](const SeatView& seat) {
         return static_cast<double>(seat.speed());
       }});
  Basin basin(spec);
  basin.clear_hulls();
  basin.arena().set_velocity(basin.lanes.arena_state(0), basin.skiff(), {.x = 1});
  basin.decide(0, 0);
  EXPECT_NEAR(basin.reward("speed"),
              2 * static_cast<double>(SeatView(basin.lanes, 0, 0, 0).speed()), 1e-5);

  spec.role("skiff").rewards.back() = {.name = "broken",
                                       .each_step = [](const SeatView&) { return std::nan(""); }};
  Basin broken(spec);
  const Error error = test::error_of([&] { broken.decide(0, 0); });
  EXPECT_EQ(error.kind(), ErrorKind::numbers);
  EXPECT_EQ(error.problem(), "the term 'broken' gave a reward that is not a finite number");
}

TEST(Controls, NotFiniteIsAnErrorOutOfRangeIsClamped) {
  Basin basin(test::mooring());
  const Error error =
      test::error_of([&] { basin.decide(0, std::numeric_limits<float>::infinity()); });
  EXPECT_EQ(error.kind(), ErrorKind::numbers);
  EXPECT_NE(error.problem().find("'rudder'"), std::string::npos);
  basin.decide(-7, 0);
  EXPECT_EQ(basin.arena().inputs(basin.lanes.arena_state(0), basin.skiff())[0], -0.5f);
}

}  // namespace
}  // namespace zithercraft
