#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace zithercraft {

/// What a node makes of the sum of what reaches it.
enum class NodeActivation : std::uint8_t {
  linear,  ///< nothing
  tanh,
  relu,     ///< max(0, x)
  sigmoid,  ///< 1 / (1 + e^-x)
  steep     ///< 1 / (1 + e^-4.9x), nearly a switch
};

/// A network of single nodes and links, as evolution grows it. Nodes are numbered: the inputs, a
/// node that is always 1, the outputs, then hidden ones.
struct NetworkGraph {
  /// From a node to a node.
  struct Link {
    std::uint32_t from = 0, to = 0;  ///< nodes; `to` is an output or a hidden one
    float weight = 0.0f;             ///< what it multiplies by
    bool back = false;               ///< it carries what its first node was at the step before
    bool operator==(const Link&) const = default;
  };
  std::size_t inputs = 0, outputs = 0, hidden = 0;            ///< nodes of each kind
  NodeActivation hidden_activation = NodeActivation::tanh;    ///< of sums that hidden nodes make
  NodeActivation output_activation = NodeActivation::linear;  ///< of those that outputs make
  std::vector<Link> links{};                                  ///< in any order

  /// The node that is always 1.
  std::size_t bias() const noexcept { return inputs; }
  /// Outputs follow the bias.
  std::size_t first_output() const noexcept { return inputs + 1; }
  /// Hidden nodes follow the outputs.
  std::size_t first_hidden() const noexcept { return inputs + 1 + outputs; }
  /// How many in all.
  std::size_t nodes() const noexcept { return first_hidden() + hidden; }
  bool operator==(const NetworkGraph&) const = default;
};

/// Networks of many shapes, compiled one behind the other: for each node in the order in which they
/// can be worked out what it reads and by which weights. What no output depends on is left out.
class GraphProgram {
 public:
  /// Forgets all, keeping the memory.
  void clear() noexcept;
  /// Compiles one more and returns its number. Throws Error (spec) if a link joins nodes that are
  /// not there or links that do not go back form a cycle.
  std::size_t add(const NetworkGraph& graph);
  /// How many graphs it holds.
  std::size_t count() const noexcept { return entries_.size(); }

  /// How many numbers a network keeps from step to step, 0 if no link goes back.
  std::size_t memory(std::size_t network) const noexcept { return entries_[network].memory; }
  /// Numbers that the working memory of any of them needs.
  std::size_t scratch_size() const noexcept { return scratch_size_; }
  /// One step of one network. `memory`: as many numbers as it keeps, all 0 at the beginning of an
  /// episode; `scratch`: from the caller, one per thread. Nothing is allocated.
  void decide(std::size_t network, std::span<const float> inputs, std::span<float> outputs,
              std::span<float> memory, std::span<float> scratch) const noexcept;
  /// The place of each node of the graph among the scratch numbers after `decide`; nodes() if it
  /// was left out.
  std::vector<std::size_t> places(std::size_t network) const;

 private:
  struct Step {
    std::uint32_t links = 0;  // that it reads
    NodeActivation activation = NodeActivation::linear;
  };
  struct Read {
    std::uint32_t from = 0;  // place among the scratch numbers
    float weight = 0.0f;
  };
  struct Entry {
    std::size_t first_step = 0, steps = 0, first_read = 0, first_output = 0, first_kept = 0,
                first_place = 0, nodes = 0;
    std::size_t inputs = 0, outputs = 0, memory = 0;
  };
  std::vector<Entry> entries_;
  std::vector<Step> steps_;
  std::vector<Read> reads_;
  std::vector<std::uint32_t> outputs_, kept_, places_;  // places among the scratch numbers
  std::size_t scratch_size_ = 0;
};

}  // namespace zithercraft
