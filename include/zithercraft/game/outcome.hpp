#pragma once

#include <cstdint>
#include <string_view>

namespace zithercraft {

/// How an episode stands: still running, ended by a verdict, or ended by a cutoff. A lane's verdict
/// is that of the first role's side; for roles of another side success is failure, and the other
/// way round.
enum class Outcome : std::uint8_t { running, success, failure, cutoff };

/// The word for it.
std::string_view name_of(Outcome outcome) noexcept;

/// What ended an episode: a verdict, or which of the cutoffs; `game`: a custom game cut it off.
enum class EndedBy : std::uint8_t {
  nothing,
  verdict,
  time,
  too_far,
  stall,
  repeats,
  nobody_left,
  game
};

/// The words for it.
std::string_view name_of(EndedBy ended_by) noexcept;

/// Which random numbers an episode is made of. The same key gives the same episode in any lane.
struct EpisodeKey {
  std::uint64_t seed = 0;               ///< of a training or an evaluation
  std::uint32_t lane = 0, episode = 0;  ///< which lane; which of its episodes, from 0
};

}  // namespace zithercraft
