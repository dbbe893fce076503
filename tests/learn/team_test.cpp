// Members of one side: what their networks are shown of each other in training, and how their
// shared reward is credited to each.

#include <gtest/gtest.h>

#include <array>
#include <cmath>

#include "learn/policy/policy_learner.hpp"
#include "learning.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/learn/sac.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

using test::update;

// A game without an arena to speak of: two members of a crew choose, and a rule of the game's own
// pays them both.
struct CrewGame {
  std::size_t options = 2, steps = 1, columns = 1;
  // The reward after a step; `chosen` holds what both chose at each step so far: [steps][2].
  std::function<double(std::span<const double> chosen)> reward;
  // What a member senses before a step.
  std::function<void(std::size_t member, std::span<const double> chosen, std::span<float> columns)>
      sensed;
};

// The rule's numbers: what was rewarded for the last step, steps taken, and what was chosen.
std::span<const double> chosen_of(std::span<const double> numbers) {
  return numbers.subspan(2, 2 * static_cast<std::size_t>(numbers[1]));
}

GameSpec game_of(const CrewGame& crew) {
  GameSpec game;
  game.name = "crew";
  game.ticks_per_step = 1;
  game.cutoffs.steps = static_cast<std::int64_t>(crew.steps) + 1;
  Choice choice{.name = "choice", .options = {}};
  for (std::size_t o = 0; o < crew.options; ++o)
    choice.options.push_back({.name = "o" + std::to_string(o)});
  game.rules.push_back({.name = "crew",
                        .numbers = static_cast<std::int64_t>(2 + 2 * crew.steps),
                        .tick = [crew](const RuleView& lane) {
                          const auto n = lane.numbers();
                          const std::size_t at = 2 + 2 * static_cast<std::size_t>(n[1]++);
                          for (std::size_t member = 0; member < 2; ++member)
                            n[at + member] = lane.control(0, member);
                          n[0] = crew.reward(chosen_of(n));
                          if (static_cast<std::size_t>(n[1]) == crew.steps)
                            lane.end(Verdict::success);
                        }});
  for (const char* name : {"leader", "follower"}) {
    const std::size_t member = name[0] == 'l' ? 0 : 1;
    const double x = member == 0 ? -5.0 : 5.0;
    game.arena.bodies.push_back(
        {.name = name, .side = "crew", .motion = Motion::fixed, .place = {.region = {x, 0, x, 0}}});
    RoleSpec role{.name = name};
    CustomSense sense{.name = "seen"};
    for (std::size_t c = 0; c < crew.columns; ++c)
      sense.columns.push_back({.name = "c" + std::to_string(c)});
    sense.code = [crew, member](const SeatView& seat, std::span<float> out) {
      std::fill(out.begin(), out.end(), 0.0f);
      crew.sensed(member, chosen_of(seat.numbers("crew")), out);
    };
    role.senses.push_back(std::move(sense));
    role.controls.push_back(choice);
    role.rewards.push_back({.name = "reward", .each_step = [](const SeatView& seat) {
                              return seat.numbers("crew")[0];
                            }});
    game.roles.push_back(std::move(role));
  }
  return game;
}

// The climbing game, one after the other: the leader climbs high, half way, or stays; the follower
// sees it and joins in some way. High together gives most, apart it costs most, staying is safe.
// Staying pays at once, climbing only at the end, and until then the leader senses nothing of what
// has become of it.
constexpr std::array<std::array<double, 3>, 3> climbing_payoffs{
    {{11, -30, 0}, {-30, 7, 6}, {0, 0, 5}}};

CrewGame climbing() {
  constexpr std::size_t steps = 40;
  return {.options = 3,
          .steps = steps,
          .columns = 7,
          .reward =
              [](std::span<const double> chosen) {
                const bool due = chosen.size() == (chosen[0] == 2 ? 4 : 2 * steps);
                return due ? climbing_payoffs[static_cast<std::size_t>(chosen[0])]
                                             [static_cast<std::size_t>(chosen[3])]
                           : 0.0;
              },
          .sensed =
              [](std::size_t member, std::span<const double> chosen, std::span<float> out) {
                if (member == 0) return;
                if (chosen.size() > 1) out[static_cast<std::size_t>(chosen[0])] = 1.0f;
                if (chosen.size() > 3) out[3 + static_cast<std::size_t>(chosen[3])] = 1.0f;
                out[6] = static_cast<float>(chosen.size()) / (2.0f * steps);
              }};
}

