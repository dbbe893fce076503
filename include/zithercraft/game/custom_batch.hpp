#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/game/code.hpp"
#include "zithercraft/game/custom_game.hpp"

/// Custom games whose copies are played together, such as those that run in other processes.
namespace zithercraft {

class Game;

/// An episode that is about to begin in a lane of a batch.
struct BatchStart {
  std::size_t lane = 0;  ///< its number
  CustomStart start;     ///< what it begins with
};

/// A step that is about to be played in a lane of a batch.
struct BatchStep {
  std::size_t lane = 0;                       ///< its number
  std::span<const CustomStep::Part> parts{};  ///< what each role's seats decided
};

/// How a lane of a batch stands after a call.
enum class CopyState : std::uint8_t {
  plays,  ///< what was asked for is done
  waits,  ///< it is not done yet; a later call of `step` goes on with it
  lost    ///< the episode is lost with its copy; a later call of `step` begins it again
};

/// Copies of a custom game, one for each lane, that are begun and stepped together: one message can
/// hold the controls of many. Calls for different lanes may come from several threads at once.
class CustomBatch {
 public:
  CustomBatch() = default;
  virtual ~CustomBatch() = default;
  CustomBatch(const CustomBatch&) = delete;
  CustomBatch& operator=(const CustomBatch&) = delete;

  /// The copy that a lane plays, for as long as the batch lives. Its `begin` and `step` are called
  /// after those of the batch, and only hand over what these came to.
  virtual CustomGame& game(std::size_t lane) = 0;
  /// Begins episodes.
  virtual void begin(std::span<const BatchStart> starts) = 0;
  /// Plays a step. Lanes that wait are named too: what they wait for may be done now. Returns once
  /// any of the lanes has got on.
  virtual void step(std::span<const BatchStep> steps) = 0;
  /// A lane's episode is over, by the game's word or by a cutoff: its copy can play for others.
  virtual void end(std::size_t lane) = 0;
  /// How a lane stands since the last call that named it.
  virtual CopyState state(std::size_t lane) const noexcept = 0;
};

/// A process that plays copies of a custom game.
struct HostedGame {
  std::size_t number = 0;         ///< in the order of joining, from 1
  std::string program{};          ///< as it calls itself
  std::size_t copies = 0;         ///< that it plays
  std::int64_t steps = 0;         ///< of all its copies
  double steps_per_second = 0.0;  ///< since it joined
};

/// How things stand with a custom game that is played elsewhere.
struct HostReport {
  std::vector<HostedGame> games{};  ///< that are connected
  std::size_t dropped = 0;          ///< that left, or had to go
  std::string last_drop{};          ///< who, and why; empty if nobody was
};

/// Where the copies of a custom game are.
class CustomHost {
 public:
  CustomHost() = default;
  virtual ~CustomHost() = default;
  CustomHost(const CustomHost&) = delete;
  CustomHost& operator=(const CustomHost&) = delete;

  /// Copies for so many lanes of the game. Throws Error (refused) if it is not what is played
  /// there.
  virtual std::unique_ptr<CustomBatch> batch(const Game& game, std::size_t lanes) = 0;
  /// How many copies can be played side by side.
  virtual std::size_t copies() const = 0;
  /// Who plays.
  virtual HostReport report() const = 0;
};

}  // namespace zithercraft
