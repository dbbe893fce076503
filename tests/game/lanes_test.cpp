#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"

#include <gtest/gtest.h>

#include "counting_new.hpp"
#include "support.hpp"
#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

// Hash of everything after some steps of random controls that depend on the lane's episode alone.
std::uint64_t play(const Game& game, std::size_t count, std::size_t threads,
                   std::size_t watched_lane) {
  WorkerPool pool(threads);
  Lanes lanes(game, count);
  lanes.begin_all(pool, 11);
  std::uint64_t hash = 0;
  for (std::uint32_t d = 0; d < 400; ++d) {
    for (std::size_t lane = 0; lane < count; ++lane) {
      RandomStream random(3, lanes.key(lane).lane, d, Purpose::user);
      for (float& c : lanes.control(0, lane)) c = static_cast<float>(random.between(-1, 1));
    }
    lanes.step_all(pool);
    hash = hash * 31 + hash_bytes(lanes.state(watched_lane)) +
           hash_bytes(std::as_bytes(lanes.observation(0, watched_lane)));
    lanes.renew_all(pool);
  }
  return hash;
}

TEST(Lanes, NeitherThreadsNorTheNumberOfLanesChangeALane) {
  const Game game(test::mooring());
  const std::uint64_t alone = play(game, 3, 1, 2);
  EXPECT_EQ(play(game, 3, 4, 2), alone);
  EXPECT_EQ(play(game, 40, 2, 2), alone);
  EXPECT_NE(play(game, 3, 1, 1), alone);
}

TEST(Lanes, TickSenseAndDecideAllocateNothingOnceWarm) {
  WorkerPool pool(2);
  Lanes lanes(Game(test::mooring()), 64);
  lanes.begin_all(pool, 5);
  RandomStream random(8, 0, 0, Purpose::user);
  const auto play_on = [&](int steps) {
    for (int d = 0; d < steps; ++d) {
      for (float& c : lanes.controls(0)) c = static_cast<float>(random.between(-1, 1));
      lanes.step_all(pool);
      lanes.renew_all(pool);
    }
  };
  play_on(200);
  // Either worker may have had little to do so far.
  for (std::size_t worker = 0; worker < 2; ++worker)
    for (int d = 0; d < 200; ++d) {
      for (float& c : lanes.controls(0)) c = static_cast<float>(random.between(-1, 1));
      for (std::size_t lane = 0; lane < lanes.count(); ++lane) {
        if (lanes.outcome(lane) == Outcome::running) {
          lanes.step(lane, worker);
          continue;
        }
        EpisodeKey next = lanes.key(lane);
        ++next.episode;
        lanes.begin(lane, next, worker);
      }
    }
  const std::size_t before = test::allocations();
  play_on(400);
  EXPECT_EQ(test::allocations(), before);
}

TEST(Lanes, ArenasWithHeightAllocateNothingOnceWarm) {
  for (const char* name : {"flare", "kelpdive", "narrows"}) {
    WorkerPool pool(1);
    Lanes lanes(Game(load_game(test::project_folder() / "demos" / (std::string(name) + ".toml"))),
                4);
    lanes.begin_all(pool, 5);
    RandomStream random(8, 0, 0, Purpose::user);
    const auto play_on = [&](int steps) {
      const auto& controls = lanes.game().roles()[0].controls;
      for (int d = 0; d < steps; ++d) {
        for (std::size_t row = 0; row < 4; ++row)
          for (std::size_t c = 0; c < controls.size(); ++c)
            lanes.control(0, row)[c] =
                controls[c].is_choice()
                    ? static_cast<float>(
                          random.below(static_cast<std::uint32_t>(controls[c].options.size())))
                    : static_cast<float>(random.between(controls[c].low, controls[c].high));
        lanes.step_all(pool);
        lanes.renew_all(pool);
      }
    };
    play_on(1200);
    const std::size_t before = test::allocations();
    play_on(600);
    EXPECT_EQ(test::allocations(), before) << name;
  }
}

TEST(Lanes, ASnapshotGoesOnBitForBitInAnotherLane) {
  Lanes lanes(Game(test::mooring()), 2);
  lanes.begin(0, {1, 0, 0});
  lanes.begin(1, {2, 0, 0});
  const auto steer = [&](std::size_t lane, int d) {
    lanes.control(0, lane)[0] = 0.5f;
    lanes.control(0, lane)[1] = d % 3 == 0 ? 0.3f : -0.2f;
    lanes.step(lane);
  };
  for (int d = 0; d < 5; ++d) steer(0, d);
  lanes.restore(1, lanes.state(0));
  EXPECT_TRUE(std::ranges::equal(lanes.observation(0, 0), lanes.observation(0, 1)));
  for (int d = 0; d < 10; ++d) {
    steer(0, d);
    steer(1, d);
    ASSERT_EQ(hash_bytes(lanes.state(0)), hash_bytes(lanes.state(1)));
    ASSERT_EQ(lanes.rewards(0)[0], lanes.rewards(0)[1]);
    if (lanes.outcome(0) != Outcome::running) break;
  }
  EXPECT_EQ(test::error_of([&] { lanes.restore(0, lanes.state(1).first(16)); }).kind(),
            ErrorKind::refused);
}

TEST(Lanes, SeveralSeatsOfARoleHaveRowsOfTheirOwn) {
  GameSpec spec = test::duck_pond();
  spec.arena.bodies[0].count = 3;
  Lanes lanes(Game(spec), 2);
  lanes.begin(0, {1, 0, 0});
  lanes.begin(1, {1, 0, 1});
  EXPECT_EQ(lanes.rows(0), 6u);
  EXPECT_NE(lanes.observation(0, 0)[2], lanes.observation(0, 1)[2]);
  lanes.control(0, 1)[0] = 1;  // only the second duck of lane 0 paddles
  lanes.step(0);
  const auto speed = [&](std::size_t duck) { return lanes.view(0).velocity(EntityId(duck)); };
  EXPECT_EQ(speed(0).x, 0);
  EXPECT_GT(std::abs(speed(1).x) + std::abs(speed(1).y), 0.1f);
}

TEST(Lanes, FiftyThousandOfThemRunInLittleMemory) {
  const Game game(test::mooring());
  EXPECT_LT(game.arena().state_bytes(), 8192u);
  WorkerPool pool(2);
  Lanes lanes(game, 50'000, pool.threads());
  EXPECT_LT(lanes.state(0).size(), 8192u);
  lanes.begin_all(pool, 1);
  for (int d = 0; d < 3; ++d) lanes.step_all(pool);
  EXPECT_EQ(lanes.steps(49'999), 3u);
}

}  // namespace
}  // namespace zithercraft
