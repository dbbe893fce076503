#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string_view>
#include <vector>

#include "zithercraft/base/aligned.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft {

class WorkerPool;

/// How an episode stands: still running, ended by a verdict, or ended by a cutoff. A lane's verdict
/// is that of the first role's side; for roles of another side success is failure, and the other
/// way round.
enum class Outcome : std::uint8_t { running, success, failure, cutoff };

std::string_view name_of(Outcome outcome) noexcept;

/// What ended an episode: a term's verdict, or which of the cutoffs.
enum class EndedBy : std::uint8_t { nothing, verdict, time, too_far, stall, repeats, nobody_left };

std::string_view name_of(EndedBy ended_by) noexcept;

/// Which random numbers an episode is made of. The same key gives the same episode in any lane.
struct EpisodeKey {
  std::uint64_t seed = 0;
  std::uint32_t lane = 0, episode = 0;
};

/// Many copies of one game, stepped side by side.
///
/// Rows of observations, controls and rewards are ordered by lane, then by seat. Calls that name a
/// lane may run on several threads at once for different lanes, each thread with a worker number of
/// its own; they allocate nothing once their buffers have grown.
class Lanes {
 public:
  /// `workers`: how many threads will call the functions that name a lane at the same time.
  Lanes(Game game, std::size_t count, std::size_t workers = 1);
  ~Lanes();
  Lanes(Lanes&&) noexcept;

  const Game& game() const noexcept { return game_; }
  /// The game as a lane plays it: of a curriculum, the stage that its episode is on.
  const Game& game_of(std::size_t lane) const noexcept { return stages_[lane_stage_[lane]]; }
  std::size_t count() const noexcept { return count_; }
  std::size_t seats(std::size_t role) const noexcept { return game_.roles()[role].seats.size(); }
  std::size_t rows(std::size_t role) const noexcept { return count_ * seats(role); }

