#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/base/signature.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/game/overlay.hpp"

namespace zithercraft {

/// What a replay says about itself. The file format is specified in docs/formats/replay.md.
struct ReplayInfo {
  std::string game{};                  ///< the game's name
  std::string game_toml{};             ///< the whole game
  std::vector<std::string> players{};  ///< who decided, one per role
  std::uint64_t seed = 0;              ///< the seed the user gave
  std::string made_with{};             ///< version of the library
};

/// One role's part of a moment; rows are seats.
struct RoleMoment {
  std::vector<float> observations{};  ///< [seats][columns], after the step
  std::vector<float> controls{};  ///< [seats][controls], that led here; zeros at an episode's start
  std::vector<float> rewards{};   ///< [seats][terms], rewards of the step; zeros at the start
  /// [seats], expected return from here on; zeros if nobody estimates it
  std::vector<float> values{};
  std::vector<float> probabilities{};  ///< [seats][probability_count(controls)], probabilities of
                                       ///< the next action; zeros if none are given
  bool operator==(const RoleMoment&) const = default;
};

/// An arena right after a step (or at the start of an episode).
struct Moment {
  std::uint32_t step = 0;              ///< since the episode began
  Outcome outcome = Outcome::running;  ///< of the episode so far
  std::vector<std::byte> state{};      ///< the arena's state block
  std::vector<RoleMoment> roles{};     ///< in their order
  std::vector<Event> events{};         ///< since the last moment
  std::vector<Overlay> overlays{};     ///< drawn by the game's own code
};

/// What is recorded beside what the environment knows: one number or row per role and seat, one
/// after the other. Empty where nobody estimates.
struct Estimates {
  std::span<const float> values{};         ///< of what is sensed now
  std::span<const float> probabilities{};  ///< see RoleMoment
};

/// The keys of the episode that begins with this moment.
EpisodeKey episode_key(const Moment& start);

/// Writes a replay as it is played. Until `finish`, the file is named "<path>.part" and can be read
/// up to its last chunk should the program die.
class ReplayWriter {
 public:
  /// Throws Error (file) if the file cannot be created.
  ReplayWriter(const std::filesystem::path& path, const Game& game, const ReplayInfo& info);
  ~ReplayWriter();
  ReplayWriter(const ReplayWriter&) = delete;
  ReplayWriter& operator=(const ReplayWriter&) = delete;

  /// Adds what a lane shows now: at its episode's start, then after each step. Compression and
  /// writing happen on a thread of the writer's own. Throws Error (file) if something added earlier
  /// could not be written, and Error (usage) if estimates are not those of all seats.
  void add(const Environment& environment, std::size_t lane, Estimates estimates = {});
  /// Draws this over the moment that is added next.
  void draw(const Overlay& overlay);
  /// Writes the index and gives the file its name. Throws Error (file) if anything could not be
  /// written.
  void finish();
  /// Ends without a replay: the unfinished file is deleted, and what was there before stays.
  void discard();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Reads a replay.
class Replay {
 public:
  /// A recorded episode.
  struct Episode {
    std::uint32_t moments = 0;           ///< steps + 1
    Outcome outcome = Outcome::running;  ///< how it ended
  };

  /// Throws Error (file) if the file is missing, not a replay, or damaged in its header.
  explicit Replay(const std::filesystem::path& path);
  ~Replay();
  Replay(Replay&&) noexcept;

  /// What was recorded.
  const ReplayInfo& info() const noexcept;
  /// Custom parts of the game give no rewards here; their rewards are in the moments.
  const Game& game() const noexcept;
  /// All of them.
  const std::vector<Episode>& episodes() const noexcept;
  /// False if the file's end is missing: the moments after the last whole chunk are lost.
  bool whole() const noexcept;
  /// Of the file.
  std::uint64_t bytes() const noexcept;

  /// Throws Error (file), naming the chunk, if it is damaged, and Error (usage) if there is no such
  /// moment.
  const Moment& moment(std::size_t episode, std::uint32_t step);
  /// The arena's state after each tick of a step, played again from the moment before it; the last
  /// is the moment's own. Of step 0 there is only the start, and of a custom game only the moment.
  /// Throws as `moment` does.
  const std::vector<std::vector<std::byte>>& ticks(std::size_t episode, std::uint32_t step);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// What `check_replay` found.
struct ReplayCheck {
  std::size_t episodes = 0;      ///< that were played again
  std::uint64_t steps = 0;       ///< of all of them
  bool whole = true;             ///< see Replay::whole
  bool rewards_compared = true;  ///< false if something is custom and could not be re-played
  std::string difference{};      ///< the first difference in plain words; empty if there is none
  /// Whether everything was equal, and the file whole.
  bool passed() const { return whole && difference.empty(); }
};

/// Plays the recorded controls again and compares states, observations, rewards and events bit for
/// bit.
ReplayCheck check_replay(const std::filesystem::path& path);

}  // namespace zithercraft
