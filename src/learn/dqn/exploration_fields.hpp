#pragma once

// Words for exploration, which several methods of values share.

#include "config/config.hpp"
#include "zithercraft/learn/dqn.hpp"

namespace zithercraft {
using namespace config;

template <>
struct config::Words<Exploration> {
  static constexpr std::array list{std::pair{"epsilon", Exploration::epsilon},
                                   std::pair{"softmax", Exploration::softmax}};
};

}  // namespace zithercraft
