// Methods that learn from steps of earlier policies too: what they find, and that it is always the
// same.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <vector>

#include "learn/dqn/noisy_parameters.hpp"
#include "learning.hpp"
#include "opposed_games.hpp"
#include "support.hpp"
#include "textbook_problems.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/dqn.hpp"
#include "zithercraft/learn/sac.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {
using namespace test;

struct Trained {
  Policy policy;
  LearnerReport report;
};

std::unique_ptr<Learner> learner_of(const LearningMethod& method, const LearnerSettings& settings,
                                    const Game& game, std::int64_t steps, std::uint64_t seed,
                                    WorkerPool& pool) {
  return method.make({game, settings, seed, {.steps = steps}, usual_players(game, seed), pool});
}

Trained train(const LearningMethod& method, const LearnerSettings& settings, const Game& game,
              std::int64_t steps, std::uint64_t seed = 1) {
  WorkerPool pool(2);
  const auto learner = learner_of(method, settings, game, steps, seed, pool);
  while (learner->steps() < steps) {
    learner->collect();
    learner->improve();
  }
  return {learner->policy(), learner->report()};
}

double learned_return(const LearningMethod& method, const LearnerSettings& settings,
                      const GameSpec& spec, std::int64_t steps, std::uint64_t seed = 1) {
  const Game game(spec);
  WorkerPool pool(2);
  return mean_return(
      game, *policy_player(game, 0, train(method, settings, game, steps, seed).policy), pool);
}

// Networks that suffice for what is small.
ActorCriticSettings small(ActorCriticSettings settings = {}) {
  settings.policy_layers = settings.value_layers = {32, 32};
  return settings;
}

// ---- Known answers

// A chain of moments, each of which goes on to the next; the last one pays 1. A second option stays
// where one is.
GameSpec chain() {
  GameSpec game = empty_game("chain", 0.1, 200);
  game.rules.push_back({.name = "chain",
                        .numbers = 1,
                        .begin = [](const RuleView& lane) { lane.numbers()[0] = 0; },
                        .tick =
                            [](const RuleView& lane) {
                              auto n = lane.numbers();
                              if (lane.control(0) > 0.5f) n[0] += 1;
                              if (n[0] >= 5) lane.end(Verdict::success);
                            }});
  CustomSense sense{.name = "chain", .code = [](const SeatView& seat, std::span<float> out) {
                      for (std::size_t i = 0; i < 5; ++i)
                        out[i] = seat.numbers("chain")[0] == static_cast<double>(i) ? 1.0f : 0.0f;
                    }};
  for (const char* name : {"at_0", "at_1", "at_2", "at_3", "at_4"})
    sense.columns.push_back({.name = name});
  game.roles[0].senses.push_back(std::move(sense));
  game.roles[0].controls.push_back(
      Choice{.name = "go", .options = {{.name = "stay"}, {.name = "on"}}});
  game.roles[0].rewards.push_back({.name = "end", .each_step = [](const SeatView& seat) {
                                     return seat.numbers("chain")[0] >= 5 ? 1.0 : 0.0;
                                   }});
  return game;
}

