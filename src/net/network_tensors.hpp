#pragma once

// Networks and their parts in checkpoints.

#include <algorithm>
#include <array>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/base/error.hpp"
#include "zithercraft/net/network.hpp"
#include "zithercraft/net/network_graph.hpp"
#include "zithercraft/net/normaliser.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::net_internal {

// A part is stored as "<prefix>.<name>", [rows][width] without what lies between rows; biases have
// one row.
inline void store_network(TensorFile& file, const std::string& prefix, const Network<float>& net,
                          std::span<const float> parameters) {
  std::vector<float> plain;
  for (const NetworkPart& part : net.parts()) {
    plain.clear();
    for (std::size_t r = 0; r < part.rows; ++r) {
      const auto row = parameters.subspan(part.offset + r * part.stride, part.width);
      plain.insert(plain.end(), row.begin(), row.end());
    }
    file.put(prefix + "." + part.name, {part.rows, part.width}, plain);
  }
}

inline void fetch_network(const TensorFile& file, const std::string& prefix,
                          const Network<float>& net, std::span<float> parameters) {
  std::vector<float> plain;
  for (const NetworkPart& part : net.parts()) {
    plain.resize(part.rows * part.width);
    file.get(prefix + "." + part.name, plain);
    for (std::size_t r = 0; r < part.rows; ++r)
      std::copy_n(plain.begin() + static_cast<std::ptrdiff_t>(r * part.width), part.width,
                  parameters.begin() + static_cast<std::ptrdiff_t>(part.offset + r * part.stride));
  }
}

// A grown network's links as plain arrays, and its shape.
inline void store_graph(TensorFile& file, const NetworkGraph& graph) {
  std::vector<std::int64_t> links;
  std::vector<float> weights;
  for (const auto& link : graph.links) {
    links.insert(links.end(), {link.from, link.to, link.back ? 1 : 0});
    weights.push_back(link.weight);
  }
  const std::array<std::int64_t, 3> shape{static_cast<std::int64_t>(graph.hidden),
                                          static_cast<std::int64_t>(graph.hidden_activation),
                                          static_cast<std::int64_t>(graph.output_activation)};
  file.put("policy.graph.shape", std::span<const std::int64_t>(shape));
  file.put("policy.graph.links", std::span<const std::int64_t>(links));
  file.put("policy.graph.weights", {weights.size()}, weights);
}

inline NetworkGraph fetch_graph(const TensorFile& file, const NetworkPlan& plan) {
  const auto shape = file.integers("policy.graph.shape"),
             links = file.integers("policy.graph.links");
  std::vector<float> weights(links.size() / 3);
  file.get("policy.graph.weights", weights);
  const auto activation = [&](std::size_t at) {
    if (shape.size() == 3 && shape[0] >= 0 && shape[0] <= 1 << 20 && shape[at] >= 0 &&
        shape[at] <= static_cast<std::int64_t>(NodeActivation::steep))
      return static_cast<NodeActivation>(shape[at]);
    throw Error(ErrorKind::file, "the grown network cannot be understood", "checkpoint",
                "take another checkpoint");
  };
  NetworkGraph graph{.inputs = plan.columns,
                     .outputs = plan.outputs,
                     .hidden_activation = activation(1),
                     .output_activation = activation(2)};
  graph.hidden = static_cast<std::size_t>(shape[0]);
  for (std::size_t i = 0; i < weights.size(); ++i)
    graph.links.push_back({static_cast<std::uint32_t>(links[3 * i]),
                           static_cast<std::uint32_t>(links[3 * i + 1]), weights[i],
                           links[3 * i + 2] != 0});
  return graph;
}

// Flags that say who of a crowd is there are left as they are. Pixels of a picture are on one
// scale.
inline Normaliser normaliser_for(const NetworkPlan& plan) {
  Normaliser normaliser(plan.columns);
  for (const PictureFront& picture : plan.pictures) normaliser.pool(picture.columns);
  for (const CrowdFront& crowd : plan.crowds)
    for (std::size_t o = 0; o < crowd.others; ++o)
      normaliser.leave(crowd.columns[o * crowd.columns_each + crowd.here]);
  return normaliser;
}

inline void store_normaliser(TensorFile& file, const Normaliser& normaliser) {
  const double count = normaliser.count();
  file.put("normaliser.count", std::span(&count, 1));
  file.put("normaliser.mean", normaliser.mean());
  file.put("normaliser.deviation", normaliser.deviation());
}

// Puts stored statistics into a normaliser of the same columns.
inline void fetch_normaliser(const TensorFile& file, Normaliser& normaliser) {
  const auto count = file.doubles("normaliser.count");
  auto mean = file.doubles("normaliser.mean"), deviation = file.doubles("normaliser.deviation");
  const std::size_t columns = normaliser.columns();
  if (count.size() != 1 || mean.size() != columns || deviation.size() != columns)
    throw Error(ErrorKind::file, "the normaliser does not fit the columns", "checkpoint",
                "take another checkpoint");
  normaliser.set(count[0], std::move(mean), std::move(deviation));
}

inline Normaliser fetch_normaliser(const TensorFile& file, const NetworkPlan& plan) {
  Normaliser normaliser = normaliser_for(plan);
  fetch_normaliser(file, normaliser);
  return normaliser;
}

}  // namespace zithercraft::net_internal