// Mean reward of the crew of the last episodes of a training.
double last_reward(Learner& learner, std::int64_t total) {
  double reward = 0.0, episodes = 0.0;
  while (learner.steps() < total) {
    const CollectReport report = learner.collect();
    learner.improve();
    if (learner.steps() < total * 9 / 10) continue;
    for (const EpisodeResult& e : report.episodes) {
      if (e.role != 0) continue;
      reward += e.episode_return;
      episodes += 1.0;
    }
  }
  return reward / episodes;
}

double learned_climbing(Sight sight, std::uint64_t seed) {
  const Game game(game_of(climbing()));
  WorkerPool pool(2);
  const PolicyGradientSettings settings{.policy_layers = {16},
                                        .value_layers = {32},
                                        .share = false,
                                        .value_sees = sight,
                                        .lanes = 128,
                                        .horizon = 80,
                                        .minibatch = 2048,
                                        .learning_rate = 3e-3,
                                        .last_learning_rate = 3e-3,
                                        .entropy_weight = 0.05,
                                        .last_entropy_weight = 0.05};
  constexpr std::int64_t total = 1'000'000;
  Ppo learner(game, settings, seed, total, pool, nullptr, std::vector<RolePlayer>(2));
  return last_reward(learner, total);
}

double climbing_learned_by_values(Sight sight, std::uint64_t seed) {
  const Game game(game_of(climbing()));
  WorkerPool pool(2);
  ActorCriticSettings settings;
  settings.policy_layers = settings.value_layers = {32};
  settings.value_sees = sight;
  settings.discount = 0.998;
  settings.learning_rate = settings.last_learning_rate = 2e-3;
  settings.target_rate = 0.02;
  constexpr std::int64_t total = 45'000;
  const auto learner =
      sac_method().make({game, settings, seed, {.steps = total}, std::vector<RolePlayer>(2), pool});
  return last_reward(*learner, total);
}

TEST(TeamLearning, CentralCriticClimbsWhereIndependentLearnersStay) {
  for (const std::uint64_t seed : {1u, 2u, 3u}) {
    EXPECT_LT(learned_climbing(Sight::own, seed), 8.0) << seed;
    EXPECT_GT(learned_climbing(Sight::side, seed), 10.5) << seed;
  }
}

// The leader's critics value climbing by what the follower would do today, not by what it did.
TEST(TeamLearning, CentralCriticsOfValuesClimbWhereIndependentLearnersStay) {
  EXPECT_LT(climbing_learned_by_values(Sight::own, 1), 8.0);
  EXPECT_GT(climbing_learned_by_values(Sight::side, 1), 10.3);
}

// ---- what is shown

TEST(Team, ValueNetworksAreShownTheSideOrEveryone) {
  const Game barge(load_game(test::project_folder() / "demos/barge.toml"));
  const std::size_t own = barge.roles()[0].columns.size();
  WorkerPool pool(1);
  const auto seen = [&](Sight sight) {
    return Ppo(barge, {.value_sees = sight, .lanes = 8, .horizon = 4, .counterfactual = true}, 1,
               1000, pool)
        .signature(0);
  };
  const PolicySignature side = seen(Sight::side), all = seen(Sight::everyone);
  EXPECT_EQ(side.policy.columns, own);
  EXPECT_EQ(side.value.columns, own + 2 * (1 + own));
  EXPECT_EQ(side.credit.columns, side.value.columns + 2 * 2);  // two mates with two dials each
  EXPECT_EQ(all.value.columns, own + 5 * (1 + own));
  ASSERT_EQ(all.seen.size(), all.credit.columns);
  EXPECT_EQ(all.seen[own], "north_tug[1].here");
  EXPECT_EQ(all.seen[own + 1], "north_tug[1]." + barge.roles()[0].columns[0].name);
  EXPECT_EQ(all.seen[own + 3 * (1 + own)], "east_tug[1].here");
  EXPECT_EQ(all.seen.back(), "east_tug[2].rudder");
  // Of choices the credit network values every combination of options.
  const Game locks(load_game(test::project_folder() / "demos/locks.toml"));
  std::size_t combinations = 1, options = 0;
  for (const ControlInfo& control : locks.roles()[0].controls) {
    combinations *= control.options.size();
    options += control.options.size();
  }
  const PolicySignature boats =
      Ppo(locks, {.value_sees = Sight::side, .lanes = 8, .horizon = 4, .counterfactual = true}, 1,
          1000, pool)
          .signature(0);
  EXPECT_EQ(boats.credit.outputs, combinations);
  EXPECT_EQ(boats.credit.columns, boats.value.columns + 3 * options);
}

