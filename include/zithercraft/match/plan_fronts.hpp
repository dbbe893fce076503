#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "zithercraft/game/game.hpp"
#include "zithercraft/net/network_plan.hpp"

namespace zithercraft {

/// How a network reads senses that are more than columns.
struct FrontSettings {
  /// over cameras and windows, as many as fit; unset: by a picture's size; none: plain columns
  std::optional<std::vector<ConvolutionLayer>> pictures{};
  std::int64_t picture_least =
      12;                          ///< pixels or cells along both sides from which on they are used
  std::int64_t crowd_width = 32;   ///< features of each other in a crowd; 0: plain columns
  std::int64_t crowd_queries = 2;  ///< means taken over a crowd by attention
};

/// A plan for a network that decides for the role: its columns, fronts and outputs, without hidden
/// layers; relu is its activation if it reads pictures.
NetworkPlan plan_fronts(const Role& role, const FrontSettings& settings);

}  // namespace zithercraft
