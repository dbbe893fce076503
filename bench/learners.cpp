// How fast methods that learn from values are, on one thread: updates of a table, and samples that
// deep Q-learning and soft actor-critics learn from with networks of two layers of 64. Beside these
// stands how fast a network of the same size is trained alone.

#include <benchmark/benchmark.h>

#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/game.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/dqn.hpp"
#include "zithercraft/learn/q_table.hpp"
#include "zithercraft/learn/sac.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/network.hpp"

namespace zc = zithercraft;

namespace {

constexpr std::size_t columns = 48, options = 8;

// The senses are other numbers at each step, whatever an agent does.
zc::GameSpec noise(bool dials, bool few) {
  zc::GameSpec game;
  game.name = "noise";
  game.ticks_per_step = 1;
  game.arena.tick = 0.1;
  game.arena.bodies.push_back({.name = "thing", .motion = zc::Motion::fixed});
  game.roles.push_back({.name = "thing"});
  game.cutoffs.steps = 100;
  const std::size_t sensed = few ? 2 : columns;
  game.rules.push_back({.name = "noise",
                        .numbers = static_cast<std::int64_t>(sensed),
                        .tick = [](const zc::RuleView& lane) {
                          double n = lane.numbers()[0] + 0.1234;
                          for (double& out : lane.numbers())
                            out = n =
                                3.9 * (n - static_cast<int>(n)) * (1 - (n - static_cast<int>(n)));
                        }});
  zc::CustomSense sense{.name = "noise",
                        .code = [](const zc::SeatView& seat, std::span<float> out) {
                          for (std::size_t i = 0; i < out.size(); ++i)
                            out[i] = static_cast<float>(seat.numbers("noise")[i]);
                        }};
  for (std::size_t i = 0; i < sensed; ++i)
    sense.columns.push_back({.name = "n" + std::to_string(i)});
  game.roles[0].senses.push_back(std::move(sense));
  if (dials) {
    game.roles[0].controls = {zc::Dial{.name = "first"}, zc::Dial{.name = "second"}};
  } else {
    zc::Choice choice{.name = "choice"};
    for (std::size_t i = 0; i < options; ++i)
      choice.options.push_back({.name = "o" + std::to_string(i)});
    game.roles[0].controls.push_back(choice);
  }
  game.roles[0].rewards.push_back({.name = "paid", .each_step = [](const zc::SeatView& seat) {
                                     return seat.numbers("noise")[0];
                                   }});
  return game;
}

// The time of improvements alone; `per_step`: samples that are learned from for each step played.
void improve(benchmark::State& state, const zc::LearningMethod& method,
             const zc::LearnerSettings& settings, const zc::GameSpec& spec, double per_step) {
  const zc::Game game(spec);
  zc::WorkerPool pool(1);
  const auto learner =
      method.make({game, settings, 1, {.steps = 1'000'000'000}, zc::usual_players(game, 1), pool});
  const auto round = [&] {
    const std::int64_t steps = learner->collect().steps;
    learner->improve();
    return steps;
  };
  round();
  double samples = 0.0;
  for (auto _ : state) {
    state.PauseTiming();
    const std::int64_t steps = learner->collect().steps;
    state.ResumeTiming();
    learner->improve();
    samples += static_cast<double>(steps) * per_step;
  }
  state.counters["samples/s"] = benchmark::Counter(samples, benchmark::Counter::kIsRate);
}

template <class Settings>
Settings small_networks() {
  Settings s;
  s.value_layers = {64, 64};
  s.lanes = 16;
  s.horizon = 16;
  s.warm_up = 0;
  s.minibatch = 256;
  s.updates_per_step = 0.25;
  s.experience = 20'000;
  return s;
}

void QTable(benchmark::State& state) {
  zc::QTableSettings s;
  s.bins = 100;
  s.lanes = 16;
  s.horizon = 1024;
  improve(state, zc::q_table_method(), s, noise(false, true), 1.0);
}
BENCHMARK(QTable)->Unit(benchmark::kMillisecond);

void Dqn(benchmark::State& state) {
  improve(state, zc::dqn_method(), small_networks<zc::DqnSettings>(), noise(false, false),
          0.25 * 256);
}
BENCHMARK(Dqn)->Unit(benchmark::kMillisecond);

void Sac(benchmark::State& state) {
  auto s = small_networks<zc::ActorCriticSettings>();
  s.policy_layers = {64, 64};
  improve(state, zc::sac_method(), s, noise(true, false), 0.25 * 256);
}
BENCHMARK(Sac)->Unit(benchmark::kMillisecond);

// Forward, backward and a step of the optimiser, by minibatches of 256.
void NetworkAlone(benchmark::State& state) {
  constexpr std::size_t rows = 256, tile = 64;
  const zc::Network<float> net({.columns = columns,
                                .hidden = {64, 64},
                                .activation = zc::Activation::relu,
                                .outputs = options});
  zc::AlignedBuffer<float> parameters(net.parameters()), prepared(net.prepared()),
      gradient(net.parameters()), inputs(rows * net.input_stride()),
      by_output(tile * net.output_stride());
  zc::RandomStream random(1, 0, 0, zc::Purpose::initialise);
  net.initialise(parameters.span(), random, 0.01);
  for (float& number : inputs) number = random.normal();
  for (float& number : by_output) number = 1e-4f;
  auto room = net.workspace(tile);
  zc::Adam adam(net.parameters());
  for (auto _ : state) {
    net.prepare(parameters.span(), prepared.span());
    std::fill(gradient.begin(), gradient.end(), 0.0f);
    for (std::size_t first = 0; first < rows; first += tile) {
      const auto in = inputs.span().subspan(first * net.input_stride());
      net.forward(parameters.span(), prepared.span(), in, {1, tile, {}, {}}, room);
      net.backward(parameters.span(), prepared.span(), in, {1, tile, {}, {}}, by_output.span(),
                   room, gradient.span());
    }
    adam.step(parameters.span(), gradient.span(), 1e-4);
  }
  state.counters["samples/s"] = benchmark::Counter(static_cast<double>(state.iterations()) * rows,
                                                   benchmark::Counter::kIsRate);
}
BENCHMARK(NetworkAlone)->Unit(benchmark::kMicrosecond);

}  // namespace

BENCHMARK_MAIN();