TEST(Dqn, KnowsWhatAChainIsWorth) {
  for (const std::int64_t ahead : {1, 3}) {
    DqnSettings s;
    s.discount = 0.9;
    s.steps_ahead = ahead;
    s.epsilon = s.last_epsilon = ahead == 1 ? 0.5 : 0.0;
    Trained trained = train(dqn_method(), s, Game(chain()), 12'000);
    for (std::size_t at = 0; at < 5; ++at) {
      std::vector<float> senses(5);
      senses[at] = 1.0f;
      float value = 0.0f;
      trained.policy.values(senses, {&value, 1});
      EXPECT_NEAR(value, std::pow(0.9, 4.0 - static_cast<double>(at)), 0.05) << ahead << " " << at;
    }
  }
}

// Noise in the weights explores alone, and becomes weaker where it does harm.
TEST(Dqn, NoiseInTheWeightsFindsTheEndOfTheChain) {
  DqnSettings s;
  s.discount = 0.9;
  s.noisy = true;
  s.warm_up = 200;
  Trained trained = train(dqn_method(), s, Game(chain()), 12'000);
  for (std::size_t at = 0; at < 5; ++at) {
    std::vector<float> senses(5), control(1);
    senses[at] = 1.0f;
    trained.policy.decide(senses, control);
    EXPECT_EQ(control[0], 1.0f) << at;
  }
  EXPECT_EQ(metric_in(trained.report.policies[0].metrics, "epsilon"), 0.0);
}

// The gradient of the strengths, and the spread of what is drawn.
TEST(Dqn, NoiseIsAsStrongAsItIsSaidToBe) {
  const Network<float> net({.columns = 3, .hidden = {5}, .outputs = 2});
  learn_internal::NoisyParameters noisy(net);
  std::vector<float> means(net.parameters(), 0.5f), strengths(net.parameters());
  noisy.first_strengths(strengths);
  const NetworkPart& part = net.parts()[0];
  double sum = 0.0, squares = 0.0;
  constexpr int draws = 4000;
  for (std::uint32_t i = 0; i < draws; ++i) {
    noisy.draw(means, strengths, RandomStream(1, 0, i, Purpose::user));
    const double off = static_cast<double>(noisy.parameters()[part.offset] - 0.5f);
    sum += off;
    squares += off * off;
    std::vector<float> by_parameters(net.parameters(), 2.0f), by_strengths(net.parameters());
    noisy.add_gradient(by_parameters, by_strengths);
    EXPECT_NEAR(by_strengths[part.offset] * strengths[part.offset], 2.0 * off, 1e-4);
  }
  EXPECT_NEAR(sum / draws, 0.0, 0.02);
  // Products of two bent normal numbers have a variance of (2 / pi).
  const double strength = static_cast<double>(strengths[part.offset]);
  EXPECT_NEAR(squares / draws, strength * strength * 2.0 / 3.14159265, 0.01);
}

// Two arms: one pays 1, the other 0 or 2.5, as often as not. The second is better in the mean, and
// its quantiles say how it pays.
GameSpec two_arms() {
  GameSpec game = empty_game("two arms", 0.1, 1);
  game.rules.push_back(
      {.name = "arms",
       .numbers = 2,
       .begin = [](const RuleView& lane) { lane.numbers()[1] = lane.random().below(2); },
       .tick =
           [](const RuleView& lane) {
             auto n = lane.numbers();
             n[0] = lane.control(0) > 0.5f ? 2.5 * n[1] : 1.0;
             lane.end(Verdict::success);
           }});
  game.roles[0].senses.push_back(
      CustomSense{.name = "nothing",
                  .columns = {{.name = "one"}},
                  .code = [](const SeatView&, std::span<float> out) { out[0] = 1.0f; }});
  game.roles[0].controls.push_back(
      Choice{.name = "arm", .options = {{.name = "sure"}, {.name = "risky"}}});
  game.roles[0].rewards.push_back(
      {.name = "paid", .each_step = [](const SeatView& seat) { return seat.numbers("arms")[0]; }});
  return game;
}

TEST(Dqn, QuantilesSayHowARiskPays) {
  constexpr std::size_t quantiles = 8;
  DqnSettings s;
  s.quantiles = quantiles;
  s.duelling = false;
  s.epsilon = s.last_epsilon = 1.0;
  s.normalise_returns = false;
  s.value_layers = {16};
  s.learning_rate = 3e-3;
  s.last_learning_rate = 1e-4;
  WorkerPool pool(1);
  const Game game(two_arms());
  const auto learner = learner_of(dqn_method(), s, game, 20'000, 1, pool);
  while (learner->steps() < 20'000) {
    learner->collect();
    learner->improve();
  }
  Policy policy = learner->policy();
  const float sensed = 1.0f;
  float value = 0.0f, control = 0.0f;
  policy.values({&sensed, 1}, {&value, 1});
  policy.decide({&sensed, 1}, {&control, 1});
  EXPECT_EQ(control, 1.0f);
  EXPECT_NEAR(value, 1.25, 0.2);
  // The network's last layer as it is stored: a bias for each quantile of each option tells them
  // all, since the senses never change.
  TensorFile file;
  learner->store(file);
  std::vector<float> hidden(16), bias(2 * quantiles), weight(16 * 2 * quantiles), hidden_weight(16);
  file.get("values.hidden.0.weight", hidden_weight);
  file.get("values.hidden.0.bias", hidden);
  file.get("values.output.bias", bias);
  file.get("values.output.weight", weight);
  // The one column is the same always: it is its mean, so normalised it is 0.
  for (float& h : hidden) h = std::max(0.0f, h);
  const auto quantile = [&](std::size_t option, std::size_t k) {
    float sum = bias[option * quantiles + k];
    for (std::size_t i = 0; i < 16; ++i)
      sum += weight[(option * quantiles + k) * 16 + i] * hidden[i];
    return sum;
  };
  for (std::size_t k = 0; k < quantiles; ++k) {
    EXPECT_NEAR(quantile(0, k), 1.0, 0.15) << k;
    if (k != 3 && k != 4) {
      EXPECT_NEAR(quantile(1, k), k < 4 ? 0.0 : 2.5, 0.6) << k;
    }
  }
}

// Two choices at once, each with a branch of its own, of which one option is forbidden at times.
GameSpec two_choices() {
  GameSpec game = empty_game("two choices", 0.1, 1);
  game.rules.push_back({.name = "case",
                        .numbers = 3,
                        .begin =
                            [](const RuleView& lane) {
                              RandomStream random = lane.random();
                              for (double& n : lane.numbers()) n = random.below(3);
                            },
                        .tick =
                            [](const RuleView& lane) {
                              auto n = lane.numbers();
                              const bool first = std::lround(lane.control(0)) == std::lround(n[0]),
                                         second = std::lround(lane.control(1)) == std::lround(n[1]);
                              n[2] = (first ? 1.0 : 0.0) + (second ? 1.0 : 0.0);
                              lane.end(Verdict::success);
                            }});
  CustomSense sense{.name = "case", .code = [](const SeatView& seat, std::span<float> out) {
                      for (std::size_t i = 0; i < 6; ++i)
                        out[i] =
                            seat.numbers("case")[i / 3] == static_cast<double>(i % 3) ? 1.0f : 0.0f;
                    }};
  for (const char* name : {"a0", "a1", "a2", "b0", "b1", "b2"})
    sense.columns.push_back({.name = name});
  game.roles[0].senses.push_back(std::move(sense));
  game.roles[0].controls = {
      Choice{.name = "first", .options = {{.name = "x"}, {.name = "y"}, {.name = "z"}}},
      Choice{.name = "second", .options = {{.name = "x"}, {.name = "y"}, {.name = "z"}}}};
  game.roles[0].rewards.push_back(
      {.name = "right", .each_step = [](const SeatView& seat) { return seat.numbers("case")[2]; }});
  return game;
}

TEST(Dqn, LearnsSeveralChoicesAtOnce) {
  EXPECT_GT(learned_return(dqn_method(), DqnSettings{}, two_choices(), 10'000), 1.95);
}
TEST(Dqn, LearnsWithPrioritiesQuantilesAndSoftly) {
  DqnSettings s;
  s.priority = 0.6;
  s.quantiles = 5;
  s.target_every = 100;
  s.exploration = Exploration::softmax;
  WorkerPool pool(2);
  const Game game(two_choices());
  EXPECT_GT(
      mean_return(game, *policy_player(game, 0, train(dqn_method(), s, game, 10'000).policy), pool),
      1.95);
}
TEST(Sac, LearnsSeveralChoicesAtOnce) {
  EXPECT_GT(learned_return(sac_method(), small(), two_choices(), 10'000), 1.9);
}
TEST(Sac, OneDecisionIsNearTheBest) {
  EXPECT_GT(learned_return(sac_method(), small(), one_decision(), 10'000), -0.02);
}

// A dial and a choice together: the choice says which of two numbers the dial has to meet.
TEST(Sac, LearnsADialAndAChoiceTogether) {
  GameSpec game = one_decision();
  game.name = "a dial and a choice";
  game.roles[0].controls = {Dial{.name = "dial"},
                            Choice{.name = "which", .options = {{.name = "a"}, {.name = "b"}}}};
  game.rules[0].tick = [](const RuleView& lane) {
    auto n = lane.numbers();
    const double aim = lane.control(1) > 0.5f ? 0.8 * n[0] : 0.8 * n[1];
    n[4] = std::pow(lane.control(0) - aim, 2.0) + ((lane.control(1) > 0.5f) == (n[2] > 0) ? 0 : 1);
  };
  EXPECT_GT(learned_return(sac_method(), small(), game, 20'000), -0.08);
}

// What was sensed at first says which option pays at the end, and nobody knows it who remembers
// nothing. One training in eight forgets it again, so one of three must know it.
TEST(Dqn, RemembersASign) {
  DqnSettings settings;
  EXPECT_LT(learned_return(dqn_method(), settings, sign(10), 5'000), 0.5);
  settings.memory = 16;
  const auto remembered = [&] {
    double best = 0.0;
    for (std::uint64_t seed = 1; seed <= 3 && best < 0.95; ++seed)
      best = std::max(best, learned_return(dqn_method(), settings, sign(10), 15'000, seed));
    return best;
  };
  EXPECT_GT(remembered(), 0.95);
  // With priorities a span is drawn whole.
  settings.priority = 0.6;
  settings.noisy = true;
  EXPECT_GT(remembered(), 0.95);
}

// ---- Always the same

struct Kind {
  const char* name;
  LearningMethod method;
  LearnerSettings settings;
  GameSpec game;
};

std::vector<Kind> kinds() {
  DqnSettings dqn;
  dqn.priority = 0.5;
  dqn.quantiles = 3;
  dqn.experience = 700;
  ActorCriticSettings sac = small();
  sac.experience = 900;
  DqnSettings noisy;
  noisy.noisy = true;
  DqnSettings memory = dqn;
  memory.memory = 8;
  memory.memory_span = 10;
  // The third duck is there in some episodes only.
  ActorCriticSettings central = small();
  central.value_sees = Sight::side;
  central.experience = 900;
  GameSpec pond = duck_pond();
  pond.arena.bodies[0].count = 3;
  pond.arena.vary = {{.key = "bodies.duck.count", .low = 2, .high = 3}};
  return {{"dqn", dqn_method(), dqn, pole_on_a_cart()},
          {"noisy", dqn_method(), noisy, pole_on_a_cart()},
          {"memory", dqn_method(), memory, pole_on_a_cart()},
          {"sac", sac_method(), sac, swing_up()},
          {"td3", td3_method(), small(td3_settings()), swing_up()},
          {"choices", sac_method(), small(), two_choices()},
          {"central", sac_method(), central, pond}};
}

TEST(OffPolicy, SameBitsOnAnyNumberOfThreadsAndAfterPauses) {
  for (const Kind& kind : kinds()) {
    const Game game(kind.game);
    constexpr std::int64_t steps = 1500;
    const auto bytes = [&](std::size_t threads, std::vector<int> pauses) {
      WorkerPool pool(threads);
      auto learner = learner_of(kind.method, kind.settings, game, steps, 5, pool);
      for (int update = 0; learner->steps() < steps; ++update) {
        if (std::find(pauses.begin(), pauses.end(), update) != pauses.end()) {
          TensorFile file;
          learner->store(file);
          learner = learner_of(kind.method, kind.settings, game, steps, 77, pool);
          learner->restore(file);
        }
        learner->collect();
        learner->improve();
      }
      return bytes_of(*learner);
    };
    const std::string whole = bytes(1, {});
    EXPECT_TRUE(bytes(2, {}) == whole) << kind.name;
    EXPECT_TRUE(bytes(3, {1, 2, 5, 8, 11, 13, 14, 17, 20, 22}) == whole) << kind.name;
  }
}

TEST(OffPolicy, OpposedSidesMeetTheirPastAndGoOnAsTheyWere) {
  const Game game(one_step({2, {1, -1, -1, 1}}));
  constexpr std::int64_t steps = 3000;
  DqnSettings dqn;
  dqn.updates_per_step = 0.2;
  dqn.against_past = 0.5;
  const std::vector<std::pair<LearningMethod, LearnerSettings>> both{{dqn_method(), dqn},
                                                                     {sac_method(), small()}};
  for (const auto& kind : both) {
    WorkerPool pool(2);
    const auto made = [&](std::uint64_t seed) {
      return kind.first.make(
          {game, kind.second, seed, {.steps = steps}, std::vector<RolePlayer>(2), pool});
    };
    const auto bytes = [&](int pause) {
      auto learner = made(3);
      for (int update = 0; learner->steps() < steps; ++update) {
        if (update == pause) {
          TensorFile file;
          learner->store(file);
          learner = made(4);
          learner->restore(file);
        }
        learner->collect();
        learner->improve();
      }
      const auto report = learner->report();
      EXPECT_EQ(report.policies.size(), 2u);
      EXPECT_GT(metric_in(report.policies[0].metrics, "past_policies").value_or(0.0), 5.0);
      EXPECT_GT(metric_in(report.policies[0].metrics, "past_share").value_or(0.0), 0.2);
      return bytes_of(*learner);
    };
    EXPECT_TRUE(bytes(-1) == bytes(20)) << kind.first.name;
  }
}

TEST(OffPolicy, APolicyIsPlayedAsItWasTrained) {
  for (const Kind& kind : kinds()) {
    const Game game(kind.game);
    Policy policy = train(kind.method, kind.settings, game, 600).policy;
    TensorFile file;
    WorkerPool pool(1);
    const auto learner = learner_of(kind.method, kind.settings, game, 600, 1, pool);
    learner->store(file);
    Policy untaught = Policy::from(file);
    std::vector<float> senses(policy.columns(), 0.3f), controls(policy.controls()),
        memory(policy.memory());
    policy.decide(senses, controls, memory);
    RandomStream random(1, 1, 1, Purpose::decide);
    for (int i = 0; i < 50; ++i) {
      policy.decide(senses, controls, random, memory);
      for (std::size_t c = 0; c < controls.size(); ++c) {
        const ControlInfo& info = game.roles()[0].controls[c];
        EXPECT_GE(static_cast<double>(controls[c]), info.low);
        EXPECT_LE(static_cast<double>(controls[c]), info.high);
      }
    }
    std::vector<float> probabilities(probability_count(game.roles()[0].controls));
    policy.probabilities(senses, probabilities, memory);
    untaught.probabilities(senses, probabilities, memory);
    for (const float p : probabilities) EXPECT_TRUE(std::isfinite(p)) << kind.name;
    EXPECT_EQ(policy.knows_values(), kind.method.name == "dqn");
  }
}

// ---- Mistakes

TEST(OffPolicy, ControlsThatDoNotFitAreRefusedWithAdvice) {
  WorkerPool pool(1);
  const auto text = [&](const LearningMethod& method, const GameSpec& spec) -> std::string {
    try {
      learner_of(method, method.settings, Game(spec), 1000, 1, pool);
    } catch (const Error& e) {
      EXPECT_EQ(e.kind(), ErrorKind::refused);
      return e.what();
    }
    return {};
  };
  EXPECT_NE(text(dqn_method(), swing_up()).find("'torque' is a dial"), std::string::npos);
  EXPECT_NE(text(td3_method(), pole_on_a_cart()).find("choices"), std::string::npos);
  EXPECT_NE(text(ddpg_method(), pole_on_a_cart()).find("dqn"), std::string::npos);
}

TEST(OffPolicy, MoreStepsThanFitIntoMemoryAreRefused) {
  WorkerPool pool(1);
  DqnSettings s;
  s.experience = 900'000'000;
  GameSpec spec = pole_on_a_cart();
  auto& sense = std::get<CustomSense>(spec.roles[0].senses[0]);
  while (sense.columns.size() < 1000)
    sense.columns.push_back({.name = "more_" + std::to_string(sense.columns.size())});
  const Error error = error_of([&] { learner_of(dqn_method(), s, Game(spec), 1000, 1, pool); });
  EXPECT_EQ(error.kind(), ErrorKind::refused);
  EXPECT_NE(std::string(error.what()).find("experience="), std::string::npos) << error.what();
}

TEST(OffPolicy, ACheckpointOfAnotherKindIsRefused) {
  WorkerPool pool(1);
  const Game game(two_choices());
  TensorFile file;
  learner_of(dqn_method(), DqnSettings{}, game, 1000, 1, pool)->store(file);
  const auto sac = learner_of(sac_method(), ActorCriticSettings{}, game, 1000, 1, pool);
  EXPECT_THROW(sac->restore(file), Error);
  EXPECT_THROW(sac->continue_from(file), Error);
  DqnSettings wider;
  wider.value_layers = {128};
  EXPECT_THROW(learner_of(dqn_method(), wider, game, 1000, 1, pool)->restore(file), Error);
}

}  // namespace

// ---- Textbook problems with default settings

namespace {

void expect_learned(const LearningMethod& method, const GameSpec& spec, std::int64_t steps,
                    double least) {
  for (const std::uint64_t seed : {1u, 2u, 3u}) {
    const double mean = learned_return(method, method.settings, spec, steps, seed);
    ::testing::Test::RecordProperty(method.name + "_" + std::to_string(seed), std::to_string(mean));
    EXPECT_GT(mean, least) << method.name << ", seed " << seed;
  }
}

TEST(LearningOffPolicy, DqnBalancesAPoleOnACart) {
  expect_learned(dqn_method(), pole_on_a_cart(), 50'000, 390);  // of 400
}
TEST(LearningOffPolicy, SacSwingsAPendulumUp) {
  expect_learned(sac_method(), swing_up(), 15'000, -36);
}

}  // namespace
}  // namespace zithercraft
