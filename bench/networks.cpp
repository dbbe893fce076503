// How fast networks alone are: answers, and training steps over minibatches of 4096 samples, on one
// thread. 0: 48 inputs, hidden layers of 64 and 64, 8 outputs. 1: 64 inputs, hidden layers of 256
// and 256, 8 outputs. 2: pictures of 84 x 84 with 4 channels, 16 filters of 8 x 8 at every fourth
// pixel, 32 of 4 x 4 at every second place, a hidden layer of 128, 8 outputs; minibatches of 256.

#include <benchmark/benchmark.h>

#include <array>

#include "zithercraft/base/random.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/network.hpp"

namespace zc = zithercraft;

namespace {

struct Size {
  zc::NetworkPlan plan;
  std::size_t minibatch = 4096, tile = 128;
};

zc::NetworkPlan pictures() {
  constexpr std::size_t side = 84, steps = 4;
  zc::NetworkPlan plan{.columns = side * side * steps, .hidden = {128}, .outputs = 8};
  std::vector<std::uint32_t> columns;
  for (std::size_t pixel = 0; pixel < side * side; ++pixel)
    for (std::size_t step = 0; step < steps; ++step)
      columns.push_back(static_cast<std::uint32_t>(step * side * side + pixel));
  plan.pictures.push_back({"view", side, side, steps, columns, {{16, 8, 4}, {32, 4, 2}}});
  return plan;
}

const std::array<Size, 3> sizes{
    Size{zc::NetworkPlan{.columns = 48, .hidden = {64, 64}, .outputs = 8}},
    Size{zc::NetworkPlan{.columns = 64, .hidden = {256, 256}, .outputs = 8}},
    Size{pictures(), 256, 32}};

struct Trained {
  explicit Trained(const benchmark::State& state)
      : size(sizes[static_cast<std::size_t>(state.range(0))]),
        minibatch(size.minibatch),
        tile(size.tile) {
    zc::NetworkPlan plan = size.plan;
    plan.activation = static_cast<zc::Activation>(state.range(1));
    net = zc::Network<float>(plan);
    parameters = zc::AlignedBuffer<float>(net.parameters());
    prepared = zc::AlignedBuffer<float>(net.prepared());
    gradient = zc::AlignedBuffer<float>(net.parameters());
    inputs = random_rows(minibatch, plan.columns, net.input_stride(), 1.0f);
    by_output = random_rows(tile, plan.outputs, net.output_stride(), 1e-4f);
    room = net.workspace(tile);
    adam = zc::Adam(net.parameters());
    zc::RandomStream random(1, 0, 0, zc::Purpose::initialise);
    net.initialise(parameters.span(), random, 0.01);
    net.prepare(parameters.span(), prepared.span());
  }

  static zc::AlignedBuffer<float> random_rows(std::size_t rows, std::size_t width,
                                              std::size_t stride, float size) {
    zc::AlignedBuffer<float> buffer(rows * stride);
    zc::RandomStream random(2, 0, 0, zc::Purpose::user);
    for (std::size_t r = 0; r < rows; ++r)
      for (std::size_t i = 0; i < width; ++i) buffer[r * stride + i] = size * random.normal();
    return buffer;
  }

  std::span<float> forward(std::size_t first) {
    return net.forward(parameters.span(), prepared.span(),
                       inputs.span().subspan(first * net.input_stride()), {1, tile}, room);
  }
  void step() {
    std::fill(gradient.begin(), gradient.end(), 0.0f);
    for (std::size_t first = 0; first < minibatch; first += tile) {
      benchmark::DoNotOptimize(forward(first)[0]);
      net.backward(parameters.span(), prepared.span(),
                   inputs.span().subspan(first * net.input_stride()), {1, tile}, by_output.span(),
                   room, gradient.span());
    }
    adam.step(parameters.span(), gradient.span(), 1e-4);
    net.prepare(parameters.span(), prepared.span());
  }

  const Size& size;
  std::size_t minibatch, tile;
  zc::Network<float> net;
  zc::AlignedBuffer<float> parameters, prepared, gradient, inputs, by_output;
  zc::Network<float>::Workspace room;
  zc::Adam adam;
};

void count_samples(benchmark::State& state, std::size_t each) {
  state.counters["samples"] =
      benchmark::Counter(static_cast<double>(state.iterations()) * static_cast<double>(each),
                         benchmark::Counter::kIsRate);
}

void Forward(benchmark::State& state) {
  Trained trained(state);
  for (auto _ : state)
    for (std::size_t first = 0; first < trained.minibatch; first += trained.tile)
      benchmark::DoNotOptimize(trained.forward(first)[0]);
  count_samples(state, trained.minibatch);
}

void TrainingStep(benchmark::State& state) {
  Trained trained(state);
  for (auto _ : state) trained.step();
  count_samples(state, trained.minibatch);
}

void each_kind(benchmark::internal::Benchmark* bench) {
  bench->ArgNames({"size", "activation"});
  for (const int size : {0, 1})
    for (const int activation : {0, 1, 2}) bench->Args({size, activation});
  bench->Args({2, 1});
}
BENCHMARK(Forward)->Apply(each_kind);
BENCHMARK(TrainingStep)->Apply(each_kind);

}  // namespace

BENCHMARK_MAIN();
