#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/match/player.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/show/drive.hpp"

namespace zithercraft::show_internal {

/// A match with one seat steered by a person, step by step.
class DrivenMatch {
 public:
  /// Throws Error (usage) if there is no such seat, or as runs, players and writers do.
  DrivenMatch(const Game& game, const DriveOptions& options);

  Steering& steering() { return steering_; }
  const Lanes& lanes() const { return lanes_; }
  std::size_t role() const { return role_; }
  std::size_t seat() const { return seat_; }
  const std::vector<std::string>& players() const { return info_.players; }
  bool over() const { return lanes_.outcome(0) != Outcome::running; }

  /// Begins the next episode.
  void begin();
  /// Poses at the start of the step under way and after each of its ticks, if the person keeps what
  /// is held now.
  std::vector<float> preview();
  /// Takes the step with what is held now.
  void decide();
  /// The moment that was reached last, with the policy's estimates if there is one.
  Moment moment() const;
  DrivenEpisode result() const;
  /// Completes the replay.
  void finish();

 private:
  void choose_players(const DriveOptions& options);
  void after_moment();

  Game game_;
  std::size_t role_ = 0, seat_ = 0;
  Lanes lanes_, ahead_;  // as it is; as it will be
  Steering steering_;
  std::vector<std::unique_ptr<Player>> players_;
  std::optional<Policy> adviser_;  // of role 0
  std::vector<float> advised_;     // what it remembers for each seat
  ReplayInfo info_;
  std::unique_ptr<ReplayWriter> writer_;
  std::vector<float> values_, probabilities_;
  std::uint64_t seed_;
  std::uint32_t episode_ = 0;
  bool driven_ = false;  // a step was taken: there is something to record
};

}  // namespace zithercraft::show_internal
