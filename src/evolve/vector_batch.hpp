#pragma once

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include "zithercraft/evolve/network_batch.hpp"
#include "zithercraft/net/network.hpp"

namespace zithercraft::evolve_internal {

// All networks that are loaded at a time take no more memory than this, in numbers, beside one for
// each thread.
inline constexpr std::size_t loaded_numbers = std::size_t{1} << 26;

inline std::size_t networks_at_a_time(std::size_t most, std::size_t numbers_each,
                                      std::size_t workers) {
  return std::clamp(loaded_numbers / std::max<std::size_t>(1, numbers_each),
                    std::min(workers, most), most);
}

// The standard deviation of the first weights of each part of a network; biases have that of the
// weights before them.
inline std::vector<float> first_stddevs(const Network<float>& net) {
  std::vector<float> stddevs;
  float last = 1.0f;
  for (const NetworkPart& part : net.parts()) {
    if (part.rows > 1 || !part.name.ends_with("bias"))
      last = 1.0f / std::sqrt(static_cast<float>(part.width));
    stddevs.push_back(last);
  }
  return stddevs;
}

inline std::size_t plain_numbers(const Network<float>& net) {
  std::size_t sum = 0;
  for (const NetworkPart& part : net.parts()) sum += part.rows * part.width;
  return sum;
}

// Between a search's vectors and a network's flat array.
inline void vector_to_weights(const Network<float>& net, std::span<const float> numbers,
                              std::span<float> parameters) {
  const auto stddevs = first_stddevs(net);
  const float* from = numbers.data();
  for (std::size_t p = 0; p < stddevs.size(); ++p) {
    const NetworkPart& part = net.parts()[p];
    for (std::size_t r = 0; r < part.rows; ++r, from += part.width)
      for (std::size_t i = 0; i < part.width; ++i)
        parameters[part.offset + r * part.stride + i] = stddevs[p] * from[i];
  }
}
inline std::vector<float> weights_to_vector(const Network<float>& net,
                                            std::span<const float> parameters) {
  const auto stddevs = first_stddevs(net);
  std::vector<float> numbers;
  for (std::size_t p = 0; p < stddevs.size(); ++p) {
    const NetworkPart& part = net.parts()[p];
    for (std::size_t r = 0; r < part.rows; ++r)
      for (std::size_t i = 0; i < part.width; ++i)
        numbers.push_back(parameters[part.offset + r * part.stride + i] / stddevs[p]);
  }
  return numbers;
}

// A batch of layers alone whose kernel is made for one row of each of many small networks.
std::unique_ptr<VectorBatch> small_batch(const NetworkPlan& plan, std::size_t most_networks,
                                         std::size_t most_rows, std::size_t workers);

}  // namespace zithercraft::evolve_internal
