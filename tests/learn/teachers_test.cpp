// Learning from others: demonstrations, imitation, advice, and values without play.

#include <gtest/gtest.h>

#include <cmath>
#include <memory>
#include <vector>

#include "learn/clone/imitation.hpp"
#include "learning.hpp"
#include "support.hpp"
#include "textbook_problems.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/clone.hpp"
#include "zithercraft/learn/demonstrations.hpp"
#include "zithercraft/learn/dqn.hpp"
#include "zithercraft/learn/q_table.hpp"
#include "zithercraft/learn/sac.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
namespace {
using namespace test;
using learn_internal::Imitation;
using learn_internal::PolicyKind;

const std::vector<std::size_t> first_role{0};

Demonstrations shown(const Game& game, const Player& player, std::int64_t episodes,
                     std::size_t threads = 2, double disturbance = 0.0, std::uint64_t seed = 9) {
  WorkerPool pool(threads);
  std::vector<EpisodeKey> keys;
  for (std::uint32_t e = 0; e < static_cast<std::uint32_t>(episodes); ++e)
    keys.push_back({seed, 0, e});
  return demonstrate(game, {&player}, first_role, keys, pool, disturbance);
}

std::string bytes_of(const Demonstrations& all, const Game& game) {
  const TemporaryFolder folder;
  TensorFile file;
  all.store(file, game);
  file.save(folder / "x");
  return read_file(folder / "x");
}

// ---- Demonstrations

TEST(Demonstrations, AreWhatWasPlayed) {
  const Game game(mooring());
  const auto script = script_player(game, 0);
  const Demonstrations all = shown(game, *script, 5);
  WorkerPool pool(1);
  const auto results = play_episodes(game, {script.get()}, 5, 9, pool);
  ASSERT_EQ(all.list.size(), 5u);
  double successes = 0;
  for (std::size_t e = 0; e < 5; ++e) {
    const Demonstration& one = all.list[e];
    EXPECT_EQ(one.steps(), results[e].length);
    EXPECT_EQ(one.outcome, results[e].outcome);
    double sum = 0;
    for (const float reward : one.rewards) sum += static_cast<double>(reward);
    EXPECT_NEAR(sum, results[e].episode_return, 1e-4);
    successes += one.outcome == Outcome::success ? 1 : 0;
  }
  EXPECT_EQ(all.success(first_role), successes / 5);
}

TEST(Demonstrations, AreTheSameOnAnyNumberOfThreads) {
  const Game game(mooring());
  const auto script = script_player(game, 0);
  for (const double disturbance : {0.0, 0.4})
    EXPECT_TRUE(bytes_of(shown(game, *script, 70, 1, disturbance), game) ==
                bytes_of(shown(game, *script, 70, 3, disturbance), game));
}

TEST(Demonstrations, DisturbedPlayersAreSeenGettingBack) {
  const Game game(mooring());
  const auto script = script_player(game, 0);
  const Demonstrations all = shown(game, *script, 40, 2, 0.3);
  double steps = 0, disturbed = 0;
  for (const Demonstration& one : all.list) {
    ASSERT_EQ(one.advice.size(), one.controls.size());
    for (std::size_t i = 0; i < one.steps(); ++i, ++steps)
      disturbed += one.advice[2 * i] != one.controls[2 * i] ? 1 : 0;
  }
  EXPECT_NEAR(disturbed / steps, 0.3, 0.05);
}

TEST(Demonstrations, AreKeptInAFile) {
  const Game game(mooring());
  const Demonstrations all = shown(game, *script_player(game, 0), 3, 1, 0.2);
  TensorFile file;
  EXPECT_FALSE(Demonstrations::are_in(file));
  all.store(file, game);
  EXPECT_TRUE(Demonstrations::are_in(file));
  EXPECT_TRUE(bytes_of(Demonstrations::from(file, game), game) == bytes_of(all, game));
}

TEST(Demonstrations, WhatMakesNoSenseIsRefused) {
  const Game game(mooring());
  TensorFile good;
  shown(game, *script_player(game, 0), 2, 1).store(good, game);
  const std::string role = game.roles()[0].name;
  const auto kind_of = [&](auto change) {
    TensorFile file = good;
    change(file);
    return error_of([&] { Demonstrations::from(file, game); }).kind();
  };
  const auto changed = [&](const char* name, float value) {
    return kind_of([&](TensorFile& file) {
      const auto shape = file.shape(role + name);
      std::vector<float> numbers(shape[0] * (shape.size() > 1 ? shape[1] : 1));
      file.get(role + name, numbers);
      numbers[1] = value;
      file.put(role + name, shape, numbers);
    });
  };
  EXPECT_EQ(changed(".senses", std::nanf("")), ErrorKind::file);
  EXPECT_EQ(changed(".rewards", INFINITY), ErrorKind::file);
  EXPECT_EQ(changed(".controls", std::nanf("")), ErrorKind::file);
  for (const std::vector<std::int64_t>& episodes :
       {std::vector<std::int64_t>{1, 1}, {-5, 1}, {1'000'000'000'000, 1}, {3}, {100, 0}, {}})
    EXPECT_EQ(kind_of([&](TensorFile& file) {
                file.put(role + ".episodes", std::span<const std::int64_t>(episodes));
              }),
              ErrorKind::file);
  EXPECT_EQ(kind_of([&](TensorFile& file) { file.metadata[role + ".columns"] += "one more"; }),
            ErrorKind::refused);
  EXPECT_EQ(kind_of([&](TensorFile& file) { file.metadata[role + ".controls"] += "more"; }),
            ErrorKind::refused);
}

// ---- Imitation

TEST(Imitation, GradientsMatchFiniteDifferences) {
  const std::vector<ControlInfo> controls{{"throttle", "", -0.5, 1.0, {}},
                                          {"horn", "", 0, 2, {"off", "short", "long"}},
                                          {"rudder", "", -1.0, 1.0, {}}};
  const std::vector<ControlInfo> choices{controls[1]};
  RandomStream random(3, 0, 0, Purpose::user);
  for (const PolicyKind kind :
       {PolicyKind::gaussian, PolicyKind::squashed, PolicyKind::pointed, PolicyKind::values}) {
    const bool all = kind != PolicyKind::values;
    const Imitation imitation(kind, all ? controls : choices, {});
    std::vector<float> outputs(imitation.outputs()), deviations(imitation.deviations()),
        kept(2 * imitation.outputs()), gradient(outputs.size()), by_deviation(deviations.size());
    for (float& x : outputs) x = 0.5f * random.normal();
    for (float& x : deviations) x = -0.3f;
    const std::vector<float> action =
        all ? std::vector<float>{0.3f, 2.0f, -0.7f} : std::vector<float>{1.0f};
    const auto loss = [&](float scale) {
      return imitation.loss(outputs, deviations, action, scale, kept, gradient, by_deviation);
    };
    loss(1.0f);
    const std::vector<float> slopes = gradient, deviation_slopes = by_deviation;
    const auto check = [&](std::vector<float>& numbers, const std::vector<float>& expected) {
      for (std::size_t i = 0; i < numbers.size(); ++i) {
        constexpr float h = 1e-2f;
        const float before = numbers[i];
        numbers[i] = before + h;
        const float up = loss(0.0f);
        numbers[i] = before - h;
        const float down = loss(0.0f);
        numbers[i] = before;
        EXPECT_NEAR(expected[i], (up - down) / (2 * h), 2e-2f * (1.0f + std::fabs(expected[i])))
            << static_cast<int>(kind) << " " << i;
      }
    };
    check(outputs, slopes);
    check(deviations, deviation_slopes);
    std::vector<float> greedy(action.size());
    imitation.heads().greedy(std::span(outputs).first(imitation.heads().outputs()), greedy);
    if (kind == PolicyKind::squashed || kind == PolicyKind::pointed)
      imitation.heads().squash(greedy);
    std::vector<float> scratch(action.size());
    EXPECT_EQ(imitation.agreement(outputs, greedy, scratch), 1.0f);
  }
}

// A teacher of a game of one's own knows what to do from what is sensed.
class Pusher final : public Player {
 public:
  std::string name() const override { return "pusher"; }
  std::unique_ptr<Player> copy() const override { return std::make_unique<Pusher>(*this); }
  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    for (std::size_t row = first; row < first + count; ++row) {
      const auto see = environment.observation(role, row);
      environment.control(role, row)[0] =
          see[2] + 0.3f * see[3] + 0.02f * see[0] + 0.05f * see[1] > 0.0f ? 1.0f : 0.0f;
    }
  }
};