TEST(Team, RowsHoldWhatOthersSenseAndDecideAndWhoIsThere) {
  GameSpec spec = test::duck_pond();
  spec.arena.bodies[0].count = 3;
  spec.arena.vary = {{.key = "bodies.duck.count", .low = 2, .high = 3}};
  const Game game(spec);
  WorkerPool pool(1);
  TrainingContext context{game, 1, 1000, pool, nullptr, make_environment(game, 1)};
  context.groups = {{0, 1}};
  const TeamView view(context, {0}, Sight::side, {});
  // The third duck is there in some episodes only.
  const auto begin = [&](bool third) {
    std::uint32_t episode = 0;
    do context.environment->begin(0, {3, 0, episode++});
    while (context.environment->present(0, 2) != third);
  };
  begin(true);
  const std::size_t own = game.roles()[0].columns.size(), each = 1 + own,
                    action = action_numbers(game.roles()[0].controls);
  ASSERT_EQ(view.credit_columns(), own + 2 * each + 2 * action);
  for (std::size_t seat = 0; seat < 3; ++seat) {
    context.environment->control(0, seat)[0] =
        static_cast<float>(seat % 2);  // paddle: rest, go, rest
    context.environment->control(0, seat)[1] =
        static_cast<float>(seat);  // turn: left, straight, right
  }
  std::vector<float> row(view.credit_columns(), -7.0f);
  const auto is_shown = [&](std::size_t place, std::size_t seat) {
    const auto senses = context.environment->observation(0, seat);
    return std::equal(senses.begin(), senses.end(),
                      row.begin() + static_cast<std::ptrdiff_t>(own + place * each + 1));
  };
  const Normaliser plain(own);
  view.show(context, 0, 0, 1, plain, row);
  view.show_actions(context, 0, 0, 1, row);
  EXPECT_EQ(row[own], 1.0f);
  EXPECT_EQ(row[own + each], 1.0f);
  EXPECT_TRUE(is_shown(0, 0));
  EXPECT_TRUE(is_shown(1, 2));
  const auto decided = [&](std::size_t place) {
    const auto first = row.begin() + static_cast<std::ptrdiff_t>(own + 2 * each + place * action);
    return std::vector<float>(first, first + static_cast<std::ptrdiff_t>(action));
  };
  EXPECT_EQ(decided(0), (std::vector<float>{1, 0, 1, 0, 0}));
  EXPECT_EQ(decided(1), (std::vector<float>{1, 0, 0, 0, 1}));

  // The same, when it is taken down and shown later.
  std::vector<float> others(view.others_columns(), -7.0f);
  const auto is_same = [&] {
    view.take_down(context, 0, 0, 1, others);
    view.normalise(plain, others);
    return std::equal(others.begin(), others.end(), row.begin() + static_cast<std::ptrdiff_t>(own));
  };
  EXPECT_TRUE(is_same());
  ASSERT_EQ(view.mates().size(), 2u);
  EXPECT_EQ(others[view.mates()[1].here], 1.0f);
  EXPECT_EQ(others[view.mates()[1].first_action + 4], 1.0f);

  begin(false);
  view.show(context, 0, 0, 1, plain, row);
  view.show_actions(context, 0, 0, 1, row);
  EXPECT_EQ(row[own], 1.0f);
  for (std::size_t c = 0; c < each; ++c) EXPECT_EQ(row[own + each + c], 0.0f);
  EXPECT_EQ(decided(1), (std::vector<float>(5)));
  EXPECT_TRUE(is_same());
}

TEST(Team, SettingsThatCannotBeAreRefused) {
  WorkerPool pool(1);
  const auto refused = [&](const GameSpec& game, const PolicyGradientSettings& settings) {
    return std::string(test::error_of([&] { Ppo(Game(game), settings, 1, 1000, pool); }).what());
  };
  EXPECT_NE(refused(test::duck_pond(), {.value_sees = Sight::side}).find("no other seat"),
            std::string::npos);
  EXPECT_NE(refused(test::duck_pond(), {.counterfactual = true}).find("counterfactual"),
            std::string::npos);
  ActorCriticSettings central;
  central.value_sees = Sight::side;
  const auto refused_by_values = [&](const GameSpec& spec, const Demonstrations* shown) {
    const Game game(spec);
    return std::string(test::error_of([&] {
                         sac_method().make({game,
                                            central,
                                            1,
                                            {.steps = 1000},
                                            usual_players(game, 1),
                                            pool,
                                            nullptr,
                                            {},
                                            shown});
                       }).what());
  };
  EXPECT_NE(refused_by_values(test::duck_pond(), nullptr).find("no other seat"), std::string::npos);
  GameSpec pond = test::duck_pond();
  pond.arena.bodies[0].count = 2;
  Demonstrations shown;
  Demonstration& one = shown.list.emplace_back();
  const Game two(pond);
  const Role& duck = two.roles()[0];
  one.senses.resize(duck.columns.size());
  one.controls.resize(duck.controls.size());
  one.rewards.resize(1);
  one.present.resize(1);
  EXPECT_NE(refused_by_values(pond, &shown).find("demonstrations_share=0"), std::string::npos);
}

