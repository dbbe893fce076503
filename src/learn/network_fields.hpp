#pragma once

// The fields of networks' settings by name and range, for all methods that have networks: see
// config/config.hpp.

#include "config/config.hpp"
#include "zithercraft/net/network_plan.hpp"

namespace zithercraft {
using namespace config;

template <>
struct config::Words<Activation> {
  static constexpr std::array list{std::pair{"tanh", Activation::tanh},
                                   std::pair{"relu", Activation::relu},
                                   std::pair{"silu", Activation::silu}};
};
template <class V>
void describe(V& v, ConvolutionLayer& s) {
  v("filters", s.filters, between(1, 1024));
  v("size", s.size, between(1, 64));
  v("stride", s.stride, between(1, 64));
}

}  // namespace zithercraft