std::vector<RolePlayer> taught(const Player& teacher) {
  return {RolePlayer{.teacher = std::shared_ptr<const Player>(teacher.copy())}};
}

struct Setting {
  LearningMethod method;
  LearnerSettings settings;
  const Demonstrations* demonstrations = nullptr;
};

std::unique_ptr<Learner> learner_of(const Setting& s, const Game& game, std::int64_t steps,
                                    const std::vector<RolePlayer>& players, WorkerPool& pool) {
  return s.method.make(
      {game, s.settings, 4, {.steps = steps}, players, pool, nullptr, {}, s.demonstrations});
}

void learn(Learner& learner, std::int64_t steps) {
  while (learner.steps() < steps && !learner.ended()) {
    learner.collect();
    learner.improve();
  }
}

double metric(const Learner& learner, const char* name) {
  return metric_in(learner.report().policies[0].metrics, name).value_or(-1.0);
}

TEST(Clone, DoesWhatItsTeacherDoesAndStops) {
  const Game game(pole_on_a_cart());
  const Demonstrations all = shown(game, Pusher(), 40, 2, 0.2);
  WorkerPool pool(2);
  CloneSettings s;
  s.policy_layers = {32};
  for (const char* method : {"ppo", "dqn", "sac"}) {
    s.continued_by = method;
    const auto clone =
        learner_of({clone_method(), s, &all}, game, 5'000'000, taught(Pusher()), pool);
    learn(*clone, 5'000'000);
    EXPECT_TRUE(clone->ended());
    EXPECT_LT(clone->steps(), 5'000'000);
    EXPECT_GT(metric(*clone, "held_out_agreement"), 0.9) << method;
    EXPECT_GT(mean_return(game, *policy_player(game, 0, clone->policy()), pool), 300) << method;
    EXPECT_TRUE(clone->collect().episodes.empty());  // nothing is played
  }
}

