#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <span>
#include <string_view>
#include <vector>

#include "zithercraft/base/aligned.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft {

class WorkerPool;

/// How an episode stands: still running, ended by a verdict, or ended by a cutoff.
enum class Outcome : std::uint8_t { running, success, failure, cutoff };

std::string_view name_of(Outcome outcome) noexcept;

/// Which random numbers an episode is made of. The same key gives the same episode in any lane.
struct EpisodeKey {
  std::uint64_t seed = 0;
  std::uint32_t lane = 0, episode = 0;
};

/// Many copies of one game, stepped side by side.
///
/// Rows of observations, controls and rewards are ordered by lane, then by seat. Calls that name a lane may run on
/// several threads at once for different lanes, each thread with a worker number of its own; they allocate nothing once
/// their buffers have grown.
class Lanes {
 public:
  /// `workers`: how many threads will call the functions that name a lane at the same time.
  Lanes(Game game, std::size_t count, std::size_t workers = 1);

  const Game& game() const noexcept { return game_; }
  std::size_t count() const noexcept { return count_; }
  std::size_t seats(std::size_t role) const noexcept { return game_.roles()[role].seats.size(); }
  std::size_t rows(std::size_t role) const noexcept { return count_ * seats(role); }

  // ---- one lane at a time
  /// Begins an episode and senses. Throws Error (spec) if something cannot be placed.
  void begin(std::size_t lane, EpisodeKey key, std::size_t worker = 0);
  /// One decision: applies the controls, ticks, pays, and senses. The lane must be running.
  /// Throws Error (numbers), naming term or column, if a value is not finite.
  void advance(std::size_t lane, std::size_t worker = 0);
  /// The ticks of one decision alone, for those who look between decisions: applies the controls and calls `after_tick`
  /// after each tick. Nothing is paid or sensed, and the books stay as they are.
  void play_ticks(std::size_t lane, const std::function<void()>& after_tick, std::size_t worker = 0);

  // ---- all lanes
  /// Begins episode `episode` of every lane under `seed`.
  void begin_all(WorkerPool& pool, std::uint64_t seed, std::uint32_t episode = 0);
  /// One decision in every running lane.
  void advance_all(WorkerPool& pool);
  /// Begins the next episode in every lane whose episode has ended.
  void renew_all(WorkerPool& pool);

  // ---- what goes in and out
  /// [rows][columns of the role]; the observations for the next decision (or of the last moment of an ended episode).
  std::span<const float> observations(std::size_t role) const noexcept { return io_[role].observations.span(); }
  std::span<const float> observation(std::size_t role, std::size_t row) const noexcept;
  /// [rows][controls of the role]; to be filled in before advancing: values of dials, option numbers of choices.
  std::span<float> controls(std::size_t role) noexcept { return io_[role].controls.span(); }
  std::span<float> control(std::size_t role, std::size_t row) noexcept;
  /// The controls as they were given last.
  std::span<const float> given_controls(std::size_t role) const noexcept { return io_[role].controls.span(); }
  /// [rows]; the sum of the payments of the last decision.
  std::span<const float> rewards(std::size_t role) const noexcept { return io_[role].rewards.span(); }
  /// [rows][terms of the role]; what each term paid at the last decision.
  std::span<const float> payments(std::size_t role, std::size_t row) const noexcept;
  /// What each term has paid so far in this episode. Their sum is the return.
  std::span<const double> ledger(std::size_t role, std::size_t row) const noexcept;
  double episode_return(std::size_t role, std::size_t row) const noexcept;

  Outcome outcome(std::size_t lane) const noexcept;
  /// Decisions taken in this episode.
  std::uint32_t decisions(std::size_t lane) const noexcept;
  EpisodeKey key(std::size_t lane) const noexcept;
  /// What happened in the last decision.
  std::span<const Event> events(std::size_t lane) const noexcept { return events_[lane]; }

  // ---- snapshots
  /// Everything there is to know about a lane, as one block: arena state first, then the game's own books. A copy is a
  /// snapshot.
  std::span<const std::byte> state(std::size_t lane) const noexcept;
  /// The arena's part of it.
  std::byte* arena_state(std::size_t lane) noexcept;
  const std::byte* arena_state(std::size_t lane) const noexcept;
  /// Puts a lane back to a snapshot and senses. Throws Error (refused) if the size is not this game's.
  void restore(std::size_t lane, std::span<const std::byte> snapshot, std::size_t worker = 0);
  /// Begins an episode in the arena of a snapshot (of `state`, or of its arena's part alone): everything is where it
  /// was, the books are empty, and random events from here on follow the key. Throws Error (refused) if the size does
  /// not fit.
  void begin_from(std::size_t lane, EpisodeKey key, std::span<const std::byte> arena_snapshot, std::size_t worker = 0);

 private:
  friend class SeatView;
  struct RoleIo {
    AlignedBuffer<float> observations, controls, rewards, payments;
  };
  struct Worker {
    ArenaScratch scratch;
    std::vector<float> ray_x, ray_y, ray_z, ray_distance;
    std::vector<std::int32_t> ray_entity;
    std::vector<std::uint64_t> cells;
  };

  void make_room(std::size_t workers);
  void open_books(std::size_t lane, EpisodeKey key, std::size_t worker);
  bool nobody_left(std::size_t lane) const;
  void sense(std::size_t lane, std::size_t worker);
  void apply_controls(std::size_t lane);
  void pay(std::size_t lane);
  std::byte* block(std::size_t lane) noexcept { return states_.data() + lane * stride_; }
  const std::byte* block(std::size_t lane) const noexcept { return states_.data() + lane * stride_; }

  Game game_;
  std::size_t count_, stride_ = 0;
  AlignedBuffer<std::byte> states_;
  std::vector<RoleIo> io_;
  std::vector<std::vector<Event>> events_;
  std::vector<Worker> workers_;
};

}  // namespace zithercraft
