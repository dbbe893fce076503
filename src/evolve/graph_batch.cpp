#include <algorithm>

#include "zithercraft/evolve/network_batch.hpp"

namespace zithercraft {

GraphBatch::GraphBatch(std::size_t inputs, std::size_t outputs, std::size_t most_networks,
                       std::size_t most_rows, std::size_t workers)
    : inputs_(inputs), outputs_(outputs), most_networks_(most_networks), scratch_(workers) {
  for (Scratch& scratch : scratch_) scratch.outputs.resize(most_rows * outputs);
}

void GraphBatch::load(std::span<const NetworkGraph> graphs) {
  program_.clear();
  memory_ = 0;
  for (const NetworkGraph& graph : graphs)
    memory_ = std::max(memory_, program_.memory(program_.add(graph)));
  for (Scratch& scratch : scratch_) scratch.room.resize(program_.scratch_size());
}

std::span<float> GraphBatch::decide(std::span<const std::uint32_t> places,
                                    std::span<const float> inputs, std::span<float> kept,
                                    std::size_t worker) {
  Scratch& scratch = scratch_[worker];
  for (std::size_t r = 0; r < places.size(); ++r)
    program_.decide(places[r], inputs.subspan(r * inputs_, inputs_),
                    std::span(scratch.outputs).subspan(r * outputs_, outputs_),
                    kept.subspan(r * memory_, memory_), scratch.room);
  return scratch.outputs;
}

}  // namespace zithercraft
