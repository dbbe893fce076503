#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/base/work_count.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {

/// How much a finding matters.
enum class Severity : std::uint8_t {
  note,     ///< worth knowing
  warning,  ///< learning will probably suffer
  error     ///< what is asked for can hardly be learned
};

/// The word for it.
std::string_view name_of(Severity severity) noexcept;

/// Something that the doctor found.
struct Finding {
  Severity severity = Severity::note;  ///< how bad it is
  std::string check{};                 ///< which check found it: "unseen tag", "dead control", ...
  std::string where{};                 ///< what it is about: "role 'skiff', control 'rudder'"
  std::string what{};                  ///< the finding in one sentence
  std::string evidence{};              ///< what was measured
  std::string fix{};                   ///< how to fix it
  /// steps of the training after which it began; -1 if that has no meaning
  std::int64_t began = -1;
  bool operator==(const Finding&) const = default;
};

/// An episode that stands out.
struct StrangeEpisode {
  std::string player{};                 ///< who played it
  std::uint64_t seed = 0;               ///< of the episode
  std::uint32_t lane = 0, episode = 0;  ///< with the seed its key
  std::string why{};                    ///< "return 41.2, others 3.1 (middle half 2.8 to 3.4)"
  std::string replay{};                 ///< the file it was written to; empty if none was asked for
};

/// How often a role's senses reported a tag.
struct TagSeen {
  std::string role{}, tag{};  ///< whose senses; which tag
  double share = 0.0;         ///< of the steps of seats that were in the arena, over all players
};

/// What was found in a game, and in a run of it.
struct Diagnosis {
  std::string game{}, run{};              ///< its name; the run's folder, empty without one
  std::int64_t steps = 0;                 ///< watched in all, over all players and seats
  std::vector<std::string> players{};     ///< who played
  std::vector<Finding> findings{};        ///< the worst first
  std::vector<TagSeen> seen{};            ///< every tag that columns can report, role by role
  std::vector<StrangeEpisode> strange{};  ///< the strangest first

  /// That of the first finding; `note` without any.
  Severity worst() const { return findings.empty() ? Severity::note : findings.front().severity; }
  /// All of it as JSON.
  std::string to_json() const;
};

/// How long to look, and at what.
struct DoctorOptions {
  std::int64_t steps = 20'000;  ///< to watch of each player, at least 1000
  std::uint64_t seed = 0;       ///< of the episodes
  std::size_t threads = 0;      ///< 0 for one per processor; has no influence on the result
  OnProgress on_progress{};     ///< in steps
  /// a folder to write strange episodes into; empty: none are written
  std::filesystem::path strange_replays{};
  /// steps to train a best response to a run's policies on each of two opposed sides, to find out
  /// how far others can exploit them; 0: none is trained
  std::int64_t best_response = 0;
  /// the method that is meant to train the game: it is said whether it can; empty: none
  std::string method{};
};

/// Plays the game at random, idly, to and fro and by its scripts, and says what would keep an agent
/// from learning it. Throws Error (usage) if fewer than 1000 steps are asked for.
Diagnosis examine(const Game& game, const DoctorOptions& options = {});

/// The same for the run's game, with its trained policy as a further player and its metrics looked
/// through.
Diagnosis examine(const Run& run, const DoctorOptions& options = {});

}  // namespace zithercraft
