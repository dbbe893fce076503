#pragma once

// What is seen while players play: the evidence that the doctor's checks look through.

#include <cstdint>
#include <limits>
#include <memory>
#include <string>
#include <vector>

#include "zithercraft/game/episode.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
class WorkCount;
class WorkerPool;
}  // namespace zithercraft

namespace zithercraft::doctor_internal {

/// One column over all steps watched.
struct ColumnSurvey {
  double low = std::numeric_limits<double>::infinity(),
         high = -std::numeric_limits<double>::infinity();
  double sum = 0.0, squares = 0.0;
  std::uint64_t sequence = 0;  // columns of the same values have the same
  std::size_t at_low = 0, at_high = 0;

  bool constant() const { return low >= high; }
  double mean(std::size_t rows) const { return rows == 0 ? 0.0 : sum / static_cast<double>(rows); }
  double stddev(std::size_t rows) const;
};

/// One seat's episode.
struct EpisodeSurvey {
  EpisodeKey key;
  std::size_t seat = 0;
  EpisodeResult result;
  double top_speed = 0.0, farthest = 0.0;  // m/s; metres from where it began
  bool turned = false;                     // its heading changed
};

struct TermSurvey {
  double reward = 0.0, absolute = 0.0;  // sums over steps
  std::size_t times = 0;                // steps at which it was not 0
};

struct RoleSurvey {
  std::size_t rows = 0;  // steps of seats that were in the arena
  std::vector<ColumnSurvey> columns;
  std::vector<std::size_t> seen;  // per tag: steps at which some sense reported it
  std::vector<TermSurvey> terms;
  std::vector<EpisodeSurvey> episodes;  // that ended
  std::vector<std::size_t> forbidden;   // per column: steps at which a mask forbade its option
};

struct Survey {
  std::string player;
  std::vector<RoleSurvey> roles;
  std::int64_t steps = 0;   // over all seats
  std::size_t moments = 0;  // steps of lanes
  std::vector<std::size_t>
      outside;  // per body that moves: moments at which it was outside the arena's bounds
  std::vector<std::uint64_t> rules;  // how often each was carried out
  std::string failure;               // the error that ended the play, if one did
};

/// The space that everything of an arena lies in as it is laid out, with some room around it.
struct Bounds {
  float low_x = 0.0f, low_y = 0.0f, high_x = 0.0f, high_y = 0.0f;
  bool closed = false;  // something says where the arena ends
  bool holds(const Pose& pose) const {
    return pose.x >= low_x && pose.x <= high_x && pose.y >= low_y && pose.y <= high_y;
  }
};
Bounds bounds_of(const Game& game, const std::byte* arena_state);

/// Which columns say that a tag is sensed.
struct TagReport {
  std::size_t tag = 0, column = 0;
  bool below_one = false;  // a distance, that is less than 1 when it is there; else a flag
};
std::vector<TagReport> tag_reports(const Game& game, std::size_t role);
/// Tags that a role's senses can report in some way, also in ways that no column names; bit t: tag
/// t.
TagSet sensed_tags(const Game& game, std::size_t role);
/// Whether a role has senses that nobody but their author understands.
bool has_custom_senses(const Game& game, std::size_t role);

/// Plays episodes until `steps` steps were taken, and watches. `players`: one for each role. Adds
/// the steps that were asked for to `progress`, if there is one.
Survey watch(const Game& game, const std::string& name, const std::vector<const Player*>& players,
             std::int64_t steps, std::uint64_t seed, WorkerPool& pool,
             WorkCount* progress = nullptr);

/// Gives every seat its controls at rest.
std::unique_ptr<Player> idle_player();
/// Moves to and fro: for each episode some controls for some steps, then their opposites for as
/// many, and so on.
std::unique_ptr<Player> dithering_player(std::uint64_t seed);

}  // namespace zithercraft::doctor_internal