TEST(Clone, AsksItsTeacherWhereItGoes) {
  const Game game(pole_on_a_cart());
  const Demonstrations one = shown(game, Pusher(), 1);
  WorkerPool pool(2);
  CloneSettings s;
  s.policy_layers = {32};
  s.interactive = true;
  const auto clone = learner_of({clone_method(), s, &one}, game, 8000, taught(Pusher()), pool);
  learn(*clone, 8000);
  EXPECT_GT(metric(*clone, "agreement"), 0.9);
  EXPECT_GT(mean_return(game, *policy_player(game, 0, clone->policy()), pool), 300);
}

TEST(Clone, NobodyToLearnFromIsRefused) {
  const Game game(pole_on_a_cart());
  WorkerPool pool(1);
  const Error error = error_of([&] {
    learner_of({clone_method(), CloneSettings{}}, game, 100, usual_players(game, 1), pool);
  });
  EXPECT_EQ(error.kind(), ErrorKind::usage);
  CloneSettings s;
  s.continued_by = "sacc";
  const Demonstrations all = shown(game, Pusher(), 2);
  const Error other = error_of([&] {
    learner_of({clone_method(), s, &all}, game, 100, usual_players(game, 1), pool);
  });
  EXPECT_NE(std::string(other.what()).find("did you mean 'sac'"), std::string::npos)
      << other.what();
}

// ---- Going on from a clone

