// Every kind of network and objective learns the same bits on any number of threads, interrupted or
// not.

#include <gtest/gtest.h>

#include <cmath>
#include <ostream>

#include "learning.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

using test::bytes_of;
using test::update;

// Ducks that see each other as a crowd, and the pond as a picture.
GameSpec crowded_pond() {
  GameSpec game = test::duck_pond();
  game.arena.bodies[0].count = 3;
  game.arena.walls.push_back({.name = "reed", .points = {{0, 7}, {2, 7}}});
  game.roles[0].senses.push_back(Crowd{.of = {"duck"}, .nearest = 4, .signal = {.history = 1}});
  game.roles[0].senses.push_back(
      Camera{.width = 32, .height = 32, .across = 14, .grey = false, .reduce = 2});
  return game;
}

GameSpec three_ducks() {
  GameSpec game = test::duck_pond();
  game.arena.bodies[0].count = 3;
  return game;
}

GameSpec demo(const char* name) {
  return load_game(test::project_folder() / "demos" / (std::string(name) + ".toml"));
}

// Two tugs or three on either side.
GameSpec varied_barge() {
  GameSpec game = demo("barge");
  for (const char* tug : {"north_tug", "east_tug"})
    game.arena.vary.push_back(
        {.key = std::string("bodies.") + tug + ".count", .low = 2, .high = 3});
  return game;
}

struct Kind {
  const char* name;
  GameSpec (*game)();
  PolicyGradientSettings settings;
};
void PrintTo(const Kind& kind, std::ostream* out) { *out << kind.name; }

// Sizes that leave a remainder everywhere.
PolicyGradientSettings small(PolicyGradientSettings s) {
  s.policy_layers = {16, 24};
  s.value_layers = {20};
  s.lanes = 37;
  s.horizon = 24;
  s.epochs = 2;
  s.minibatch = 500;
  return s;
}

const std::vector<Kind> kinds{
    {"Relu", test::duck_pond,
     small({.activation = Activation::relu, .share = false, .learning_rate_decay = Decay::cosine})},
    {"Shared", test::duck_pond,
     small({.activation = Activation::silu, .share = true, .value_weight = 0.5})},
    {"Memory", test::mooring, small({.share = false, .memory = 20, .memory_span = 8})},
    {"SharedMemory", test::duck_pond, small({.share = true, .memory = 9, .memory_span = 12})},
    {"CrowdAndPicture", crowded_pond,
     small({.share = false, .crowd_width = 10, .crowd_queries = 3})},
    {"PictureAndMemory", crowded_pond,
     small({.memory = 11, .memory_span = 24, .pictures = {{{6, 5, 3}, {8, 2, 1}}}})},
    {"ActorCritic", test::duck_pond, small({.objective = Objective::plain})},
    {"Reinforce", test::duck_pond,
     small({.trace_decay = 1.0,
            .objective = Objective::plain,
            .baseline = false,
            .normalise_returns = false})},
    {"Limits", test::mooring, small({.share = false, .kl_limit = 1e-4, .value_clip = 0.2})},
    {"Frozen", test::mooring,
     small({.share = false, .frozen = {"policy.hidden.0", "value.output"}})},
    {"CentralCritic", three_ducks,
     small({.value_sees = Sight::side, .memory = 7, .memory_span = 8})},
    {"Counterfactual", varied_barge,
     small({.value_sees = Sight::everyone, .counterfactual = true})},
    {"CounterfactualInOrder", varied_barge,
     small({.value_sees = Sight::side, .crowd_width = 0, .counterfactual = true})},
    {"SeesScripts", [] { return demo("lanternboat"); },
     small({.value_sees = Sight::everyone, .counterfactual = true})},
    {"OthersPlay", [] { return demo("lanternboat"); }, small({})},
};

class EachKind : public ::testing::TestWithParam<Kind> {};
INSTANTIATE_TEST_SUITE_P(Learner, EachKind, ::testing::ValuesIn(kinds),
                         [](const auto& one) { return one.param.name; });

