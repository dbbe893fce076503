#include "zithercraft/learn/ppo.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "learning.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

using test::bytes_of;
using test::update;

const PolicyGradientSettings small{
    .policy_layers = {16, 16}, .value_layers = {16}, .lanes = 40, .horizon = 32, .minibatch = 500};

TEST(Ppo, ThreadsDoNotChangeASingleBit) {
  for (const GameSpec& spec : {test::mooring(), test::duck_pond()}) {
    std::string first;
    for (const std::size_t threads : {1u, 2u, 3u}) {
      WorkerPool pool(threads);
      Ppo learner(Game(spec), small, 7, 10000, pool);
      update(learner, 4);
      const std::string bytes = bytes_of(learner);
      if (first.empty()) first = bytes;
      EXPECT_TRUE(bytes == first) << spec.name << " on " << threads << " threads";
    }
  }
}

// A duck that can go the wrong way only while it is forbidden to: a policy that ignored the mask
// would get less.
TEST(Ppo, NeverChoosesWhatIsForbidden) {
  GameSpec spec = test::duck_pond();
  spec.arena.bodies[0].meters.push_back(
      {.name = "mood", .low = 0, .high = 1, .start = 0.5, .change = 0.11});
  auto& choice = std::get<Choice>(spec.roles[0].controls[0]);
  choice.options.back().allowed_when = AllowedWhen{.meter = "mood", .below = 0.8};
  const Game game(spec);
  WorkerPool pool(1);
  Ppo learner(game, small, 5, 10000, pool);
  update(learner, 3);
  Policy policy = learner.policy();
  Lanes lanes(game, 8);
  RandomStream random(1, 0, 0, Purpose::user);
  int forbidden = 0, chosen = 0;
  for (std::uint32_t lane = 0; lane < 8; ++lane) lanes.begin(lane, {9, lane, 0});
  std::vector<float> probabilities(probability_count(game.roles()[0].controls));
  for (int d = 0; d < 60; ++d)
    for (std::size_t lane = 0; lane < 8; ++lane) {
      if (lanes.outcome(lane) != Outcome::running) continue;
      policy.decide(lanes.observation(0, lane), lanes.control(0, lane), random);
      const std::size_t last = choice.options.size() - 1;
      const bool took = lanes.control(0, lane)[0] == static_cast<float>(last);
      if (!lanes.allowed(0, lane, 0, last)) {
        ++forbidden;
        EXPECT_FALSE(took);
        policy.probabilities(lanes.observation(0, lane), probabilities);
        EXPECT_EQ(probabilities[last], 0.0f);
      }
      chosen += took ? 1 : 0;
      lanes.step(lane);
    }
  EXPECT_GT(forbidden, 50);
  EXPECT_GT(chosen, 20);
}

TEST(Ppo, AStoredLearnerGoesOnAsIfNothingHadHappened) {
  WorkerPool pool(2);
  const Game game(test::mooring());
  Ppo whole(game, small, 3, 20000, pool), first(game, small, 3, 20000, pool),
      second(game, small, 3, 20000, pool);
  update(whole, 6);
  update(first, 2);
  TensorFile file;
  first.store(file);
  second.restore(file);
  update(second, 4);
  EXPECT_EQ(second.steps(), whole.steps());
  EXPECT_TRUE(bytes_of(second) == bytes_of(whole));
}

TEST(Ppo, SeedsMakeDifferentTrainings) {
  WorkerPool pool(2);
  Ppo a(Game(test::duck_pond()), small, 1, 10000, pool),
      b(Game(test::duck_pond()), small, 2, 10000, pool);
  EXPECT_FALSE(bytes_of(a) == bytes_of(b));
}

TEST(Ppo, LearnsChoicesInSeconds) {
  WorkerPool pool(2);
  Ppo learner(Game(test::duck_pond()), {.lanes = 64, .horizon = 64, .minibatch = 1024}, 1, 200'000,
              pool);
  double before = 0, after = 0;
  const auto success = [](const CollectReport& report) {
    double won = 0;
    for (const EpisodeResult& e : report.episodes) won += e.outcome == Outcome::success ? 1 : 0;
    return won / static_cast<double>(report.episodes.size());
  };
  while (learner.steps() < 200'000) {
    const CollectReport report = learner.collect();
    if (before == 0) before = success(report);
    after = success(report);
    learner.improve();
    const PolicyGradientReport improved = learner.improvements()[0];
    EXPECT_TRUE(std::isfinite(improved.policy_loss + improved.value_loss + improved.kl +
                              improved.gradient_norm));
  }
  EXPECT_LT(before, 0.6);
  EXPECT_GT(after, 0.9);
}

