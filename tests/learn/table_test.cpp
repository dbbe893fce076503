// Learning in a table, against exact answers.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "learning.hpp"
#include "support.hpp"
#include "textbook_problems.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/q_table.hpp"
#include "zithercraft/net/state_table.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {
using namespace test;

// Cells, each with three ways out; a way leads to one cell or, less often, to another.
struct CellWorld {
  static constexpr std::size_t cells = 24, ways = 3;
  static constexpr double usual = 0.8, discount = 0.9;
  std::size_t to[cells][ways][2];
  double reward[cells][ways];

  explicit CellWorld(std::uint64_t seed) {
    RandomStream random(seed, 0, 0, Purpose::user);
    for (std::size_t s = 0; s < cells; ++s)
      for (std::size_t a = 0; a < ways; ++a) {
        for (std::size_t& next : to[s][a]) next = random.below(cells);
        reward[s][a] = random.between(0, 1);
      }
  }

  // Value iteration; `held` keeps to one way for each cell, if it is given.
  std::vector<double> values(const std::vector<std::size_t>* held = nullptr) const {
    std::vector<double> v(cells);
    for (int sweep = 0; sweep < 500; ++sweep) {
      std::vector<double> next(cells, -1e9);
      for (std::size_t s = 0; s < cells; ++s)
        for (std::size_t a = 0; a < ways; ++a)
          if (held == nullptr || (*held)[s] == a)
            next[s] = std::max(next[s], reward[s][a] + discount * (usual * v[to[s][a][0]] +
                                                                   (1 - usual) * v[to[s][a][1]]));
      v = next;
    }
    return v;
  }

  GameSpec game() const {
    GameSpec spec = empty_game("cells", 0.1, 40);
    const CellWorld world = *this;
    spec.rules.push_back({.name = "cells",
                          .numbers = 3,  // cell, what was paid, steps
                          .begin =
                              [](const RuleView& lane) {
                                lane.numbers()[0] = lane.random().below(cells);
                                lane.numbers()[2] = 0;
                              },
                          .tick =
                              [world](const RuleView& lane) {
                                auto n = lane.numbers();
                                RandomStream random = lane.random();
                                random.jump(1, static_cast<std::uint32_t>(n[2]));
                                n[2] += 1;
                                const auto s = static_cast<std::size_t>(n[0]);
                                const auto a = static_cast<std::size_t>(lane.control(0));
                                n[1] = world.reward[s][a];
                                const bool other = static_cast<double>(random.uniform()) >= usual;
                                n[0] = static_cast<double>(world.to[s][a][other ? 1 : 0]);
                              }});
    spec.roles[0].senses.push_back(
        CustomSense{.name = "cell",
                    .columns = {{.name = "number"}},
                    .code = [](const SeatView& seat, std::span<float> out) {
                      out[0] = static_cast<float>((seat.numbers("cells")[0] + 0.5) / cells);
                    }});
    spec.roles[0].controls.push_back(
        Choice{.name = "way", .options = {{.name = "a"}, {.name = "b"}, {.name = "c"}}});
    spec.roles[0].rewards.push_back({.name = "paid", .each_step = [](const SeatView& seat) {
                                       return seat.numbers("cells")[1];
                                     }});
    return spec;
  }
};

QTableSettings table_settings() {
  QTableSettings s;
  s.bins = CellWorld::cells;
  s.discount = CellWorld::discount;
  s.epsilon = s.last_epsilon = 0.5;
  s.last_learning_rate = 0.0;
  return s;
}

std::unique_ptr<Learner> table_learner(const Game& game, const QTableSettings& settings,
                                       std::int64_t steps, WorkerPool& pool,
                                       std::uint64_t seed = 1) {
  const LearnerSettings all = settings;
  return q_table_method().make(
      {game, all, seed, {.steps = steps}, usual_players(game, seed), pool});
}

Policy learned(const Game& game, const QTableSettings& settings, std::int64_t steps,
               std::size_t threads = 2) {
  WorkerPool pool(threads);
  const auto learner = table_learner(game, settings, steps, pool);
  while (learner->steps() < steps) {
    learner->collect();
    learner->improve();
  }
  return learner->policy();
}

