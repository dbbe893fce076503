#include "zithercraft/net/network_graph.hpp"

#include <algorithm>
#include <limits>
#include <string>

#include "net/vectors.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {
using namespace net_internal;
namespace {

constexpr std::uint32_t left_out = std::numeric_limits<std::uint32_t>::max();

float activated(NodeActivation activation, float x) {
  switch (activation) {
    case NodeActivation::linear: return x;
    case NodeActivation::tanh: return tanh_of(x);
    case NodeActivation::relu: return std::max(0.0f, x);
    case NodeActivation::sigmoid: return 0.5f + 0.5f * tanh_of(0.5f * x);
    case NodeActivation::steep: return 0.5f + 0.5f * tanh_of(2.45f * x);
  }
  return x;
}

void check_links(const NetworkGraph& graph) {
  for (std::size_t i = 0; i < graph.links.size(); ++i) {
    const NetworkGraph::Link& link = graph.links[i];
    if (link.from < graph.nodes() && link.to < graph.nodes() && link.to >= graph.first_output())
      continue;
    throw Error(ErrorKind::spec,
                "link " + std::to_string(i) + " goes from node " + std::to_string(link.from) +
                    " to node " + std::to_string(link.to) + " of " + std::to_string(graph.nodes()),
                "network", "let it end in an output or a hidden node");
  }
}

// Nodes that some output depends on.
std::vector<bool> needed_nodes(const NetworkGraph& graph) {
  std::vector<bool> needed(graph.nodes(), false);
  std::vector<std::vector<std::uint32_t>> reads(graph.nodes());
  for (const auto& link : graph.links) reads[link.to].push_back(link.from);
  std::vector<std::uint32_t> open;
  const auto need = [&](std::uint32_t node) {
    if (!needed[node]) open.push_back(node);
    needed[node] = true;
  };
  for (std::size_t o = 0; o < graph.outputs; ++o)
    need(static_cast<std::uint32_t>(graph.first_output() + o));
  while (!open.empty()) {
    const std::uint32_t node = open.back();
    open.pop_back();
    for (const std::uint32_t from : reads[node]) need(from);
  }
  return needed;
}

// Needed outputs and hidden nodes, each after all that it reads now.
std::vector<std::uint32_t> working_order(const NetworkGraph& graph,
                                         const std::vector<bool>& needed) {
  std::vector<std::uint32_t> waits(graph.nodes(), 0), order;
  std::vector<std::vector<std::uint32_t>> readers(graph.nodes());
  for (const auto& link : graph.links) {
    if (link.back || !needed[link.to] || link.from < graph.first_output()) continue;
    ++waits[link.to];
    readers[link.from].push_back(link.to);
  }
  std::size_t wanted = 0;
  for (std::size_t node = graph.first_output(); node < graph.nodes(); ++node) {
    wanted += needed[node] ? std::size_t{1} : std::size_t{0};
    if (needed[node] && waits[node] == 0) order.push_back(static_cast<std::uint32_t>(node));
  }
  for (std::size_t next = 0; next < order.size(); ++next)
    for (const std::uint32_t reader : readers[order[next]])
      if (--waits[reader] == 0) order.push_back(reader);
  if (order.size() != wanted)
    throw Error(ErrorKind::spec, "links form a cycle", "network", "let one of them go back");
  return order;
}

}  // namespace

void GraphProgram::clear() noexcept {
  entries_.clear();
  steps_.clear();
  reads_.clear();
  outputs_.clear();
  kept_.clear();
  places_.clear();
  scratch_size_ = 0;
}

// The scratch numbers hold inputs, the bias, what is remembered, then nodes in their order.
std::size_t GraphProgram::add(const NetworkGraph& graph) {
  check_links(graph);
  const std::vector<bool> needed = needed_nodes(graph);
  const auto order = working_order(graph, needed);
  Entry entry{.first_step = steps_.size(),
              .steps = order.size(),
              .first_read = reads_.size(),
              .first_output = outputs_.size(),
              .first_kept = kept_.size(),
              .first_place = places_.size(),
              .nodes = graph.nodes(),
              .inputs = graph.inputs,
              .outputs = graph.outputs};
  std::vector<std::uint32_t> before(graph.nodes(), left_out);  // where what a node was stands
  auto place = static_cast<std::uint32_t>(graph.first_output());
  for (const auto& link : graph.links)
    if (link.back && needed[link.to] && before[link.from] == left_out) {
      before[link.from] = place++;
      kept_.push_back(link.from);
      ++entry.memory;
    }
  places_.resize(entry.first_place + graph.nodes(), left_out);
  const auto now = std::span(places_).subspan(entry.first_place);
  for (std::uint32_t node = 0; node < graph.first_output(); ++node) now[node] = node;
  for (const std::uint32_t node : order) now[node] = place++;
  for (std::size_t k = entry.first_kept; k < kept_.size(); ++k) kept_[k] = now[kept_[k]];

  std::vector<std::vector<Read>> read_by(graph.nodes());
  for (const auto& link : graph.links)
    if (needed[link.to])
      read_by[link.to].push_back({link.back ? before[link.from] : now[link.from], link.weight});
  for (const std::uint32_t node : order) {
    reads_.insert(reads_.end(), read_by[node].begin(), read_by[node].end());
    steps_.push_back(
        {static_cast<std::uint32_t>(read_by[node].size()),
         node < graph.first_hidden() ? graph.output_activation : graph.hidden_activation});
  }
  for (std::size_t o = 0; o < graph.outputs; ++o) outputs_.push_back(now[graph.first_output() + o]);
  scratch_size_ = std::max<std::size_t>(scratch_size_, place);
  entries_.push_back(entry);
  return entries_.size() - 1;
}

void GraphProgram::decide(std::size_t network, std::span<const float> inputs,
                          std::span<float> outputs, std::span<float> memory,
                          std::span<float> scratch) const noexcept {
  const Entry& e = entries_[network];
  float* values = scratch.data();
  std::copy_n(inputs.data(), e.inputs, values);
  values[e.inputs] = 1.0f;
  std::copy_n(memory.data(), e.memory, values + e.inputs + 1);
  const Read* read = reads_.data() + e.first_read;
  float* to = values + e.inputs + 1 + e.memory;
  for (const Step* step = steps_.data() + e.first_step;
       step != steps_.data() + e.first_step + e.steps; ++step) {
    // Two sums that do not wait for each other.
    float even = 0.0f, odd = 0.0f;
    std::uint32_t k = 0;
    for (; k + 1 < step->links; k += 2) {
      even += read[k].weight * values[read[k].from];
      odd += read[k + 1].weight * values[read[k + 1].from];
    }
    if (k < step->links) even += read[k].weight * values[read[k].from];
    read += step->links;
    *to++ = activated(step->activation, even + odd);
  }
  for (std::size_t o = 0; o < e.outputs; ++o) outputs[o] = values[outputs_[e.first_output + o]];
  for (std::size_t k = 0; k < e.memory; ++k) memory[k] = values[kept_[e.first_kept + k]];
}

std::vector<std::size_t> GraphProgram::places(std::size_t network) const {
  const Entry& e = entries_[network];
  std::vector<std::size_t> list;
  for (std::size_t i = 0; i < e.nodes; ++i) {
    const std::uint32_t place = places_[e.first_place + i];
    list.push_back(place == left_out ? scratch_size_ : place);
  }
  return list;
}

}  // namespace zithercraft
