// How fast networks alone are: answers, and training steps over minibatches of 4096 samples, on one
// thread. S: 48 inputs, hidden layers of 64 and 64, 8 outputs. M: 64 inputs, hidden layers of 256
// and 256, 8 outputs.

#include <benchmark/benchmark.h>

#include <array>

#include "zithercraft/base/random.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/network.hpp"

namespace zc = zithercraft;

namespace {

constexpr std::size_t tile = 128, minibatch = 4096;

const std::array<zc::NetworkPlan, 2> sizes{
    zc::NetworkPlan{.columns = 48, .hidden = {64, 64}, .outputs = 8},
    zc::NetworkPlan{.columns = 64, .hidden = {256, 256}, .outputs = 8}};

struct Trained {
  explicit Trained(const benchmark::State& state) {
    zc::NetworkPlan plan = sizes[static_cast<std::size_t>(state.range(0))];
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
    for (std::size_t first = 0; first < minibatch; first += tile)
      benchmark::DoNotOptimize(trained.forward(first)[0]);
  count_samples(state, minibatch);
}

void TrainingStep(benchmark::State& state) {
  Trained trained(state);
  for (auto _ : state) trained.step();
  count_samples(state, minibatch);
}

void each_kind(benchmark::internal::Benchmark* bench) {
  bench->ArgNames({"size", "activation"});
  for (const int size : {0, 1})
    for (const int activation : {0, 1, 2}) bench->Args({size, activation});
}
BENCHMARK(Forward)->Apply(each_kind);
BENCHMARK(TrainingStep)->Apply(each_kind);

}  // namespace

BENCHMARK_MAIN();
