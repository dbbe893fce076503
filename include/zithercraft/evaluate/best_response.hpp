#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "zithercraft/base/work_count.hpp"
#include "zithercraft/evaluate/statistics.hpp"
#include "zithercraft/run/player_source.hpp"

namespace zithercraft {

/// How best responses are trained and compared.
struct BestResponseOptions {
  std::int64_t steps = 1'000'000;          ///< to train each, at least 1
  std::int64_t episodes = 1000;            ///< to compare them in, at least 1
  std::uint64_t seed = 0;                  ///< of training and episodes
  ActionMode actions = ActionMode::usual;  ///< of the player
  std::size_t threads = 0;   ///< 0 for one per processor; has no influence on the result
  OnProgress on_progress{};  ///< in steps
};

/// What somebody gains who learns to play one side against the player.
struct BestResponse {
  std::string side{};         ///< that it plays
  Interval player_return{};   ///< of the player on that side, against itself
  Interval return_against{};  ///< of the response there
  Interval gain{};            ///< episode by episode: what the response brought more
};

/// How far others can exploit a player: what best responses to it gain. Returns are means over a
/// side's seats, with 95% intervals over episodes.
struct Exploitability {
  std::string game{}, player{};            ///< its name; the player responded to
  TrainedAs as = TrainedAs::latest;        ///< who plays for the player, if it is a trained one
  ActionMode actions = ActionMode::usual;  ///< of the player, as it took them
  BestResponseOptions options{};           ///< as they were given
  std::vector<BestResponse> responses{};   ///< one for each of two sides
  /// The sum of both gains. At an equilibrium nobody gains anything; a response that was trained
  /// too little gains too little, so that it is a lower bound.
  Interval sum{};

  /// All of it as JSON.
  std::string to_json() const;
};

/// Trains a response to the player on each of the game's two opposed sides by proximal policy
/// optimisation, with its default settings. Throws Error (refused) if the game has not two opposed
/// sides, or the player cannot play both; (usage) for no steps or episodes.
Exploitability exploitability(const GameSpec& game, const PlayerSource& player,
                              const BestResponseOptions& options = {});

}  // namespace zithercraft
