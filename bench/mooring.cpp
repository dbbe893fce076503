// How fast mooring is played and trained. Run: build/release/bench/bench_mooring
// "items_per_second" are steps of lanes per second (rays for the cast).

#include <benchmark/benchmark.h>

#include <cmath>
#include <thread>
#include <vector>

#include "zithercraft/zithercraft.hpp"

namespace zc = zithercraft;

namespace {

constexpr std::size_t lane_count = 256;

zc::Game mooring() { return zc::Game(zc::load_game(ZITHERCRAFT_DEMOS "/mooring.toml")); }

// One step of all lanes per iteration, by groups so that a group's work stays in one core's cache.
void play(benchmark::State& state, const zc::Player& player) {
  constexpr std::size_t group = 32;
  zc::WorkerPool pool(static_cast<std::size_t>(state.range(0)));
  zc::Lanes lanes(mooring(), lane_count, pool.threads());
  lanes.begin_all(pool, 1);
  std::vector<std::unique_ptr<zc::Player>> copies;
  for (std::size_t i = 0; i < pool.threads(); ++i) copies.push_back(player.copy());
  constexpr int steps = 16;
  for (auto _ : state)
    pool.run(lane_count / group, [&](std::size_t item, std::size_t worker) {
      for (int d = 0; d < steps; ++d) {
        copies[worker]->decide(lanes, 0, item * group, group);
        for (std::size_t lane = item * group; lane < (item + 1) * group; ++lane) {
          lanes.step(lane, worker);
          if (lanes.outcome(lane) == zc::Outcome::running) continue;
          zc::EpisodeKey next = lanes.key(lane);
          ++next.episode;
          lanes.begin(lane, next, worker);
        }
      }
    });
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(lane_count) * steps);
}

void random_controls(benchmark::State& state) { play(state, *zc::random_player(1)); }

void policy_decides(benchmark::State& state) {
  const zc::Game game = mooring();
  zc::WorkerPool pool(1);
  const zc::Ppo learner(game, {.lanes = 1, .horizon = 1}, 1, 1, pool);
  play(state, *zc::policy_player(game, 0, learner.policy()));
}

// Default settings: rollouts, three epochs of minibatches, optimiser, normaliser.
void training(benchmark::State& state) {
  zc::WorkerPool pool(static_cast<std::size_t>(state.range(0)));
  zc::Ppo learner(mooring(), {}, 1, 8'000'000, pool);
  std::int64_t steps = 0;
  for (auto _ : state) {
    steps += learner.collect().steps;
    learner.improve();
  }
  state.SetItemsProcessed(steps);
}

// With 24 rays (102 columns) and with 11 (50).
void one_step_of_a_policy(benchmark::State& state) {
  zc::GameSpec spec = mooring().spec();
  std::get<zc::RayFan>(spec.roles[0].senses[0]).rays = state.range(0);
  zc::WorkerPool pool(1);
  const zc::Ppo learner(zc::Game(spec), {.lanes = 1, .horizon = 1}, 1, 1, pool);
  zc::Policy policy = learner.policy();
  const std::vector<float> senses(policy.columns(), 0.5f);
  std::vector<float> controls(policy.controls());
  for (auto _ : state) {
    policy.decide(senses, controls);
    benchmark::DoNotOptimize(controls.data());
  }
  state.SetItemsProcessed(state.iterations());
}

void fan_of_24_rays(benchmark::State& state) {
  const zc::Game game = mooring();
  zc::Lanes lanes(game, 1);
  lanes.begin(0, {});
  std::vector<float> x(24), y(24), distance(24);
  std::vector<zc::EntityId> entity(24);
  for (std::size_t i = 0; i < 24; ++i) {
    x[i] = std::cos(static_cast<float>(i) * 0.18f);
    y[i] = std::sin(static_cast<float>(i) * 0.18f);
  }
  const zc::RayFanQuery rays{.direction_x = x, .direction_y = y, .reach = 15};
  for (auto _ : state) {
    lanes.view(0).cast(rays, distance, entity);
    benchmark::DoNotOptimize(distance.data());
  }
  state.SetItemsProcessed(state.iterations() * 24);
}

BENCHMARK(random_controls)->ArgName("threads")->Arg(1)->Arg(2)->UseRealTime();
BENCHMARK(policy_decides)->ArgName("threads")->Arg(1)->Arg(2)->UseRealTime();
BENCHMARK(training)
    ->ArgName("threads")
    ->Arg(1)
    ->Arg(2)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond)
    ->MinTime(3);
BENCHMARK(one_step_of_a_policy)->ArgName("rays")->Arg(24)->Arg(11);
BENCHMARK(fan_of_24_rays);

}  // namespace

BENCHMARK_MAIN();
