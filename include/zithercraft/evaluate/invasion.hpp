#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "zithercraft/base/work_count.hpp"
#include "zithercraft/evaluate/statistics.hpp"
#include "zithercraft/run/player_source.hpp"

/// Invasion tests: how a few seats of a role fare that are played in another way than all others of
/// it. A way of playing is stable among its like if no other does better in it.
namespace zithercraft {

/// Who invades, and how long.
struct InvasionOptions {
  std::string role{};  ///< a role with several seats; empty: the first one that has
  double share = 0.1;  ///< of its seats that are invaded, above 0, below 1; at least one seat
  std::int64_t episodes = 20;              ///< of each pair, at least 1
  std::uint64_t seed = 0;                  ///< of the episodes, the same for all
  ActionMode actions = ActionMode::usual;  ///< of trained policies
  std::size_t threads = 0;   ///< 0 for one per processor; has no influence on the result
  OnProgress on_progress{};  ///< in episodes
};

/// One player among the like of another. Returns are per seat and episode.
struct Invasion {
  std::string invader{}, resident{};  ///< who plays the few, and who all others
  Interval few{}, many{};             ///< return of an invader, and of a resident beside it
  Interval difference{};              ///< the first less the second, episode by episode
};

/// What came of all pairs.
struct InvasionTable {
  std::string game{}, role{};      ///< their names
  std::size_t few = 0, seats = 0;  ///< seats that are invaded, of how many
  std::int64_t episodes = 0;       ///< of each pair
  std::vector<Invasion> rows{};    ///< each player among each other

  /// All of it as JSON.
  std::string to_json() const;
};

/// Throws Error (usage, refused) if there are fewer than two players, no such role, or one cannot
/// play it.
InvasionTable measure_invasion(const GameSpec& game, const std::vector<PlayerSource>& players,
                               const InvasionOptions& options = {});

}  // namespace zithercraft