TEST(Team, PoliciesPlayAloneAndCannotTellValues) {
  GameSpec spec = test::duck_pond();
  spec.arena.bodies[0].count = 3;
  WorkerPool pool(1);
  PolicyGradientSettings settings{
      .value_sees = Sight::side, .memory = 8, .memory_span = 8, .lanes = 8, .horizon = 8};
  Ppo guessing(Game(spec), settings, 1, 1000, pool);
  update(guessing, 1);
  EXPECT_TRUE(guessing.policy(0).knows_values()) << "the policy network guesses them";
  settings.share = false;
  Ppo learner(Game(spec), settings, 1, 1000, pool);
  update(learner, 1);
  Policy policy = learner.policy(0);
  EXPECT_FALSE(policy.knows_values());
  EXPECT_GE(policy.memory(), 8u);
  std::vector<float> senses(policy.columns()), controls(policy.controls()), memory(policy.memory()),
      value(1);
  policy.decide(senses, controls, memory);
  EXPECT_EQ(test::error_of([&] { policy.values(senses, value, memory); }).kind(), ErrorKind::usage);
}

// ---- who did what

// Two steps. The first pays at once and decides which of four games the second is; everyone senses
// which it is.
constexpr double first_pays[2][2] = {{1.0, 0.0}, {0.0, 0.5}};
constexpr double second_pays[4][2][2] = {{{0.4, 0.6}, {0.6, 0.4}},
                                         {{0.1, 0.0}, {-0.1, -0.2}},
                                         {{-0.6, -0.4}, {-0.4, -0.6}},
                                         {{0.7, 0.7}, {0.7, 0.4}}};

CrewGame two_steps() {
  const auto option = [](double chosen) { return static_cast<std::size_t>(chosen); };
  return {.options = 2,
          .steps = 2,
          .columns = 5,
          .reward =
              [option](std::span<const double> chosen) {
                const std::size_t a = option(chosen[0]), b = option(chosen[1]);
                return chosen.size() == 2
                           ? first_pays[a][b]
                           : second_pays[2 * a + b][option(chosen[2])][option(chosen[3])];
              },
          .sensed =
              [option](std::size_t, std::span<const double> chosen, std::span<float> out) {
                out[chosen.empty() ? 4 : 2 * option(chosen[0]) + option(chosen[1])] = 1.0f;
              }};
}

// What follows from the members' probabilities of option 1, [moment][member]; moment 4 is the first
// step.
struct KnownCredit {
  double one[5][2] = {};

  double chance(std::size_t moment, std::size_t member, std::size_t option) const {
    return option == 1 ? one[moment][member] : 1.0 - one[moment][member];
  }
  double worth(std::size_t moment, std::size_t a, std::size_t b) const {
    return moment < 4 ? second_pays[moment][a][b] : first_pays[a][b] + mean(2 * a + b);
  }
  double mean(std::size_t moment) const {
    double sum = 0.0;
    for (std::size_t a = 0; a < 2; ++a)
      for (std::size_t b = 0; b < 2; ++b)
        sum += chance(moment, 0, a) * chance(moment, 1, b) * worth(moment, a, b);
    return sum;
  }
  double credit(std::size_t moment, std::size_t member, std::size_t a, std::size_t b) const {
    double otherwise = 0.0;
    for (std::size_t own = 0; own < 2; ++own)
      otherwise += chance(moment, member, own) *
                   (member == 0 ? worth(moment, own, b) : worth(moment, a, own));
    return worth(moment, a, b) - otherwise;
  }
};

