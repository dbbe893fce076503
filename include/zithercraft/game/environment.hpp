#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "zithercraft/arena/event.hpp"
#include "zithercraft/base/aligned.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/game/game.hpp"
#include "zithercraft/game/outcome.hpp"
#include "zithercraft/game/overlay.hpp"

namespace zithercraft {

class WorkerPool;

/// What an environment can do beyond playing.
struct EnvironmentAbilities {
  bool deterministic = false;  ///< the same key and controls give the same episode, to the bit
  bool snapshots = false;      ///< lanes can be stored and restored
  bool events = false;         ///< it says what happens
  bool drawing = false;        ///< its moments can be drawn
  bool expert = false;         ///< an expert of the game's own can play every seat
};

/// The next episode of a lane.
struct LaneStart {
  std::size_t lane = 0;  ///< its number
  EpisodeKey key{};      ///< of the episode that begins
};

/// An error that ended the play of one lane.
class LaneError : public Error {
 public:
  /// An error that came up in a lane.
  LaneError(const Error& error, std::size_t lane) : Error(error), lane_(lane) {}
  /// Its number.
  std::size_t lane() const noexcept { return lane_; }

 private:
  std::size_t lane_;
};

/// Many copies of one game, played side by side: what every learner, player and recorder plays in,
/// whatever the game is made of.
///
/// Rows of observations, controls and rewards are ordered by lane, then by seat. Calls that name
/// lanes may run on several threads at once for different lanes, each thread with a worker number
/// of its own; they allocate nothing once their buffers have grown. What a lane shows is kept here
/// and is read without a virtual call.
class Environment {
 public:
  virtual ~Environment() = default;
  Environment(const Environment&) = delete;
  Environment& operator=(const Environment&) = delete;
  Environment(Environment&&) noexcept = default;
  Environment& operator=(Environment&&) noexcept = default;

  /// What all lanes play.
  const Game& game() const noexcept { return game_; }
  /// How many lanes.
  std::size_t count() const noexcept { return lanes_.size(); }
  /// Seats of a role in one lane.
  std::size_t seats(std::size_t role) const noexcept { return io_[role].seats; }
  /// Rows of a role: its seats in all lanes.
  std::size_t rows(std::size_t role) const noexcept { return count() * seats(role); }
  /// What this environment can do.
  virtual EnvironmentAbilities abilities() const noexcept = 0;

  // ---- stages of a curriculum
  /// Which stage the next episode of a lane plays; the game itself unless said otherwise.
  void assign_stage(std::size_t lane, std::size_t stage) { lanes_[lane].next_stage = stage; }
  /// The stage of its episode; see Game::stage.
  std::size_t stage(std::size_t lane) const noexcept { return lanes_[lane].stage; }
  /// Snapshots of a stage's play space that episodes begin from, for the given share of them.
  /// Throws Error (refused) if they are not of that stage, or the environment has no snapshots.
  virtual void set_starts(std::size_t stage, std::vector<std::vector<std::byte>> states,
                          double share) = 0;

  // ---- playing, some lanes at a time
  /// Begins episodes and senses. Throws LaneError (spec) if something cannot be placed.
  virtual void begin_lanes(std::span<const LaneStart> starts, std::size_t worker = 0) = 0;
  /// One step: applies the controls, pays and senses. The lanes must be running. Throws LaneError
  /// (numbers), naming term or column, if a value is not finite.
  virtual void step_lanes(std::span<const std::size_t> lanes, std::size_t worker = 0) = 0;

  /// The same for one lane.
  void begin(std::size_t lane, EpisodeKey key, std::size_t worker = 0);
  /// Steps one lane.
  void step(std::size_t lane, std::size_t worker = 0) { step_lanes({&lane, 1}, worker); }
  /// Begins episode `episode` of every lane under `seed`.
  void begin_all(WorkerPool& pool, std::uint64_t seed, std::uint32_t episode = 0);
  /// One step in every running lane.
  void step_all(WorkerPool& pool);
  /// Begins the next episode in every lane whose episode has ended.
  void renew_all(WorkerPool& pool);

  // ---- what goes in and out
  /// [rows][columns of the role]; the observations for the next step (or of the last moment of an
  /// ended episode).
  std::span<const float> observations(std::size_t role) const noexcept {
    return io_[role].observations.span();
  }
  /// A row's columns.
  std::span<const float> observation(std::size_t role, std::size_t row) const noexcept {
    return {io_[role].observations.data() + row * io_[role].columns, io_[role].columns};
  }
  /// [rows][controls of the role]; to be filled in before a step: values of dials, option numbers
  /// of choices.
  std::span<float> controls(std::size_t role) noexcept { return io_[role].controls.span(); }
  /// A row's controls, to be set before a step.
  std::span<float> control(std::size_t role, std::size_t row) noexcept {
    return {io_[role].controls.data() + row * io_[role].controls_each, io_[role].controls_each};
  }
  /// At the next step the game's own expert decides for a row; `given_controls` shows what it did.
  void let_expert_decide(std::size_t role, std::size_t row) noexcept {
    io_[role].by_expert[row] = 1;
  }
  /// What the game's own expert would do in a row's place now. Whether it is known; a game that is
  /// played elsewhere may tell it, and need not.
  virtual bool expert(std::size_t role, std::size_t row, std::span<float> controls) const;
  /// The controls as they were given last.
  std::span<const float> given_controls(std::size_t role) const noexcept {
    return io_[role].controls.span();
  }
  /// Whether an option of a choice is allowed at the next step.
  bool allowed(std::size_t role, std::size_t row, std::size_t control,
               std::size_t option) const noexcept {
    const auto& column = io_[role].masks[control][option];
    return !column || observation(role, row)[*column] > 0.5f;
  }
  /// Whether the seat takes part now.
  bool present(std::size_t role, std::size_t row) const noexcept {
    return io_[role].present[row] != 0;
  }
  /// [rows]; the sum over terms of the last step.
  std::span<const float> rewards(std::size_t role) const noexcept {
    return io_[role].rewards.span();
  }
  /// [rows][terms of the role]; reward of each term at the last step.
  std::span<const float> rewards_by_term(std::size_t role, std::size_t row) const noexcept {
    return {io_[role].by_term.data() + row * io_[role].terms, io_[role].terms};
  }
  /// Reward of each term so far in this episode. Their sum is the return.
  std::span<const double> ledger(std::size_t role, std::size_t row) const noexcept {
    return {io_[role].ledger.data() + row * io_[role].terms, io_[role].terms};
  }
  /// The sum of a row's rewards in its episode so far.
  double episode_return(std::size_t role, std::size_t row) const noexcept;