TEST(Ppo, ACheckpointOfAnotherGameIsRefusedWithTheDifference) {
  WorkerPool pool(1);
  TensorFile file;
  Ppo learner(Game(test::mooring()), small, 1, 1000, pool);
  learner.begin();
  learner.store(file);
  const auto refusal = [&](const GameSpec& spec, const PolicyGradientSettings& settings) {
    return test::error_of([&] { Ppo(Game(spec), settings, 1, 1000, pool).restore(file); });
  };
  GameSpec other = test::mooring();
  std::get<RayFan>(other.role("skiff").senses[0]).sees.pop_back();
  const Error senses = refusal(other, small);
  EXPECT_EQ(senses.kind(), ErrorKind::refused);
  EXPECT_NE(senses.problem().find(
                "column 3 is 'rays[0].distance' in the game and 'rays[0].berth' in the checkpoint"),
            std::string::npos);
  other = test::mooring();
  std::get<Dial>(other.role("skiff").controls[0]).low = -1;
  EXPECT_NE(refusal(other, small)
                .problem()
                .find("control 1 'throttle' has another unit, range or options"),
            std::string::npos);
  PolicyGradientSettings wide = small;
  wide.policy_layers = {32};
  EXPECT_NE(refusal(test::mooring(), wide).problem().find("hidden layers are 32 here and 16 x 16"),
            std::string::npos);
  PolicyGradientSettings fewer = small;
  fewer.lanes = 3;
  EXPECT_NE(refusal(test::mooring(), fewer).problem().find("holds 40 lanes, the run has 3"),
            std::string::npos);
  other = test::mooring();
  other.cutoffs.steps = 299;
  EXPECT_NE(refusal(other, small).problem().find("another version of the game"), std::string::npos);
}

TEST(Ppo, ANaNInACustomTermStopsTraining) {
  GameSpec spec = test::mooring();
  spec.role("skiff").rewards.push_back(
      {.name = "late_trouble",
       .each_step = [](const SeatView& seat) { return seat.steps() > 20 ? std::nan("") : 0.0; }});
  WorkerPool pool(2);
  Ppo learner(Game(spec), small, 1, 10000, pool);
  const Error error = test::error_of([&] { learner.collect(); });
  EXPECT_EQ(error.kind(), ErrorKind::numbers);
  EXPECT_NE(error.problem().find("'late_trouble'"), std::string::npos);
}

TEST(Ppo, RewardsBeyondAllBoundsStopTrainingAtTheFirstUpdate) {
  GameSpec spec = test::duck_pond();
  spec.role("duck").rewards.push_back(
      {.name = "too_much", .weight = 3e38, .each_step = Measure::always()});
  WorkerPool pool(2);
  Ppo learner(Game(spec), small, 1, 10000, pool);
  learner.collect();
  const Error error = test::error_of([&] { learner.improve(); });
  EXPECT_EQ(error.kind(), ErrorKind::numbers);
  EXPECT_EQ(error.problem(), "the gradient of 'policy.hidden.0.weight' is not finite");
  EXPECT_EQ(error.where(), "update 1");
}

TEST(Ppo, UnusableSettingsAreNamed) {
  WorkerPool pool(1);
  const auto refusal = [&](const PolicyGradientSettings& s) {
    return test::error_of([&] { Ppo(Game(test::mooring()), s, 1, 1, pool); }).problem();
  };
  EXPECT_EQ(refusal({.lanes = 0}), "the learner's setting 'lanes' cannot be used");
  EXPECT_EQ(refusal({.learning_rate = -1}), "the learner's setting 'learning_rate' cannot be used");
  EXPECT_EQ(refusal({.discount = 1.5}), "the learner's setting 'discount' cannot be used");
  EXPECT_EQ(refusal({.policy_layers = {64, -2}}),
            "the learner's setting 'policy_layers' cannot be used");
  EXPECT_EQ(refusal({.memory = 8, .memory_span = 24, .horizon = 128}),
            "the learner's setting 'memory_span' cannot be used");
  EXPECT_EQ(refusal({.value_weight = 0}), "the learner's setting 'value_weight' cannot be used");
  EXPECT_EQ(refusal({.frozen = {"policy.hidden.0", "critic"}}),
            "no part of the networks begins with 'critic'");
}

TEST(Ppo, ImprovesByWhatWasCollectedAndByNothingElse) {
  const Game game(test::mooring());
  WorkerPool pool(1);
  Ppo learner(game, {.policy_layers = {4}, .lanes = 2, .horizon = 32}, 1, 1000, pool);
  const auto improve = [&] { return test::error_of([&] { learner.improve(); }).kind(); };
  EXPECT_EQ(improve(), ErrorKind::usage);
  test::update(learner, 1);
  EXPECT_EQ(improve(), ErrorKind::usage);
  for (const std::int64_t total : {0, -5})
    EXPECT_EQ(test::error_of([&] { Ppo(game, {}, 1, total, pool); }).kind(), ErrorKind::usage);
}

}  // namespace
}  // namespace zithercraft
