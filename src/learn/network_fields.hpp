#pragma once

// The fields of settings by name and range that all methods with networks share: see
// config/config.hpp.

#include "config/config.hpp"
#include "zithercraft/learn/sight.hpp"
#include "zithercraft/net/network_plan.hpp"

namespace zithercraft {
using namespace config;

template <>
struct config::Words<Activation> {
  static constexpr std::array list{std::pair{"tanh", Activation::tanh},
                                   std::pair{"relu", Activation::relu},
                                   std::pair{"silu", Activation::silu}};
};
template <>
struct config::Words<Sight> {
  static constexpr std::array list{std::pair{"own", Sight::own}, std::pair{"side", Sight::side},
                                   std::pair{"everyone", Sight::everyone}};
};
template <class V>
void describe(V& v, ConvolutionLayer& s) {
  v("filters", s.filters, between(1, 1024));
  v("size", s.size, between(1, 64));
  v("stride", s.stride, between(1, 64));
}

/// How networks read pictures and crowds.
template <class V, class Settings>
void describe_fronts(V& v, Settings& s) {
  v("pictures", s.pictures);
  v("picture_least", s.picture_least, at_least(1));
  v("crowd_width", s.crowd_width, between(0, 65536));
  v("crowd_queries", s.crowd_queries, between(1, 1024));
}
/// Against whom opposed sides play.
template <class V, class Settings>
void describe_opposition(V& v, Settings& s) {
  v("against_past", s.against_past, between(0, 1));
  v("against_hardest", s.against_hardest, between(0, 1));
  v("snapshot_every", s.snapshot_every, at_least(1));
  v("snapshot_gain", s.snapshot_gain, at_least(0));
  v("roster_size", s.roster_size, between(3, 4096));
}

}  // namespace zithercraft
