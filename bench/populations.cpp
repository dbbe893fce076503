// How fast the networks of a population are asked, one input each, on one thread: 256 different
// networks of 24 inputs, 16 hidden nodes and 4 outputs, and 256 grown ones of 40 links.

#include <benchmark/benchmark.h>

#include <numeric>

#include "zithercraft/base/aligned.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/evolve/network_batch.hpp"
#include "zithercraft/evolve/noise.hpp"
#include "zithercraft/evolve/topology.hpp"

namespace zc = zithercraft;

namespace {

constexpr std::size_t networks = 256, inputs = 24, outputs = 4;

zc::AlignedBuffer<float> random_inputs(std::size_t stride) {
  zc::AlignedBuffer<float> list(networks * stride);
  zc::RandomStream random(1, 0, 0, zc::Purpose::user);
  for (float& x : list) x = random.normal();
  return list;
}

void ask_all(benchmark::State& state, zc::NetworkBatch& batch) {
  const auto in = random_inputs(batch.input_stride());
  std::vector<float> kept(networks * batch.memory());
  std::vector<std::uint32_t> places(networks);
  std::iota(places.begin(), places.end(), 0u);
  for (auto _ : state) benchmark::DoNotOptimize(batch.decide(places, in.span(), kept, 0)[0]);
  state.counters["evaluations"] = benchmark::Counter(
      static_cast<double>(state.iterations()) * networks, benchmark::Counter::kIsRate);
}

void fixed(benchmark::State& state) {
  zc::WorkerPool pool(1);
  const auto batch = zc::vector_batch({.columns = inputs, .hidden = {16}, .outputs = outputs},
                                      networks, networks, 1);
  const zc::Noise noise(batch->dimension());
  batch->load(
      networks,
      [&](std::size_t i, std::span<float> out) {
        const auto from = noise.slice(zc::mixed(1, i, 0), out.size());
        std::copy(from.begin(), from.end(), out.begin());
      },
      pool);
  ask_all(state, *batch);
}
BENCHMARK(fixed)->Name("Fixed24x16x4");

// Genomes that have grown from a few links under no selection.
void grown(benchmark::State& state) {
  zc::NetworkGraph start{.inputs = inputs, .outputs = outputs};
  for (std::uint32_t i = 0; i < 16; ++i)
    start.links.push_back(
        {i, static_cast<std::uint32_t>(start.first_output()) + i % 4, 0.0f, false});
  zc::TopologySearch search(start,
                            {.population = networks,
                             .crossover = 0.0,
                             .new_node = 0.3,
                             .new_link = 0.6,
                             .switch_link = 0},
                            1);
  std::vector<double> fitness(networks);
  const auto links = [&](std::size_t i) { return search.graph(i).links.size(); };
  for (double mean = 0.0; mean < 40.0;) {
    for (std::size_t i = 0; i < networks; ++i) fitness[i] = static_cast<double>(links(i));
    search.improve(fitness);
    mean = 0.0;
    for (std::size_t i = 0; i < networks; ++i) mean += static_cast<double>(links(i)) / networks;
  }
  std::vector<zc::NetworkGraph> graphs;
  for (std::size_t i = 0; i < networks; ++i) graphs.push_back(search.graph(i));
  zc::GraphBatch batch(inputs, outputs, networks, networks, 1);
  batch.load(graphs);
  ask_all(state, batch);
}
BENCHMARK(grown)->Name("Grown40Links");

}  // namespace

BENCHMARK_MAIN();
