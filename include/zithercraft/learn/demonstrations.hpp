#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "zithercraft/game/episode.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft {

class Player;
class TensorFile;
class WorkerPool;

/// What one seat sensed, did and was paid through an episode that somebody else played.
struct Demonstration {
  std::size_t role = 0;                ///< whose seat
  Outcome outcome = Outcome::running;  ///< for the seat's side
  std::vector<float> senses{};         ///< [steps + 1][columns], before each step and at the end
  std::vector<float> controls{};       ///< [steps][controls], as the game took them
  /// [steps][controls], what the player had wanted where it was disturbed; empty if it never was
  std::vector<float> advice{};
  std::vector<float> rewards{};         ///< [steps], the sum over terms
  std::vector<std::uint8_t> present{};  ///< [steps], whether the seat took part in the step
  /// What the player had wanted, whatever came of it.
  const std::vector<float>& wanted() const noexcept { return advice.empty() ? controls : advice; }
  /// How long the episode was.
  std::size_t steps() const noexcept { return rewards.size(); }
};

/// Episodes to learn from that others played. Their file is described in docs/formats/run.md.
struct Demonstrations {
  std::vector<Demonstration> list{};  ///< episodes of single seats

  /// How many steps those of some roles are.
  std::size_t steps(std::span<const std::size_t> roles) const;
  /// The share of those of some roles that succeeded; 0 if there are none.
  double success(std::span<const std::size_t> roles) const;
  /// Puts others behind these.
  void append(Demonstrations others);

  /// Keeps them in a file, by the names of the game's roles.
  void store(TensorFile& file, const Game& game) const;
  /// Whether a file's metadata says that it holds demonstrations.
  static bool are_in(const TensorFile& file);
  /// Those of a file. Throws Error (refused) if they are of roles that the game does not have, or
  /// that sense or do something else; (file) if their numbers make no sense.
  static Demonstrations from(const TensorFile& file, const Game& game);
};

/// Lets players play some episodes, and takes down what the seats of some roles do. `players`: one
/// for each role. The result is the same on any number of threads.
///
/// `disturbance` is the share of steps, below 1, in which seats do something else for a while,
/// drawn by chance, so that it is seen how the player gets back from where it would not have gone
/// (Laskey, Lee, Fox, Dragan, Goldberg: "DART: noise injection for robust imitation learning",
/// 2017). A game's own expert cannot be disturbed.
Demonstrations demonstrate(const Game& game, const std::vector<const Player*>& players,
                           std::span<const std::size_t> roles, std::span<const EpisodeKey> episodes,
                           WorkerPool& pool, double disturbance = 0.0);

}  // namespace zithercraft