  /// Of its episode.
  Outcome outcome(std::size_t lane) const noexcept { return lanes_[lane].outcome; }
  /// What ended its episode.
  EndedBy ended_by(std::size_t lane) const noexcept { return lanes_[lane].ended_by; }
  /// Steps taken in this episode.
  std::uint32_t steps(std::size_t lane) const noexcept { return lanes_[lane].steps; }
  /// Whether a lane takes no controls now: its episode has not begun yet, or its last step has not
  /// been answered yet. Only games that are played elsewhere let lanes wait.
  bool idle(std::size_t lane) const noexcept { return lanes_[lane].idle; }
  /// Whether its episode was lost at the last step, with the process that played it. It will begin
  /// again, and what was played of it does not count.
  bool lost(std::size_t lane) const noexcept { return lanes_[lane].lost; }
  /// Of its episode.
  EpisodeKey key(std::size_t lane) const noexcept { return lanes_[lane].key; }
  /// What happened in the last step.
  std::span<const Event> events(std::size_t lane) const noexcept { return lanes_[lane].events; }
  /// Where a seat is, for comparing where episodes lead: metres; zeros if the game has no places.
  virtual std::array<float, 3> place(std::size_t role, std::size_t row) const;
  /// Adds what the game's own code draws of a lane's moment.
  virtual void draw(std::size_t lane, std::vector<Overlay>& drawing) const;

  // ---- snapshots
  /// Everything there is to know about a lane, behind what `out` holds. Throws Error (refused) if
  /// the environment has no snapshots.
  virtual void append_snapshot(std::size_t lane, std::vector<std::byte>& out) const;
  /// Puts a lane onto a stage and back to a snapshot, which the bytes begin with, and senses.
  /// Returns its size. Throws Error (refused) if it is not of this game.
  virtual std::size_t restore_snapshot(std::size_t lane, std::size_t stage,
                                       std::span<const std::byte> bytes, std::size_t worker = 0);
  /// What recordings keep of a lane's moment: the state of its play space; empty if it has none.
  virtual std::span<const std::byte> recorded(std::size_t lane) const;

 protected:
  /// Room for so many lanes of a game; no episode has begun.
  Environment(Game game, std::size_t lanes);
  /// So many threads will call the functions that name lanes at the same time.
  virtual void prepare(std::size_t workers) = 0;

  /// What a lane shows, for implementations to fill in.
  struct Lane {
    EpisodeKey key{};                       ///< of its episode
    Outcome outcome = Outcome::running;     ///< of its episode
    EndedBy ended_by = EndedBy::nothing;    ///< what ended its episode
    std::uint32_t steps = 0;                ///< since its episode began
    std::size_t stage = 0, next_stage = 0;  ///< of this episode, and of the next
    bool idle = false, lost = false;        ///< see `idle` and `lost`
    std::vector<Event> events{};            ///< of the last step
  };
  /// A role's numbers, row by row; rows are lanes by seats.
  struct RoleIo {
    std::size_t seats = 0, columns = 0, controls_each = 0, terms = 0;  ///< of one lane; of one row
    /// Row by row; the last by terms too.
    AlignedBuffer<float> observations{}, controls{}, rewards{}, by_term{};
    std::vector<double> ledger{};           ///< sums of each row's terms in its episode
    std::vector<std::uint8_t> present{};    ///< of each row: 1 while it plays
    std::vector<std::uint8_t> by_expert{};  ///< of each row: 1 if the game's expert decides next
    /// Of each control and option: the column that allows it.
    std::vector<std::vector<std::optional<std::size_t>>> masks{};
  };
  Game game_;                ///< what all lanes play
  std::vector<Lane> lanes_;  ///< by number
  std::vector<RoleIo> io_;   ///< of each role
};

/// How many copies of a game that is played elsewhere can be played side by side; nothing for
/// others, of which there are as many as are asked for.
std::optional<std::size_t> copies_of(const Game& game);
/// So many lanes, or as many as there are copies.
std::size_t lanes_within(const Game& game, std::size_t wanted);
/// A game's lanes: those of its arena. `workers`: how many threads will call the functions that
/// name lanes at the same time.
std::unique_ptr<Environment> make_environment(const Game& game, std::size_t lanes,
                                              std::size_t workers = 1);

}  // namespace zithercraft
