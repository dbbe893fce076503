#pragma once

// What settings that are not set follow from.

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>

#include "zithercraft/learn/learner.hpp"

namespace zithercraft::learn_internal {

/// Who learns, and how long.
struct Occasion {
  double steps = 1.0;                   // in all
  std::int64_t seats = 0;               // that learn, in a lane
  std::int64_t episode = 1;             // steps at most
  std::int64_t columns = 1;             // of the learning role that senses most
  bool dials = false;                   // a learning role has some
  bool opposed = false;                 // sides that learn are
  bool shoots = false;                  // a learning role has a launcher
  std::optional<std::size_t> copies{};  // of a game that is played elsewhere
};

Occasion occasion_of(const Game& game, std::int64_t total_steps,
                     std::span<const RolePlayer> players);

/// The power of two that is nearest, seen as a factor; at least 1.
std::int64_t near_power(double number);
/// The largest that is not above; at least 1.
std::int64_t power_below(double number);

}  // namespace zithercraft::learn_internal
