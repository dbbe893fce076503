#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

#include "zithercraft/net/policy.hpp"

namespace zithercraft {

/// A policy's network as nodes and links with names, for looking at.
struct NetworkMap {
  /// What a node is.
  enum class Kind : std::uint8_t { input, bias, hidden, remembered, output };
  /// A number on its way.
  struct Node {
    std::string name{};  ///< of a column, of a feature of a front, of a control or its option; of a
                         ///< hidden one its number
    Kind kind = Kind::hidden;  ///< what it is
    std::size_t layer = 0;     ///< 0 for inputs; nobody reads what lies behind
    bool used = false;         ///< some link comes from it, or leads to it
    float bias = 0.0f;         ///< of fixed networks
  };
  /// From a node to a node.
  struct Link {
    std::uint32_t from = 0, to = 0;  ///< nodes
    float weight = 0.0f;             ///< what it multiplies by
    bool back = false;               ///< it carries what its first node was at the step before
  };
  std::string role{};         ///< whose policy
  std::vector<Node> nodes{};  ///< in the order of Policy::node_values
  std::vector<Link> links{};  ///< all of them
  std::size_t layers = 0;     ///< from the inputs to the outputs

  /// The node of that name. Throws Error (usage) with advice if there is none.
  std::size_t find(const std::string& name) const;
};

/// Of a policy that has grown what it is; of a fixed one from what its first hidden layer reads on.
/// Of a memory the links that bring something new into it are shown.
NetworkMap map_of(const Policy& policy);

/// What a policy's outputs are called: dials by their names, options as "choice.option".
std::vector<std::string> output_names(const std::vector<ControlInfo>& controls);

}  // namespace zithercraft
