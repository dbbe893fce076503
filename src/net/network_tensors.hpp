#pragma once

#include <string>

#include "zithercraft/net/mlp.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {

// Layers are stored under "<prefix>.<layer>.weight" [outputs][inputs] and "<prefix>.<layer>.bias" [outputs].
inline void store_network(TensorFile& file, const std::string& prefix, const Mlp<float>& net,
                          std::span<const float> parameters) {
  for (std::size_t i = 0; i < net.layers().size(); ++i) {
    const auto& layer = net.layers()[i];
    const std::string name = prefix + "." + std::to_string(i) + ".";
    file.put(name + "weight", {layer.outputs, layer.inputs},
             parameters.subspan(layer.weights, layer.outputs * layer.inputs));
    file.put(name + "bias", {layer.outputs}, parameters.subspan(layer.biases, layer.outputs));
  }
}

inline void fetch_network(const TensorFile& file, const std::string& prefix, const Mlp<float>& net,
                          std::span<float> parameters) {
  for (std::size_t i = 0; i < net.layers().size(); ++i) {
    const auto& layer = net.layers()[i];
    const std::string name = prefix + "." + std::to_string(i) + ".";
    file.get(name + "weight", parameters.subspan(layer.weights, layer.outputs * layer.inputs));
    file.get(name + "bias", parameters.subspan(layer.biases, layer.outputs));
  }
}

inline std::vector<std::size_t> widths_of(std::size_t inputs, const std::vector<std::size_t>& hidden,
                                          std::size_t outputs) {
  std::vector<std::size_t> widths{inputs};
  widths.insert(widths.end(), hidden.begin(), hidden.end());
  widths.push_back(outputs);
  return widths;
}

}  // namespace zithercraft
