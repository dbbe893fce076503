#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace zithercraft {

/// What came of the matches of player `a` against player `b`.
struct Tally {
  std::size_t a = 0, b = 0;                      ///< numbers of both players
  double wins = 0.0, draws = 0.0, losses = 0.0;  ///< of a

  /// Matches in all.
  double played() const { return wins + draws + losses; }
  /// a's share, a draw being half a win; 0.5 if nothing was played.
  double share() const { return played() > 0.0 ? (wins + 0.5 * draws) / played() : 0.5; }
};

/// Whether a won so much more often than not that luck explains it in fewer than one of 40 cases.
bool beats(const Tally& tally);

/// A player's strength in points: 400 more mean ten wins for each loss (Elo: "The rating of
/// chessplayers, past and present", 1978).
struct Rating {
  double points = 0.0;          ///< 0 is the middle of all players
  double standard_error = 0.0;  ///< of `points`, against the player that is at 0
  /// Of the 95% interval.
  double low() const { return points - 1.96 * standard_error; }
  /// Of the 95% interval.
  double high() const { return points + 1.96 * standard_error; }
};

/// The chance that the first of two wins, a draw being half a win; 0 to 1.
double win_chance(double points, double other_points);

/// The ratings under which the tallies are most likely (Bradley and Terry: "Rank analysis of
/// incomplete block designs", 1952), player `zero` being at 0. Who won or lost everything would
/// have none; a weak prior, a standard deviation of 800 points, keeps them finite. Throws Error
/// (usage) if a tally names a player that is not there.
std::vector<Rating> fit_ratings(std::size_t players, std::span<const Tally> tallies,
                                std::size_t zero = 0);

/// Three players of whom the first beats the second, the second the third, and the third the first.
std::vector<std::array<std::size_t, 3>> find_cycles(std::span<const Tally> tallies);

}  // namespace zithercraft
