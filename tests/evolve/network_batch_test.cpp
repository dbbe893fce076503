// The networks of a population, asked side by side.

#include <gtest/gtest.h>

#include <numeric>

#include "counting_new.hpp"
#include "evolve/vector_batch.hpp"
#include "net/network_tensors.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/evolve/noise.hpp"

namespace zithercraft {
using namespace evolve_internal;
using namespace net_internal;
namespace {

AlignedBuffer<float> random_rows(std::size_t rows, std::size_t width, std::size_t stride) {
  AlignedBuffer<float> list(rows * stride);
  RandomStream random(3, 0, 0, Purpose::user);
  for (std::size_t r = 0; r < rows; ++r)
    for (std::size_t i = 0; i < width; ++i) list[r * stride + i] = random.normal();
  return list;
}

constexpr std::size_t networks = 37;

std::vector<std::vector<float>> vectors_for(std::size_t numbers) {
  const Noise noise(numbers);
  std::vector<std::vector<float>> list;
  for (std::size_t i = 0; i < networks; ++i) {
    const auto from = noise.slice(mixed(9, i, 0), numbers);
    list.emplace_back(from.begin(), from.end());
  }
  return list;
}

std::unique_ptr<VectorBatch> loaded(const NetworkPlan& plan, std::size_t most_rows,
                                    WorkerPool& pool) {
  auto batch = vector_batch(plan, networks, most_rows, pool.threads());
  const auto vectors = vectors_for(batch->dimension());
  batch->load(
      networks,
      [&](std::size_t i, std::span<float> out) {
        std::copy(vectors[i].begin(), vectors[i].end(), out.begin());
      },
      pool);
  return batch;
}

const NetworkPlan plans[] = {
    {.columns = 5, .hidden = {}, .outputs = 3},
    {.columns = 24, .hidden = {16}, .outputs = 4},
    {.columns = 33, .hidden = {19, 7}, .activation = Activation::relu, .outputs = 21},
    {.columns = 3, .hidden = {9}, .activation = Activation::silu, .outputs = 1},
    {.columns = 100, .hidden = {200}, .outputs = 2},           // too large for the small kernel
    {.columns = 6, .hidden = {8}, .memory = 4, .outputs = 3},  // which knows no memory either
};

TEST(NetworkBatch, AnswersAsTheNetworksOfAPolicyDo) {
  WorkerPool pool(2);
  for (const NetworkPlan& plan : plans) {
    // Rows of some networks, of one of them three times.
    const std::vector<std::uint32_t> places{0, 3, 3, 3, 15, 16, 17, 36};
    const auto batch = loaded(plan, places.size(), pool);
    const auto inputs = random_rows(places.size(), plan.columns, batch->input_stride());
    AlignedBuffer<float> kept(places.size() * batch->memory());
    const auto answers = batch->decide(places, inputs.span(), kept.span(), 1);

    const Network<float> net(plan);
    const auto vectors = vectors_for(batch->dimension());
    AlignedBuffer<float> parameters(net.parameters()), prepared(net.prepared()),
        row(net.input_stride()), memory(net.memory_stride());
    auto room = net.workspace(1);
    for (std::size_t r = 0; r < places.size(); ++r) {
      vector_to_weights(net, vectors[places[r]], parameters.span());
      net.prepare(parameters.span(), prepared.span());
      std::copy_n(inputs.begin() + r * batch->input_stride(), plan.columns, row.begin());
      std::fill(memory.begin(), memory.end(), 0.0f);
      const auto wanted = net.forward(parameters.span(), prepared.span(), row.span(),
                                      {1, 1, {}, memory.span()}, room);
      for (std::size_t o = 0; o < plan.outputs; ++o)
        EXPECT_NEAR(answers[r * batch->output_stride() + o], wanted[o], 1e-4)
            << plan.columns << " row " << r;
    }
  }
}

// A row for each network.
struct Everybody {
  Everybody(const NetworkPlan& plan, WorkerPool& pool)
      : batch(loaded(plan, networks, pool)),
        places(networks),
        inputs(random_rows(networks, plan.columns, batch->input_stride())),
        kept(networks * batch->memory()) {
    std::iota(places.begin(), places.end(), 0u);
  }
  std::span<float> decide() { return batch->decide(places, inputs.span(), kept.span(), 0); }

  std::unique_ptr<VectorBatch> batch;
  std::vector<std::uint32_t> places;
  AlignedBuffer<float> inputs, kept;
};

TEST(NetworkBatch, ARowsAnswerDoesNotDependOnTheOthers) {
  WorkerPool pool(1);
  for (const NetworkPlan& plan : plans) {
    Everybody all(plan, pool);
    const auto together = all.decide();
    const std::vector<float> copy(together.begin(), together.end());
    for (const std::uint32_t i : {0u, 1u, 20u, 36u}) {
      AlignedBuffer<float> own(all.batch->memory());
      const std::size_t stride = all.batch->input_stride();
      const auto alone =
          all.batch->decide({&i, 1}, all.inputs.span().subspan(i * stride, stride), own.span(), 0);
      for (std::size_t o = 0; o < plan.outputs; ++o)
        EXPECT_EQ(alone[o], copy[i * all.batch->output_stride() + o]);
    }
  }
}

TEST(NetworkBatch, DecidingAllocatesNothing) {
  WorkerPool pool(1);
  for (const NetworkPlan& plan : plans) {
    Everybody all(plan, pool);
    all.decide();
    const std::size_t before = test::allocations();
    all.decide();
    EXPECT_EQ(test::allocations(), before) << plan.columns;
  }
}

TEST(NetworkBatch, LargeNetworksAreLoadedAFewAtATime) {
  const NetworkPlan plan{.columns = 1000, .hidden = {1000, 1000}, .outputs = 4};
  const auto batch = vector_batch(plan, 500, 1, 2);
  EXPECT_GE(batch->capacity(), 2u);
  EXPECT_LE(batch->capacity() * batch->dimension(), loaded_numbers);
}

TEST(NetworkBatch, WeightsAndVectorsAreTheSameNetwork) {
  const Network<float> net(plans[5]);
  const auto vector = vectors_for(plain_numbers(net))[0];
  AlignedBuffer<float> parameters(net.parameters());
  vector_to_weights(net, vector, parameters.span());
  const auto back = weights_to_vector(net, parameters.span());
  ASSERT_EQ(back.size(), vector.size());
  for (std::size_t i = 0; i < vector.size(); ++i) EXPECT_NEAR(back[i], vector[i], 1e-6);
}

TEST(Noise, IsNormalAndTheSameForTheSameSeed) {
  const Noise noise(1000), again(1000);
  double sum = 0, squares = 0;
  for (std::uint64_t seed = 0; seed < 200; ++seed)
    for (const float x : noise.slice(mixed(1, seed, 2), 1000)) {
      sum += static_cast<double>(x);
      squares += static_cast<double>(x) * static_cast<double>(x);
    }
  EXPECT_NEAR(sum / 2e5, 0.0, 0.01);
  EXPECT_NEAR(squares / 2e5, 1.0, 0.02);
  EXPECT_EQ(noise.slice(77, 10)[3], again.slice(77, 10)[3]);
}

}  // namespace
}  // namespace zithercraft