// The greatest difference from values that are known, as a share of the greatest of these.
double off(Policy& policy, const std::vector<double>& known) {
  double most = 0.0;
  for (std::size_t s = 0; s < known.size(); ++s) {
    const float sensed = (static_cast<float>(s) + 0.5f) / static_cast<float>(known.size());
    float value = 0.0f;
    policy.values({&sensed, 1}, {&value, 1});
    most = std::max(most, std::fabs(static_cast<double>(value) - known[s]));
  }
  return most / *std::max_element(known.begin(), known.end());
}

TEST(QTable, FindsTheValuesOfValueIteration) {
  for (const std::uint64_t seed : {1u, 2u, 3u}) {
    const CellWorld world(seed);
    Policy policy = learned(Game(world.game()), table_settings(), 1'000'000);
    EXPECT_EQ(policy.table()->size(), CellWorld::cells);
    EXPECT_LT(off(policy, world.values()), 0.01) << seed;
  }
}

TEST(QTable, TwoTablesAndTracesFindThemToo) {
  const CellWorld world(4);
  QTableSettings twice = table_settings();
  twice.double_q = true;
  Policy two = learned(Game(world.game()), twice, 1'500'000);
  EXPECT_LT(off(two, world.values()), 0.015);
  QTableSettings traced = table_settings();
  traced.trace_decay = 0.7;
  traced.learning_rate = 0.1;
  Policy trace = learned(Game(world.game()), traced, 1'500'000);
  EXPECT_LT(off(trace, world.values()), 0.015);
}

// Who takes any way half of the time is worth less by SARSA than by Q-learning: what follows is
// what will be done. With no exploration left both are worth the same.
TEST(QTable, SarsaValuesWhatWillBeDone) {
  const CellWorld world(5);
  QTableSettings s = table_settings();
  s.on_policy = true;
  Policy careful = learned(Game(world.game()), s, 1'000'000);
  // The mean over ways when the best one is taken half of the time, beside one of all.
  std::vector<double> v(CellWorld::cells), best(CellWorld::cells);
  for (int sweep = 0; sweep < 500; ++sweep) {
    std::vector<double> next(CellWorld::cells);
    for (std::size_t state = 0; state < CellWorld::cells; ++state) {
      double mean = 0.0, most = -1e9;
      for (std::size_t a = 0; a < CellWorld::ways; ++a) {
        const double q = world.reward[state][a] +
                         CellWorld::discount * (CellWorld::usual * v[world.to[state][a][0]] +
                                                0.2 * v[world.to[state][a][1]]);
        mean += q / CellWorld::ways;
        most = std::max(most, q);
      }
      next[state] = 0.5 * mean + 0.5 * most;
      best[state] = most;
    }
    v = next;
  }
  EXPECT_LT(off(careful, best), 0.02);
}