TEST_P(EachKind, IsTheSameOnAnyNumberOfThreadsAndInAnyNumberOfSittings) {
  const Game game(GetParam().game());
  const auto learner_on = [&](WorkerPool& pool) {
    return Ppo(game, GetParam().settings, 3, 10'000, pool);
  };
  WorkerPool one(1), three(3);
  Ppo whole = learner_on(one);
  update(whole, 3);
  Ppo begun = learner_on(three);
  update(begun, 1);
  for (int sitting = 0; sitting < 2; ++sitting) {
    TensorFile file;
    begun.store(file);
    begun = learner_on(three);
    begun.restore(file);
    update(begun, 1);
  }
  EXPECT_TRUE(bytes_of(whole) == bytes_of(begun));
  EXPECT_FALSE(bytes_of(whole) == bytes_of(learner_on(one)));
}

TEST_P(EachKind, ItsPolicyPlaysTheSameTwice) {
  // What a policy remembers of one match must not reach into the next.
  const Game game(GetParam().game());
  WorkerPool pool(1);
  Ppo learner(game, GetParam().settings, 3, 10'000, pool);
  update(learner, 1);
  TensorFile file;
  learner.store(file);
  const Lineup lineup(game, policy_player(game, 0, Policy::from(file), ActionMode::sampled, 5));
  const auto first = play_episodes(game, lineup.const_players(), 6, 1, pool),
             again = play_episodes(game, lineup.const_players(), 6, 1, pool);
  ASSERT_EQ(first.size(), 6 * game.roles()[0].seats.size());
  for (std::size_t i = 0; i < first.size(); ++i)
    EXPECT_EQ(first[i].episode_return, again[i].episode_return);
}

TEST(Frozen, PartsStayAsTheyAre) {
  const Game game(test::mooring());
  WorkerPool pool(2);
  Ppo learner(game, small({.share = false, .frozen = {"policy.hidden.0"}}), 3, 10'000, pool);
  TensorFile before, after;
  learner.store(before);
  update(learner, 2);
  learner.store(after);
  const auto same = [&](const std::string& name) {
    const auto shape = before.shape(name);
    std::vector<float> a(shape[0] * shape[1]), b(a.size());
    before.get(name, a);
    after.get(name, b);
    return a == b;
  };
  EXPECT_TRUE(same("policy.hidden.0.weight"));
  EXPECT_TRUE(same("policy.hidden.0.bias"));
  EXPECT_FALSE(same("policy.hidden.1.weight"));
  EXPECT_FALSE(same("value.hidden.0.weight"));
}

TEST(KlLimit, EndsAnUpdateEarly) {
  const Game game(test::duck_pond());
  WorkerPool pool(2);
  PolicyGradientSettings settings = small({.kl_limit = 1e-6, .learning_rate = 0.01});
  settings.epochs = 8;
  Ppo learner(game, settings, 3, 10'000, pool);
  learner.collect();
  learner.improve();
  EXPECT_EQ(learner.improvements()[0].epochs, 1);
  settings.kl_limit = 0;
  Ppo free(game, settings, 3, 10'000, pool);
  free.collect();
  free.improve();
  EXPECT_EQ(free.improvements()[0].epochs, 8);
}

TEST(Times, AreToldByPhase) {
  const Game game(test::duck_pond());
  WorkerPool pool(2);
  Ppo learner(game, small({}), 3, 10'000, pool);
  learner.collect();
  learner.improve();
  const PhaseTimes played = learner.rollout_times(), learned = learner.improvements()[0].times;
  EXPECT_GT(played.play, 0);
  EXPECT_GT(played.decide, 0);
  EXPECT_LT(played.learn, learned.learn);
  EXPECT_GT(learned.learn, 0);
  EXPECT_GT(learned.optimise, 0);
  EXPECT_LE(played.play + played.decide, 2 * played.wall);
  EXPECT_LE(learned.learn + learned.optimise, 2 * learned.wall);
}

// ---- What memory is for

// A boat sees at its first step only on which side of the canal its berth lies, and has to remember
// it until it reaches the fork; the other basin is a trap.
GameSpec fork_in_the_canal() {
  GameSpec game = parse_game(R"(
    name = "fork"
    ticks_per_step = 1
    cutoffs = { steps = 30 }
    [arena]
    [arena.cells]
    kinds = [{ name = "quay", symbol = "#", solid = true }, { name = "end", symbol = "e", seen = false }]
    layers = ["#######\n#####e#\n##### #\n#     #\n##### #\n#####e#\n#######"]
    [[arena.zones]]
    name = "berth"
    shape = { kind = "box", length = 0.8, width = 0.8 }
    place = { on = ["end"] }
    [[arena.zones]]
    name = "trap"
    shape = { kind = "box", length = 0.8, width = 0.8 }
    place = { on = ["end"] }
    [[arena.bodies]]
    name = "boat"
    motion = "free"
    shape = { kind = "disc", radius = 0.3 }
    mover = { kind = "stepper" }
    place = { region = [1.4, 3.4, 1.6, 3.6], heading = [0, 0] }
    [[roles]]
    name = "boat"
    senses = [{ kind = "window", ahead = 1, behind = 1, left = 1, right = 1, sees = ["quay"] }]
    controls = [{ kind = "choice", name = "go", options = [
      { name = "east", sets = { east = 1 } }, { name = "north", sets = { north = 1 } },
      { name = "south", sets = { north = -1 } } ] }]
    [[roles.rewards]]
    name = "moored"
    when = { inside = "berth" }
    ends = "success"
    [[roles.rewards]]
    name = "trapped"
    weight = -1
    when = { inside = "trap" }
    ends = "failure"
    [[roles.rewards]]
    name = "time"
    weight = -0.02
    each_step = "always"
  )",
                             "fork");
  game.roles[0].senses.push_back(
      CustomSense{.name = "signal",
                  .columns = {{.name = "side", .low = -1, .high = 1}},
                  .code = [](const SeatView& seat, std::span<float> out) {
                    const float left = seat.nearest("berth").left;
                    out[0] = seat.steps() > 0 ? 0.0f : left > 0 ? 1.0f : -1.0f;
                  }});
  return game;
}

double success_of(const PolicyGradientSettings& settings, std::uint64_t seed,
                  ActionMode actions = ActionMode::greedy) {
  const Game game(fork_in_the_canal());
  WorkerPool pool(2);
  Ppo learner(game, settings, seed, 300'000, pool);
  while (learner.steps() < 300'000) update(learner, 1);
  const auto player = policy_player(game, 0, learner.policy(), actions);
  const auto results =
      play_episodes(game, {player.get()}, 400, derived_seed(seed, "memory test"), pool);
  double won = 0;
  for (const auto& r : results) won += r.outcome == Outcome::success ? 1 : 0;
  return won / 400;
}

TEST(LearningMemory, SolvesWhatCannotBeSolvedWithout) {
  const PolicyGradientSettings with{.policy_layers = {32},
                                    .value_layers = {32},
                                    .memory = 16,
                                    .memory_span = 16,
                                    .lanes = 64,
                                    .horizon = 64,
                                    .minibatch = 1024};
  PolicyGradientSettings without = with;
  without.memory = 0;
  for (const std::uint64_t seed : {1u, 2u, 3u}) {
    EXPECT_GT(success_of(with, seed), 0.97) << "seed " << seed;
    const double blind = success_of(without, seed);
    EXPECT_GT(blind, 0.3) << "it finds a basin all the same";
    EXPECT_LT(blind, 0.65) << "seed " << seed;
  }
}

}  // namespace
}  // namespace zithercraft