  // ---- stages of a curriculum
  /// Which stage the next episode of a lane plays; the game itself unless said otherwise.
  void assign_stage(std::size_t lane, std::size_t stage) { next_stage_[lane] = stage; }
  std::size_t stage(std::size_t lane) const noexcept { return lane_stage_[lane]; }
  /// Puts a lane that is about to be restored onto the stage that its snapshot is of.
  void set_stage(std::size_t lane, std::size_t stage);
  /// States of the stage's arena that episodes begin from, for the given share of them. Throws
  /// Error (refused) if they are not of that arena.
  void set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                  double share);

  // ---- one lane at a time
  /// Begins an episode and senses. Throws Error (spec) if something cannot be placed.
  void begin(std::size_t lane, EpisodeKey key, std::size_t worker = 0);
  /// One step: applies the controls, ticks, pays, and senses. The lane must be running.
  /// Throws Error (numbers), naming term or column, if a value is not finite.
  void advance(std::size_t lane, std::size_t worker = 0);
  /// The ticks of one step alone, for those who look between steps: applies the controls and calls
  /// `after_tick` after each tick. There are no rewards and no observations, and the books stay as
  /// they are.
  void play_ticks(std::size_t lane, const std::function<void()>& after_tick,
                  std::size_t worker = 0);

  // ---- all lanes
  /// Begins episode `episode` of every lane under `seed`.
  void begin_all(WorkerPool& pool, std::uint64_t seed, std::uint32_t episode = 0);
  /// One step in every running lane.
  void advance_all(WorkerPool& pool);
  /// Begins the next episode in every lane whose episode has ended.
  void renew_all(WorkerPool& pool);

  // ---- what goes in and out
  /// [rows][columns of the role]; the observations for the next step (or of the last moment of an
  /// ended episode).
  std::span<const float> observations(std::size_t role) const noexcept {
    return io_[role].observations.span();
  }
  std::span<const float> observation(std::size_t role, std::size_t row) const noexcept;
  /// [rows][controls of the role]; to be filled in before advancing: values of dials, option
  /// numbers of choices.
  std::span<float> controls(std::size_t role) noexcept { return io_[role].controls.span(); }
  std::span<float> control(std::size_t role, std::size_t row) noexcept;
  /// Whether an option of a choice is allowed at the next step.
  bool allowed(std::size_t role, std::size_t row, std::size_t control,
               std::size_t option) const noexcept;
  /// The controls as they were given last.
  std::span<const float> given_controls(std::size_t role) const noexcept {
    return io_[role].controls.span();
  }
  /// [rows]; the sum over terms of the last step.
  std::span<const float> rewards(std::size_t role) const noexcept {
    return io_[role].rewards.span();
  }
  /// [rows][terms of the role]; reward of each term at the last step.
  std::span<const float> rewards_by_term(std::size_t role, std::size_t row) const noexcept;
  /// Reward of each term so far in this episode. Their sum is the return.
  std::span<const double> ledger(std::size_t role, std::size_t row) const noexcept;
  double episode_return(std::size_t role, std::size_t row) const noexcept;

  Outcome outcome(std::size_t lane) const noexcept;
  EndedBy ended_by(std::size_t lane) const noexcept;
  /// Steps taken in this episode.
  std::uint32_t steps(std::size_t lane) const noexcept;
  EpisodeKey key(std::size_t lane) const noexcept;
  /// What happened in the last step.
  std::span<const Event> events(std::size_t lane) const noexcept { return events_[lane]; }

  // ---- snapshots
  /// Everything there is to know about a lane, as one block: arena state first, then the game's own
  /// books. A copy is a snapshot.
  std::span<const std::byte> state(std::size_t lane) const noexcept;
  /// The arena's part of it.
  std::byte* arena_state(std::size_t lane) noexcept;
  const std::byte* arena_state(std::size_t lane) const noexcept;
  /// Puts a lane back to a snapshot and senses. Throws Error (refused) if the size is not this
  /// game's.
  void restore(std::size_t lane, std::span<const std::byte> snapshot, std::size_t worker = 0);
  /// Begins an episode in the arena of a snapshot (of `state`, or of its arena's part alone):
  /// everything is where it was, the books are empty, and random events from here on follow the
  /// key. Throws Error (refused) if the size does not fit.
  void begin_from(std::size_t lane, EpisodeKey key, std::span<const std::byte> arena_snapshot,
                  std::size_t worker = 0);

 private:
  friend class SeatView;
  friend class RuleView;
  struct Worker;
  enum class RuleMoment { begin, tick };
  void carry_out_rules(std::size_t lane, RuleMoment moment);
  void end(std::size_t lane, Verdict verdict);
  std::span<const float> given(std::size_t role, std::size_t row);
  struct RoleIo {
    AlignedBuffer<float> observations, controls, rewards, by_term;
    AlignedBuffer<float> amounts, wishes;  // before weights; of inputs
  };
  struct Starts {
    std::vector<std::vector<std::byte>> states;
    double share = 0.0;
  };

  const GamePlan& plan(std::size_t lane) const noexcept {
    return stages_[lane_stage_[lane]].plan();
  }
  void make_room(std::size_t workers);
  bool begin_recorded(std::size_t lane, EpisodeKey key) const;
  void open_books(std::size_t lane, EpisodeKey key, std::size_t worker);
  bool nobody_left(std::size_t lane) const;
  void sense(std::size_t lane, std::size_t worker);
  void keep_senses(std::size_t lane);
  void read_controls(std::size_t lane);
  void play_tick(std::size_t lane, std::int64_t tick, std::size_t worker);
  void measure(std::size_t lane, Verdict& verdict);
  void share_and_pay(std::size_t lane);
  void pay(std::size_t lane);
  float shared_amount(std::size_t lane, std::size_t role, std::size_t seat, std::size_t term) const;
  std::byte* block(std::size_t lane) noexcept { return states_.data() + lane * stride_; }
  const std::byte* block(std::size_t lane) const noexcept {
    return states_.data() + lane * stride_;
  }

  Game game_;
  std::vector<Game> stages_;  // the last is the game itself
  std::vector<Starts> starts_;
  std::vector<std::size_t> lane_stage_, next_stage_;
  std::size_t count_, stride_ = 0;
  AlignedBuffer<std::byte> states_;
  std::vector<RoleIo> io_;
  std::vector<std::vector<Event>> events_;
  std::vector<std::unique_ptr<Worker>> workers_;
};

}  // namespace zithercraft
