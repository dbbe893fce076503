#pragma once

#include <cstdint>
#include <vector>

#include "zithercraft/game/environment.hpp"

namespace zithercraft {

/// A finished episode, seen from one seat.
struct EpisodeResult {
  double episode_return = 0.0;          ///< the sum of its rewards
  std::uint32_t length = 0;             ///< steps
  Outcome outcome = Outcome::running;   ///< for the seat's side
  EndedBy ended_by = EndedBy::nothing;  ///< what ended it
  std::size_t role = 0;                 ///< whose seat
  std::size_t stage = 0;                ///< of a curriculum; see Game::stages
  std::vector<double> ledger{};         ///< reward of each term; sums to the return
};

/// The result of a row whose episode has ended.
EpisodeResult episode_result(const Environment& environment, std::size_t role, std::size_t row);

}  // namespace zithercraft
