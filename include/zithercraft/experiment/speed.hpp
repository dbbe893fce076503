#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "zithercraft/game/spec.hpp"
#include "zithercraft/learn/learner_settings.hpp"

namespace zithercraft {

/// How a game's speed is measured.
struct SpeedOptions {
  /// A method and what is set of it; the rest follows from the game and `steps`.
  LearnerSettings learner{};
  std::int64_t steps = 10'000'000;  ///< length of the training that settings follow from
  std::size_t threads = 0;          ///< that train, 0 for one per processor
  double seconds = 1.0;             ///< of each measurement, above 0
  /// Called with what is measured next.
  std::function<void(const std::string&)> on_next{};
};

/// How fast a training goes with so many lanes and threads.
struct SpeedPoint {
  std::int64_t lanes = 0;
  std::size_t threads = 0;
  double steps_per_second = 0.0;  ///< learned, over all seats
};

/// What one part of a game or of its learner costs.
struct SpeedPart {
  std::string name{};         ///< "sense.rays", "term.bump", "arena", "network.deciding"
  double microseconds = 0.0;  ///< thread time for a step of a seat
  /// What was tried in its place, "half as many rays"; empty if nothing was.
  std::string cheaper{};
  double cheaper_microseconds = 0.0;  ///< what the same part takes then
};

/// How fast a game is played and learned, and where the time goes. All numbers are measured, so
/// they differ a little from call to call.
struct SpeedTable {
  std::string game{}, method{};
  SpeedPoint usual{};              ///< as a training of that length would go
  double play_microseconds = 0.0;  ///< thread time for a step of a seat, by random controls
  std::size_t lane_bytes = 0;      ///< a lane's state and what it shows
  std::size_t training_bytes = 0;  ///< that the process takes for a learner that has learned
  std::vector<SpeedPoint> scaling{};  ///< with fewer lanes, with fewer threads
  /// The most costly first. Of the three first also what a cheaper form would bring.
  std::vector<SpeedPart> parts{};

  /// All of it as JSON.
  std::string to_json() const;
};

/// What playing alone takes, by random controls on one thread, and what each sense and each term of
/// the first role adds to it; no `usual` point, no scaling, no network. Nothing for a custom game.
SpeedTable measure_play(const GameSpec& game, double seconds = 1.0);

/// Trains and plays for some seconds, and leaves out one part after the other. Throws Error as a
/// training of the game by these settings does.
SpeedTable measure_speed(const GameSpec& game, const SpeedOptions& options = {});

}  // namespace zithercraft