TEST(TeamLearning, CreditsEachWithWhatItsOwnStepChanged) {
  WorkerPool pool(2);
  const PolicyGradientSettings settings{.policy_layers = {8},
                                        .value_layers = {64},
                                        .share = false,
                                        .value_sees = Sight::side,
                                        .crowd_width = 0,
                                        .lanes = 2048,
                                        .horizon = 8,
                                        .discount = 1.0,
                                        .trace_decay = 0.0,
                                        .counterfactual = true,
                                        .epochs = 1,
                                        .minibatch = 1024,
                                        .learning_rate = 1e-3,
                                        .last_learning_rate = 0.0,
                                        .learning_rate_decay = Decay::cosine,
                                        .normalise = false,
                                        .frozen = {"policy"}};
  constexpr std::int64_t total = 12'000'000;
  TrainingContext context{Game(game_of(two_steps())),
                          1,
                          total,
                          pool,
                          nullptr,
                          make_environment(Game(game_of(two_steps())), 2048, 2)};
  for (std::size_t first = 0; first < 2048; first += 32) context.groups.push_back({first, 32});
  context.own_count = context.groups.size();
  std::vector<std::unique_ptr<PolicyLearner>> crew;
  for (std::size_t role = 0; role < 2; ++role)
    crew.push_back(
        std::make_unique<PolicyLearner>(context, std::vector<std::size_t>{role}, settings));
  context.environment->begin_all(pool, 7);
  const auto play = [&](std::size_t group, std::size_t worker) {
    for (auto& member : crew) member->begin_rollout(group);
    for (std::size_t t = 0; t < 8; ++t) {
      for (auto& member : crew) member->decide(group, t, worker);
      for (auto& member : crew) member->judge_together(group, t, worker);
      const std::size_t first = context.groups[group].first_lane;
      for (std::size_t lane = first; lane < first + 32; ++lane) {
        context.environment->step(lane, worker);
        for (auto& member : crew) member->note(group, lane, t, worker);
        EpisodeKey next = context.environment->key(lane);
        ++next.episode;
        if (context.environment->outcome(lane) != Outcome::running)
          context.environment->begin(lane, next, worker);
      }
    }
    for (auto& member : crew) member->end_rollout(group, worker);
  };
  PolicyGradientReport last;
  while (true) {
    pool.run(context.groups.size(), play);
    context.steps += context.rollout_steps = 2 * 2048 * 8;
    if (context.steps >= total) break;
    for (auto& member : crew) {
      member->improve();
      last = member->report();
    }
    ++context.updates;
  }

  // The explained variance is that of the values, not of the baseline that replaces them.
  const Rollout& rollout = crew[1]->rollout();
  double n = 0.0, sum = 0.0, square = 0.0, off = 0.0, off_square = 0.0;
  for (std::size_t s = 0; s < rollout.samples(); ++s) {
    const double t = static_cast<double>(rollout.target[s]),
                 o = t - static_cast<double>(rollout.value[s]);
    n += 1.0, sum += t, square += t * t, off += o, off_square += o * o;
  }
  const double explained =
      1.0 - (off_square / n - off / n * (off / n)) / (square / n - sum / n * (sum / n));
  EXPECT_NEAR(last.explained_variance, explained, 0.02);

  KnownCredit known;
  for (std::size_t member = 0; member < 2; ++member) {
    TensorFile file;
    crew[member]->store(file);
    Policy policy = Policy::from(file);
    for (std::size_t moment = 0; moment < 5; ++moment) {
      std::vector<float> senses(5), probabilities(2);
      senses[moment] = 1.0f;
      policy.probabilities(senses, probabilities);
      known.one[moment][member] = static_cast<double>(probabilities[1]);
    }
  }
  double most_off = 0.0, largest = 0.0;
  const Rollout &a = crew[0]->rollout(), &b = crew[1]->rollout();
  for (std::size_t s = 0; s < a.samples(); ++s) {
    const auto moment =
        static_cast<std::size_t>(std::find(a.inputs.begin() + s * a.input_stride,
                                           a.inputs.begin() + s * a.input_stride + 5, 1.0f) -
                                 (a.inputs.begin() + s * a.input_stride));
    const auto first = static_cast<std::size_t>(a.actions[s]),
               second = static_cast<std::size_t>(b.actions[s]);
    for (std::size_t member = 0; member < 2; ++member) {
      const double right = known.credit(moment, member, first, second),
                   found = static_cast<double>((member == 0 ? a : b).advantage[s]);
      most_off = std::max(most_off, std::fabs(found - right));
      largest = std::max(largest, std::fabs(right));
    }
  }
  EXPECT_LT(most_off, 1e-3);
  EXPECT_GT(largest, 0.5);
}

}  // namespace
}  // namespace zithercraft
