#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/base/work_count.hpp"
#include "zithercraft/evaluate/statistics.hpp"
#include "zithercraft/run/player_source.hpp"

/// How seats behave: where they are, how fast they move, what they do to each other. Compares
/// players, the checkpoints of one training, or how other players react to the player of one seat:
/// a person or a policy.
namespace zithercraft {

/// A way of living: an event, named as measures name it ("mob tern"), and what one of it brings.
/// Each seat lives, for an episode, by the event that brought it the most in all.
struct WayOfLiving {
  std::string event{};
  double worth = 1.0;  ///< above 0, in a unit that all ways share, like food
};

/// What to watch, and how long.
struct BehaviourOptions {
  /// Whose seat the players take in turn while all others are watched: a role's name for its first
  /// seat, or "role:2" for its second. Empty: a player plays every role that it can, and is watched
  /// itself.
  std::string seat{};
  std::string as{};      ///< instead: the one role that players play and are watched in
  std::string others{};  ///< who plays all other roles where `seat` or `as` is given; empty: the
                         ///< default players
  std::int64_t episodes = 200;  ///< at least 1; if a player is a recording, those that it holds
  std::uint64_t seed = 0;       ///< of the episodes, the same for all
  ActionMode actions = ActionMode::usual;  ///< of trained policies
  double square = 4.0;  ///< metres along the squares that places are counted in, above 0
  /// The share of seats that live by each is measured as well; empty for none.
  std::vector<WayOfLiving> ways{};
  /// Metres along squares, above 0: shares are also measured among the seats that spent more of
  /// their time in this square than in any other; none without.
  std::optional<double> region{};
  std::size_t threads = 0;   ///< 0 for one per processor; has no influence on the result
  OnProgress on_progress{};  ///< in episodes
};

/// What was measured of one player's episodes. Measures are named like "tug: speed, m/s" or "tug:
/// hit rival": those of one role, in the mean over its seats and over those that mirror it. Events
/// are counted per seat and episode.
struct BehaviourRow {
  std::string player{};            ///< who was watched
  std::vector<Interval> values{};  ///< of each measure
  std::vector<double> stddevs{};   ///< of each over the episodes: standard deviations
  std::vector<Interval>
      differences{};       ///< minus the first player's, episode by episode; empty for the first
  double elsewhere = 0.0;  ///< share of time spent elsewhere than with the first player, 0 to 1
  double elsewhere_by_chance = 0.0;  ///< its 95% limit if the player made no difference
};

/// How players behave.
struct BehaviourTable {
  std::string game{};                   ///< its name
  BehaviourOptions options{};           ///< as they were given
  std::int64_t episodes = 0;            ///< played by each
  std::vector<std::string> measures{};  ///< names of what was measured
  std::size_t first_event = 0;          ///< measures from here on count events
  std::vector<BehaviourRow> rows{};     ///< a row for each player
  /// Recorded episodes in which the others did not do what they had done when it was recorded.
  std::int64_t replayed_differently = 0;
  std::vector<std::string> never_done{};  ///< ways of living that nobody tried, by their events

  /// All of it as JSON.
  std::string to_json() const;
};

/// Throws Error (usage, refused) if there is nobody to watch, no such seat, or a player cannot
/// play.
BehaviourTable measure_behaviour(const GameSpec& game, const std::vector<PlayerSource>& players,
                                 const BehaviourOptions& options = {});

/// What became of a measure from checkpoint to checkpoint: "steady", "rises", "falls", "rises, then
/// falls", or "turns 3 times". Only steps between intervals that do not overlap count.
std::string course_of(const std::vector<Interval>& values);

}  // namespace zithercraft
