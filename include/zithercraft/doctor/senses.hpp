#pragma once

#include <cstdint>
#include <vector>

#include "zithercraft/game/game.hpp"

namespace zithercraft {

/// What one column read during random play.
struct ColumnReading {
  Column column{};                  ///< which column
  double low = 0.0, high = 0.0;     ///< what it read at least and at most
  double mean = 0.0, stddev = 0.0;  ///< stddev: standard deviation
};

/// Plays at random for about `steps` steps and reports what each of a role's columns read, in
/// order. Throws Error (usage) if there is no such role or nothing to play.
std::vector<ColumnReading> read_senses(const Game& game, std::size_t role,
                                       std::int64_t steps = 20'000, std::uint64_t seed = 0);

}  // namespace zithercraft