TEST(Clone, IsContinuedByTheMethodThatItNames) {
  const Game game(pole_on_a_cart());
  const Demonstrations all = shown(game, Pusher(), 40, 2, 0.2);
  WorkerPool pool(2);
  const auto by_method = [&](const LearningMethod& method, LearnerSettings settings) {
    CloneSettings s;
    s.continued_by = method.name;
    const auto clone = learner_of({clone_method(), s, &all}, game, 600'000, taught(Pusher()), pool);
    learn(*clone, 600'000);
    TensorFile file;
    clone->store(file);
    // Demonstrations keep values from unlearning at once what the clone can do.
    const auto learner =
        learner_of({method, settings, &all}, game, 20'000, usual_players(game, 1), pool);
    const Continuation taken = learner->continue_from(file);
    EXPECT_FALSE(taken.parts.empty());
    // Before it has learned anything it plays as the clone does.
    EXPECT_GT(mean_return(game, *policy_player(game, 0, learner->policy()), pool), 300)
        << method.name;
    learn(*learner, 6000);
    EXPECT_GT(mean_return(game, *policy_player(game, 0, learner->policy()), pool), 250)
        << method.name;
  };
  by_method(ppo_method(), PolicyGradientSettings{});
  by_method(sac_method(), ActorCriticSettings{});
  by_method(dqn_method(), DqnSettings{});
  DqnSettings whole;
  whole.duelling = false;
  whole.quantiles = 5;
  by_method(dqn_method(), whole);
}

// ---- Advice

// Whatever is done is worth nothing: only the teacher says what to do.
GameSpec worthless_pole() {
  GameSpec game = pole_on_a_cart();
  game.roles[0].rewards[0].each_step = [](const SeatView&) { return 0.0; };
  return game;
}

TEST(Teacher, HoldsAPolicyGradientNear) {
  const Game game(worthless_pole()), real(pole_on_a_cart());
  WorkerPool pool(2);
  PolicyGradientSettings s;
  s.teacher_fades_by = 1.0;
  const auto learner = learner_of({ppo_method(), s}, game, 40'000, taught(Pusher()), pool);
  learner->collect();
  learner->improve();
  const double first = metric(*learner, "teacher_loss");
  learn(*learner, 40'000);
  EXPECT_LT(metric(*learner, "teacher_loss"), 0.5 * first);
  EXPECT_GT(mean_return(real, *policy_player(real, 0, learner->policy()), pool), 300);
}

TEST(Teacher, TakesAShareOfTheStepsThatFalls) {
  const Game game(pole_on_a_cart());
  WorkerPool pool(2);
  QTableSettings table;
  table.bins = 6;
  table.teacher_share = 1.0;
  table.epsilon = table.last_epsilon = 1.0;
  DqnSettings deep;
  deep.value_layers = {16};
  deep.teacher_share = 1.0;
  deep.epsilon = deep.last_epsilon = 1.0;
  for (const Setting& setting : {Setting{q_table_method(), table}, Setting{dqn_method(), deep}}) {
    const auto learner = learner_of(setting, game, 30'000, taught(Pusher()), pool);
    double early = 0, late = 0, early_n = 0, late_n = 0;
    while (learner->steps() < 30'000) {
      const bool begins = learner->steps()<6000, ends = learner->steps()> 20'000;
      for (const EpisodeResult& e : learner->collect().episodes) {
        (begins ? early : late) += begins || ends ? static_cast<double>(e.length) : 0.0;
        (begins ? early_n : late_n) += begins || ends ? 1.0 : 0.0;
      }
      learner->improve();
    }
    // Random pushes alone let it fall soon.
    EXPECT_GT(early / early_n, 3.0 * late / late_n) << setting.method.name;
  }
}

// ---- Values from demonstrations alone

TEST(Offline, ValuesAreLearnedWithoutPlay) {
  const Game game(pole_on_a_cart());
  Demonstrations mixed = shown(game, Pusher(), 20, 2, 0.3);
  mixed.append(shown(game, *random_player(5), 60, 2, 0.0, 10));
  WorkerPool pool(2);
  DqnSettings s;
  s.offline = true;
  const auto learner =
      learner_of({dqn_method(), s, &mixed}, game, 10'000, usual_players(game, 1), pool);
  while (learner->steps() < 10'000) {
    EXPECT_TRUE(learner->collect().episodes.empty());
    learner->improve();
  }
  const double steps = static_cast<double>(mixed.steps(first_role)),
               mean = steps / static_cast<double>(mixed.list.size());
  EXPECT_GT(mean_return(game, *policy_player(game, 0, learner->policy()), pool), 1.5 * mean);
}

// One decision with an option that nobody has tried: its value is a guess.
GameSpec three_doors() {
  GameSpec game = empty_game("three doors", 0.1, 1);
  game.rules.push_back({.name = "doors",
                        .numbers = 1,
                        .begin = [](const RuleView& lane) { lane.numbers()[0] = 0.0; },
                        .tick =
                            [](const RuleView& lane) {
                              lane.numbers()[0] = -static_cast<double>(lane.control(0));
                              lane.end(Verdict::success);
                            }});
  game.roles[0].senses.push_back(
      CustomSense{.name = "nothing",
                  .columns = {{.name = "one"}},
                  .code = [](const SeatView&, std::span<float> out) { out[0] = 1.0f; }});
  game.roles[0].controls.push_back(Choice{
      .name = "door", .options = {{.name = "first"}, {.name = "second"}, {.name = "third"}}});
  game.roles[0].rewards.push_back(
      {.name = "paid", .each_step = [](const SeatView& seat) { return seat.numbers("doors")[0]; }});
  return game;
}

class SecondDoor final : public Player {
 public:
  std::string name() const override { return "second"; }
  std::unique_ptr<Player> copy() const override { return std::make_unique<SecondDoor>(*this); }
  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    for (std::size_t row = first; row < first + count; ++row)
      environment.control(role, row)[0] = 1.0f;
  }
};

TEST(Offline, WhatNobodyTriedIsHeldBack) {
  const Game game(three_doors());
  const Demonstrations all = shown(game, SecondDoor(), 200);
  WorkerPool pool(1);
  const auto values = [&](double weight) {
    DqnSettings s;
    s.offline = true;
    s.conservative_weight = weight;
    const auto learner =
        learner_of({dqn_method(), s, &all}, game, 3000, usual_players(game, 1), pool);
    learn(*learner, 3000);
    Policy policy = learner->policy();
    std::vector<float> probabilities(3), control(1);
    const std::vector<float> senses{1.0f};
    policy.decide(senses, control);
    return control[0];
  };
  // It pays -1, which is less than networks guess of others.
  EXPECT_NE(values(0.0), 1.0f);
  EXPECT_EQ(values(1.0), 1.0f);
}

// ---- The same bits, always

std::vector<Setting> settings_with(const Demonstrations* all) {
  CloneSettings alone, asking;
  alone.policy_layers = asking.policy_layers = std::vector<std::int64_t>{16};
  alone.horizon = 700;
  asking.interactive = true;
  asking.lanes = 12;
  asking.horizon = 16;
  DqnSettings deep;
  deep.value_layers = {16};
  deep.priority = 0.5;
  deep.teacher_share = 0.5;
  deep.lanes = 12;
  ActorCriticSettings soft;
  soft.policy_layers = soft.value_layers = {16};
  ActorCriticSettings offline = soft;
  offline.offline = true;
  PolicyGradientSettings gradient;
  gradient.lanes = 64;
  gradient.horizon = 16;
  gradient.minibatch = 256;
  return {{clone_method(), alone, all}, {clone_method(), asking, all}, {dqn_method(), deep, all},
          {sac_method(), soft, all},    {sac_method(), offline, all},  {ppo_method(), gradient}};
}

TEST(TeacherBits, AreTheSameOnAnyNumberOfThreadsAndWhenResumed) {
  const Game game(pole_on_a_cart());
  const Demonstrations all = shown(game, Pusher(), 10, 2, 0.2);
  const auto players = taught(Pusher());
  for (const Setting& setting : settings_with(&all)) {
    std::string first;
    for (const std::size_t threads : {1u, 2u, 3u}) {
      WorkerPool pool(threads);
      auto learner = learner_of(setting, game, 4000, players, pool);
      learn(*learner, 2000);
      if (threads == 3) {
        TensorFile file;
        learner->store(file);
        learner = learner_of(setting, game, 4000, players, pool);
        learner->restore(file);
      }
      learn(*learner, 4000);
      const std::string bytes = test::bytes_of(*learner);
      if (first.empty()) first = bytes;
      EXPECT_TRUE(bytes == first) << setting.method.name << ", " << threads << " threads";
    }
  }
}

}  // namespace
}  // namespace zithercraft
