#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/game/lanes.hpp"
#include "zithercraft/match/steering.hpp"
#include "zithercraft/show/serve.hpp"

/// A person plays.
namespace zithercraft {

/// What is driven, and where the page is.
struct DriveOptions {
  std::string seat{};  ///< a role's name for its first seat, or "role:2" for its second; empty: the
                       ///< first of all
  /// a run whose newest policy decides for the other seats of its role, and advises
  std::filesystem::path with{};
  std::filesystem::path out{};  ///< the replay that is recorded; empty: none
  std::uint64_t seed = 0;       ///< of the episodes
};

/// An episode that was driven, from the person's seat.
struct DrivenEpisode {
  Outcome outcome = Outcome::running;                    ///< running if it was left before its end
  std::uint32_t steps = 0;                               ///< that it took
  double episode_return = 0.0;                           ///< of the seat
  std::vector<std::pair<std::string, double>> ledger{};  ///< reward of each term
};

/// Serves the page and lets the person in front of it steer, episode after episode, until stopped
/// or finished there. Seats that nobody steers are decided for by the run's policy, the role's
/// script, or at random, whatever there is first. `on_episode` is called at the end of each. Throws
/// Error.
///
/// The person's controls of a step are taken at its end: until then the page shows where they lead,
/// so that a key shows at once although controls change between steps only, as in any replay.
std::vector<DrivenEpisode> drive(const Game& game, const DriveOptions& options,
                                 const ServeOptions& serving,
                                 const std::function<void(const DrivenEpisode&)>& on_episode = {});

/// The same without a page: one episode, steered by a script of keys.
DrivenEpisode drive_by_keys(const Game& game, const DriveOptions& options, KeyScript keys);

}  // namespace zithercraft
