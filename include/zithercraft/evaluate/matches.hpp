#pragma once

#include <array>
#include <cstdint>
#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/base/work_count.hpp"
#include "zithercraft/evaluate/statistics.hpp"
#include "zithercraft/match/ratings.hpp"
#include "zithercraft/run/player_source.hpp"

namespace zithercraft {

/// What decides an episode between two sides.
enum class DecidedBy : std::uint8_t {
  verdict,  ///< the game's; one that is cut off is a draw
  returns   ///< the verdict, or without one the greater return, in the mean over a side's seats
};

/// How players meet.
struct MatchOptions {
  std::int64_t episodes = 200;                ///< of each two players in each seating, at least 1
  std::uint64_t seed = 0;                     ///< of the episodes, the same for all
  ActionMode actions = ActionMode::usual;     ///< of trained policies
  DecidedBy decided_by = DecidedBy::verdict;  ///< what decides a match that has no verdict
  std::filesystem::path
      replays{};             ///< a folder for the most notable episodes; empty: none are kept
  std::size_t threads = 0;   ///< 0 for one per processor; has no influence on the result
  OnProgress on_progress{};  ///< in episodes
};

/// Two players against each other, with sides swapped where both can play both.
struct Pairing {
  std::size_t a = 0, b = 0;  ///< players
  Tally tally{};             ///< of a against b
  Interval share{};          ///< of a, a draw being half a win
  Interval decided_share{};  ///< a's share of the decided episodes; of none, 0 to 1
  /// with a on the first side, on the second; empty ones were not played
  std::vector<Tally> by_side{};
  /// Means over the episodes, with 95% intervals; length in steps.
  Interval a_return{}, b_return{}, length{};
  /// Reward of each term a and b per episode, in the mean over a side's seats.
  std::vector<std::pair<std::string, Interval>> a_terms{}, b_terms{};
};

/// An episode worth a look.
struct NotableEpisode {
  std::string why{};              ///< "closest", "longest", "biggest upset"
  std::string first{}, second{};  ///< who played the two sides
  std::uint32_t episode = 0;      ///< its number, from 0
  std::string replay{};           ///< its file; empty if none was kept
};

/// What came of a tournament.
struct MatchTable {
  std::string game{};                     ///< its name
  std::vector<std::string> sides{};       ///< two
  std::vector<std::string> players{};     ///< their names
  MatchOptions options{};                 ///< as they were given
  std::vector<Pairing> pairings{};        ///< of each two
  std::vector<Rating> ratings{};          ///< of the players; the first is at 0
  std::vector<NotableEpisode> notable{};  ///< the most notable ones
  /// players of whom each beats the next, and the last the first
  std::vector<std::array<std::size_t, 3>> cycles{};

  /// All of it as JSON.
  std::string to_json() const;
};

/// Plays each player against each other. Throws Error (refused) if the game has not two opposed
/// sides, or two players cannot be seated against each other; (usage) for fewer than two players.
MatchTable play_matches(const GameSpec& game, const std::vector<PlayerSource>& players,
                        const MatchOptions& options = {});

/// The checkpoints of a run as players, the oldest first; and after how many steps each was kept.
std::vector<PlayerSource> checkpoint_players(const Run& run, TrainedAs as = TrainedAs::latest);
std::vector<double> steps_of_checkpoints(const Run& run);

}  // namespace zithercraft