TEST(QTable, SameTableOnAnyNumberOfThreadsAndAfterAPause) {
  const Game game(CellWorld(6).game());
  const auto bytes = [&](std::size_t threads, int pause_at) {
    WorkerPool pool(threads);
    QTableSettings s = table_settings();
    s.trace_decay = 0.5;
    s.double_q = true;
    auto learner = table_learner(game, s, 20'000, pool);
    for (int update = 0; learner->steps() < 20'000; ++update) {
      if (update == pause_at) {
        TensorFile file;
        learner->store(file);
        learner = table_learner(game, s, 20'000, pool, 99);
        learner->restore(file);
      }
      learner->collect();
      learner->improve();
    }
    return bytes_of(*learner);
  };
  const auto once = bytes(1, -1);
  EXPECT_EQ(bytes(2, -1), once);
  EXPECT_EQ(bytes(3, 7), once);
  EXPECT_EQ(bytes(1, 20), once);
}

TEST(QTable, TellsItsSizeAndRefusesWhatIsTooLarge) {
  const Game game(load_game(project_folder() / "demos/locks.toml"));
  WorkerPool pool(1);
  try {
    table_learner(game, QTableSettings{}, 1000, pool);
    FAIL() << "a table of more states than can be met";
  } catch (const Error& e) {
    const std::string text = e.what();
    EXPECT_NE(text.find("window"), std::string::npos) << text;
    EXPECT_NE(text.find("states"), std::string::npos) << text;
  }
  QTableSettings few;
  few.column_bins = {"window=1", "compass=3"};
  const LearnerSettings all = few;
  const auto lines =
      q_table_method().forecast({game, all, 1, {.steps = 1000}, usual_players(game, 1), pool});
  ASSERT_EQ(lines.size(), 1u);
  EXPECT_NE(lines[0].find("27 states of 5 numbers"), std::string::npos) << lines[0];
  few.column_bins = {"windw=1"};
  EXPECT_THROW(table_learner(game, few, 1000, pool), Error);
  few.column_bins = {"window=many"};
  EXPECT_THROW(table_learner(game, few, 1000, pool), Error);
  EXPECT_THROW(table_learner(Game(swing_up()), QTableSettings{}, 1000, pool), Error);
}

// Two and four boats fit into a table; a fifth is refused with the reason.
TEST(QTable, BoatsMultiplyTheStates) {
  WorkerPool pool(1);
  const auto forecast = [&](std::int64_t boats) {
    GameSpec spec = load_game(project_folder() / "examples/locks_by_table.toml");
    spec.arena.bodies[0].count = boats;
    std::get<Crowd>(spec.roles[0].senses.back()).nearest = boats - 1;
    const Game game(spec);
    QTableSettings s;
    s.column_bins = {"window=1",          "window[1,0].bank=2", "own=1",    "own.faces_east=2",
                     "own.faces_north=2", "home.distance=2",    "others=1", "others.here=2",
                     "others.ahead=5",    "others.left=5"};
    const LearnerSettings all = s;
    table_learner(game, s, 1000, pool);
    return q_table_method().forecast({game, all, 1, {.steps = 1000}, usual_players(game, 1), pool});
  };
  EXPECT_NE(forecast(2)[0].find("12800 states"), std::string::npos) << forecast(2)[0];
  EXPECT_NE(forecast(4)[0].find("3.2e+07 states"), std::string::npos) << forecast(4)[0];
  const Error error = error_of([&] { forecast(5); });
  EXPECT_EQ(error.kind(), ErrorKind::refused);
  EXPECT_NE(std::string(error.what()).find("'others'"), std::string::npos) << error.what();
}

TEST(QTable, BinsByQuantilesAreMetEquallyOften) {
  QTableSettings s;
  s.binning = Binning::quantiles;
  s.bins = 4;
  Policy policy = learned(Game(pole_on_a_cart()), s, 30'000);
  const auto& bins = policy.table()->bins();
  ASSERT_EQ(bins.edges.size(), 4u);
  for (const auto& edges : bins.edges) {
    ASSERT_EQ(edges.size(), 3u);
    // Of a pole that falls by chance, as often to one side as to the other.
    EXPECT_LT(edges[0], 0.0f);
    EXPECT_GT(edges[2], 0.0f);
  }
}

TEST(QTable, DamagedTablesAreRefused) {
  const Game game(CellWorld(7).game());
  WorkerPool pool(1);
  const auto learner = table_learner(game, table_settings(), 5000, pool);
  while (learner->steps() < 5000) {
    learner->collect();
    learner->improve();
  }
  TensorFile file;
  learner->store(file);
  EXPECT_NO_THROW(Policy::from(file));
  const auto broken = [&](const char* name, std::size_t at, std::int64_t number) {
    TensorFile copy = file;
    auto numbers = copy.integers(name);
    numbers.at(at) = number;
    copy.put(name, std::span<const std::int64_t>(numbers));
    return copy;
  };
  EXPECT_THROW(Policy::from(broken("table.edge_counts", 0, 1'000'000)), Error);
  EXPECT_THROW(Policy::from(broken("table.edge_counts", 0, -1)), Error);
  EXPECT_THROW(Policy::from(broken("table.keys", 0, 31)), Error);  // 24 bins alone
  EXPECT_THROW(Policy::from(broken("table.keys", 0, file.integers("table.keys")[1])), Error);
  const auto back = table_learner(game, table_settings(), 5000, pool);
  EXPECT_THROW(back->restore(broken("table.waiting", 2, 1'000'000)), Error);
}

}  // namespace
}  // namespace zithercraft
