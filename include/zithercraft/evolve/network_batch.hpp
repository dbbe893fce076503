#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "zithercraft/evolve/search.hpp"
#include "zithercraft/evolve/topology.hpp"
#include "zithercraft/net/network_plan.hpp"

namespace zithercraft {

class WorkerPool;

/// The networks of a population, ready to be asked. Some of them are loaded at a time, so that a
/// population of large networks is never in memory as a whole.
class NetworkBatch {
 public:
  virtual ~NetworkBatch() = default;
  /// Numbers that each network takes.
  virtual std::size_t inputs() const noexcept = 0;
  /// Numbers that each network gives.
  virtual std::size_t outputs() const noexcept = 0;
  /// How many networks can be loaded at a time, at least 1.
  virtual std::size_t capacity() const noexcept = 0;
  /// How many neighbouring networks answer as quickly as one alone.
  virtual std::size_t width() const noexcept { return 1; }
  /// Numbers that any loaded network keeps for a row from step to step, at most.
  virtual std::size_t memory() const noexcept = 0;
  /// Numbers from row to row of what `decide` reads and writes.
  virtual std::size_t input_stride() const noexcept = 0;
  /// Numbers from row to row of the outputs.
  virtual std::size_t output_stride() const noexcept = 0;
  /// Steps for rows of inputs, each by the network loaded at its place; rows of one network should
  /// follow each other. What is written stays until the worker's next call. `kept`:
  /// [rows][memory()], all 0 at the beginning of an episode. `inputs` must come from an
  /// AlignedBuffer. Several workers may call at once; nothing is allocated for up to `most_rows`
  /// rows.
  virtual std::span<float> decide(std::span<const std::uint32_t> places,
                                  std::span<const float> inputs, std::span<float> kept,
                                  std::size_t worker) = 0;
};

/// Networks of one plan whose weights are vectors of numbers: those of each of the plan's parts,
/// row by row, in standard deviations of first weights (1 over the root of how many numbers a node
/// reads).
class VectorBatch : public NetworkBatch {
 public:
  /// How many numbers a network of the plan has.
  virtual std::size_t dimension() const noexcept = 0;
  /// Loads networks; `candidate(i, out)` gives the vector of the one at place i, and is called by
  /// several threads at once.
  virtual void load(std::size_t count,
                    const std::function<void(std::size_t, std::span<float>)>& candidate,
                    WorkerPool& pool) = 0;
};

/// `most_networks`: how many are asked for at a time; fewer are loaded if they are large.
std::unique_ptr<VectorBatch> vector_batch(const NetworkPlan& plan, std::size_t most_networks,
                                          std::size_t most_rows, std::size_t workers);

/// Networks that have grown, all of them in one program.
class GraphBatch final : public NetworkBatch {
 public:
  /// Room for some networks; no network yet.
  GraphBatch(std::size_t inputs, std::size_t outputs, std::size_t most_networks,
             std::size_t most_rows, std::size_t workers);
  /// Takes these networks, in their order. Throws Error (spec) for one that does not fit.
  void load(std::span<const NetworkGraph> graphs);
  /// Numbers that each network takes.
  std::size_t inputs() const noexcept override { return inputs_; }
  /// Numbers that each network gives.
  std::size_t outputs() const noexcept override { return outputs_; }
  std::size_t capacity() const noexcept override { return most_networks_; }
  std::size_t memory() const noexcept override { return memory_; }
  std::size_t input_stride() const noexcept override { return inputs_; }
  /// Numbers from row to row of the outputs.
  std::size_t output_stride() const noexcept override { return outputs_; }
  std::span<float> decide(std::span<const std::uint32_t> places, std::span<const float> inputs,
                          std::span<float> kept, std::size_t worker) override;

 private:
  struct Scratch {
    std::vector<float> room{}, outputs{};
  };
  std::size_t inputs_, outputs_, most_networks_, memory_ = 0;
  GraphProgram program_;
  std::vector<Scratch> scratch_;
};

}  // namespace zithercraft
