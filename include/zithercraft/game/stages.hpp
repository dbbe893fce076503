#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/base/value.hpp"

/// Curricula: easier forms of a game that a training goes through first.
namespace zithercraft {

/// When a stage is left: as soon as one of what is given holds.
struct Advance {
  /// "success", "return", "length" or the name of a term of the first role: its mean over the last
  /// `over` episodes that were played on the stage must reach `at_least`. Empty: no metric is
  /// asked.
  std::string metric{};
  double at_least = 0.8;    ///< what the metric must reach
  std::int64_t over = 200;  ///< episodes, at least 1
  /// taken since the stage began, at least 1: no stage is stuck in for ever
  std::optional<std::int64_t> steps{};
  bool operator==(const Advance&) const = default;
};

/// Begins episodes in recorded moments instead of by placement.
struct RecordedStart {
  std::string replay{};      ///< a replay file of this game
  std::int64_t episode = 0;  ///< which episode of it
  std::int64_t from = 0;     ///< the first of its steps of which one is drawn
  std::int64_t to = 0;       ///< the last of them; 0 for the last but one of the episode
  double share = 1.0;        ///< of the episodes that begin so, 0 to 1
  bool operator==(const RecordedStart&) const = default;
};

/// One step of a curriculum: the game with some of its keys set to other values. The last step,
/// which need not be listed, is the game itself.
struct Stage {
  std::string name{};  ///< unique among the stages
  /// Key paths and their values: "arena.bodies.crab.wanderer.hostile" = false. Parts of lists are
  /// named by their names or by numbers ("roles.wader.rewards[0].weight"). Senses, controls and
  /// terms must stay the same in number and name.
  std::map<std::string, Value> set{};
  std::optional<RecordedStart> start{};  ///< begins within recorded matches; none for usual starts
  Advance advance{};                     ///< when the next stage comes
  double earlier = 0.0;                  ///< share of episodes played on earlier stages, 0 to 1
  bool operator==(const Stage&) const = default;
};

}  // namespace zithercraft
