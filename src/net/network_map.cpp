#include "zithercraft/net/network_map.hpp"

#include <algorithm>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft {
namespace {

using Kind = NetworkMap::Kind;

// Outputs come before hidden nodes, as in the graph.
NetworkMap map_of_grown(const PolicySignature& signature, const NetworkGraph& graph) {
  NetworkMap map{.role = signature.role};
  for (const Column& column : signature.columns)
    map.nodes.push_back({.name = column.name, .kind = Kind::input});
  map.nodes.push_back({.name = "bias", .kind = Kind::bias});
  for (const auto& name : output_names(signature.controls))
    map.nodes.push_back({.name = name, .kind = Kind::output});
  for (std::size_t h = 0; h < graph.hidden; ++h)
    map.nodes.push_back({.name = "hidden " + std::to_string(h + 1), .layer = 1});
  for (const auto& link : graph.links) {
    map.links.push_back({link.from, link.to, link.weight, link.back});
    map.nodes[link.from].used = map.nodes[link.to].used = true;
  }
  // A hidden node's layer is the longest way to it.
  for (bool moved = true; moved;) {
    moved = false;
    for (const auto& link : map.links) {
      auto& to = map.nodes[link.to];
      if (link.back || to.kind != Kind::hidden || map.nodes[link.from].kind == Kind::output)
        continue;
      if (to.layer > map.nodes[link.from].layer) continue;
      to.layer = map.nodes[link.from].layer + 1;
      moved = true;
    }
  }
  std::size_t last = 0;
  for (const auto& node : map.nodes) last = std::max(last, node.layer);
  for (auto& node : map.nodes)
    if (node.kind == Kind::output) node.layer = last + 1;
  map.layers = last + 2;
  return map;
}

// What the first hidden layer reads.
std::vector<std::string> feature_names(const PolicySignature& signature, std::size_t features) {
  std::vector<bool> read(signature.columns.size());
  const NetworkPlan& plan = signature.policy;
  for (const PictureFront& front : plan.pictures)
    for (const std::uint32_t column : front.columns) read[column] = true;
  for (const CrowdFront& front : plan.crowds)
    for (const std::uint32_t column : front.columns) read[column] = true;
  std::vector<std::string> names;
  for (std::size_t c = 0; c < read.size(); ++c)
    if (!read[c]) names.push_back(signature.columns[c].name);
  const auto add = [&](const std::string& front, std::size_t count) {
    for (std::size_t k = 0; k < count; ++k)
      names.push_back(front + " feature " + std::to_string(k + 1));
  };
  for (const PictureFront& front : plan.pictures) {
    std::size_t height = front.height, width = front.width;
    for (const ConvolutionLayer& layer : front.layers) {
      height = after_convolution(height, layer);
      width = after_convolution(width, layer);
    }
    add(front.name, height * width * static_cast<std::size_t>(front.layers.back().filters));
  }
  for (const CrowdFront& front : plan.crowds) add(front.name, front.width * front.queries);
  names.resize(features);
  return names;
}

}  // namespace

std::vector<std::string> output_names(const std::vector<ControlInfo>& controls) {
  std::vector<std::string> names;
  for (const ControlInfo& control : controls) {
    if (!control.is_choice()) names.push_back(control.name);
    for (const auto& option : control.options) names.push_back(control.name + "." + option);
  }
  return names;
}

namespace {

// The value follows the controls, or how far squashed dials spread.
std::vector<std::string> all_output_names(const PolicySignature& signature) {
  auto names = output_names(signature.controls);
  if (signature.policy.outputs == names.size()) return names;
  if (!signature.squashed) names.emplace_back("value");
  for (const ControlInfo& control : signature.controls)
    if (signature.squashed && !control.is_choice()) names.push_back(control.name + " spread");
  return names;
}

// What goes into a table, and what comes out; nothing links them.
NetworkMap map_of_table(const PolicySignature& signature) {
  NetworkMap map{.role = signature.role};
  for (const Column& column : signature.columns)
    map.nodes.push_back({.name = column.name, .kind = Kind::input, .used = true});
  for (const std::string& name : output_names(signature.controls))
    map.nodes.push_back({name, Kind::output, 1, true, 0.0f});
  map.layers = 2;
  return map;
}

}  // namespace

NetworkMap map_of(const Policy& policy) {
  const PolicySignature& signature = policy.signature();
  if (policy.graph() != nullptr) return map_of_grown(signature, *policy.graph());
  if (policy.table() != nullptr) return map_of_table(signature);
  NetworkMap map{.role = signature.role};
  const auto parts = policy.parts();
  const auto outputs = all_output_names(signature);
  std::size_t first = 0;  // node of the layer before
  std::vector<float> weights;
  for (std::size_t p = 0; p < parts.size(); ++p) {
    const Policy::Part& part = parts[p];
    const bool hidden = part.name.starts_with("hidden.") && part.name.ends_with(".weight"),
               memory = part.name == "memory.candidate.weight",
               output = part.name == "output.weight";
    if (!hidden && !memory && !output) continue;
    if (map.nodes.empty()) {
      for (const auto& name : feature_names(signature, part.width))
        map.nodes.push_back({.name = name, .kind = Kind::input});
      map.layers = 1;
    }
    const std::size_t next = map.nodes.size();
    for (std::size_t o = 0; o < part.rows; ++o) {
      const Kind kind = output ? Kind::output : memory ? Kind::remembered : Kind::hidden;
      const float bias =
          p + 1 < parts.size() && parts[p + 1].rows == 1 ? parts[p + 1].numbers[o] : 0.0f;
      map.nodes.push_back(
          {output ? outputs[o] : (memory ? "memory " : "hidden ") + std::to_string(o + 1), kind,
           map.layers, true, bias});
      for (std::size_t i = 0; i < part.width; ++i)
        map.links.push_back({static_cast<std::uint32_t>(first + i),
                             static_cast<std::uint32_t>(next + o), part.numbers[o * part.width + i],
                             false});
    }
    for (std::size_t i = first; i < next; ++i) map.nodes[i].used = true;
    first = next;
    ++map.layers;
  }
  return map;
}

std::size_t NetworkMap::find(const std::string& name) const {
  const auto at =
      std::find_if(nodes.begin(), nodes.end(), [&](const Node& node) { return node.name == name; });
  if (at != nodes.end()) return static_cast<std::size_t>(at - nodes.begin());
  std::vector<std::string> names;
  for (const Node& node : nodes) names.push_back(node.name);
  throw Error(ErrorKind::usage, "the network has no node '" + name + "'", "column",
              advice(name, names));
}

}  // namespace zithercraft
