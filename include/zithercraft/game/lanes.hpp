#pragma once

#include <cstddef>
#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "zithercraft/arena/view.hpp"
#include "zithercraft/base/aligned.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/game/rules.hpp"

namespace zithercraft {

namespace game_internal {
class CustomLanes;
struct RuleLane;
}  // namespace game_internal

/// Many copies of a game in an arena, or of a custom game, stepped side by side.
class Lanes final : public Environment {
 public:
  /// `workers`: how many threads will call the functions that name lanes at the same time.
  Lanes(Game game, std::size_t count, std::size_t workers = 1);
  ~Lanes() override;
  Lanes(Lanes&&) noexcept;

  /// All of them in an arena. Of a custom game: snapshots once an episode has begun.
  EnvironmentAbilities abilities() const noexcept override;
  /// The game as a lane plays it: of a curriculum, the stage that its episode is on.
  const Game& game_of(std::size_t lane) const noexcept { return stages_[stage(lane)]; }

  void set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                  double share) override;
  void begin_lanes(std::span<const LaneStart> starts, std::size_t worker = 0) override;
  void step_lanes(std::span<const std::size_t> lanes, std::size_t worker = 0) override;
  /// The ticks of one step alone, for those who look between steps: applies the controls and calls
  /// `after_tick` after each tick. There are no rewards and no observations, and the books stay as
  /// they are.
  void play_ticks(std::size_t lane, const std::function<void()>& after_tick,
                  std::size_t worker = 0);

  std::array<float, 3> place(std::size_t role, std::size_t row) const override;
  void draw(std::size_t lane, std::vector<Overlay>& drawing) const override;
  bool expert(std::size_t role, std::size_t row, std::span<float> controls) const override;

  // ---- snapshots
  /// Everything there is to know about a lane, as one block: arena state first, then the game's own
  /// books. A copy is a snapshot.
  std::span<const std::byte> state(std::size_t lane) const noexcept;
  /// The arena's part of it.
  std::byte* arena_state(std::size_t lane) noexcept;
  /// The arena's state in a lane.
  const std::byte* arena_state(std::size_t lane) const noexcept;
  /// How things stand in a lane's arena.
  ArenaView view(std::size_t lane) const noexcept {
    return {game_of(lane).arena(), arena_state(lane)};
  }
  /// How often each rule was carried out in the lane's episode so far; 0 for coded ones.
  std::uint64_t carried_out(std::size_t lane, std::size_t rule) const;
  /// Puts a lane back to a snapshot of the stage that it is on, and senses. Throws Error (refused)
  /// if the size is not this game's, and Error (usage) for a custom game, of which a block is not
  /// everything.
  void restore(std::size_t lane, std::span<const std::byte> snapshot, std::size_t worker = 0);
  /// Begins an episode in the arena of a snapshot (of `state`, or of its arena's part alone):
  /// everything is where it was, the books are empty, and random events from here on follow the
  /// key. Throws Error (refused) if the size does not fit, and Error (usage) for a custom game.
  void begin_from(std::size_t lane, EpisodeKey key, std::span<const std::byte> arena_snapshot,
                  std::size_t worker = 0);
  void append_snapshot(std::size_t lane, std::vector<std::byte>& out) const override;
  std::size_t restore_snapshot(std::size_t lane, std::size_t stage,
                               std::span<const std::byte> bytes, std::size_t worker = 0) override;
  std::span<const std::byte> recorded(std::size_t lane) const override;

 private:
  friend class SeatView;
  friend class RuleView;
  struct Worker;
  enum class RuleMoment { begin, tick };
  void carry_out_rules(std::size_t lane, RuleMoment when, const RuleView::Moment& moment);
  game_internal::RuleLane rule_lane(std::size_t lane, const RuleView::Moment& moment);
  std::span<const float> given(std::size_t role, std::size_t row);
  struct RoleScratch {
    AlignedBuffer<float> amounts, wishes;  // before weights; of inputs
  };
  struct Starts {
    std::vector<std::vector<std::byte>> states;
    double share = 0.0;
  };

  const game_internal::GamePlan& plan(std::size_t lane) const noexcept {
    return stages_[stage(lane)].plan();
  }
  void prepare(std::size_t workers) override;
  void set_stage(std::size_t lane, std::size_t stage);
  void begin_one(std::size_t lane, EpisodeKey key, std::size_t worker);
  void step_one(std::size_t lane, std::size_t worker);
  void finish_step(std::size_t lane, std::size_t worker);
  bool begin_recorded(std::size_t lane, EpisodeKey key) const;
  void open_books(std::size_t lane, EpisodeKey key, std::size_t worker);
  bool nobody_left(std::size_t lane) const;
  void show(std::size_t lane);
  void sense(std::size_t lane, std::size_t worker);
  void keep_senses(std::size_t lane);
  void read_controls(std::size_t lane, std::size_t worker);
  void play_tick(std::size_t lane, std::int64_t tick, std::size_t worker);
  void measure(std::size_t lane, Verdict& verdict);
  void share_and_pay(std::size_t lane);
  void pay(std::size_t lane);
  // ---- Of a custom game
  void begin_custom(std::size_t lane, EpisodeKey key);
  void fill_parts(std::size_t lane);
  void ask_experts(std::size_t lane);
  void step_custom(std::size_t lane);
  void begin_batch(std::span<const LaneStart> starts, std::size_t worker);
  void step_batch(std::span<const std::size_t> lanes, std::size_t worker);
  void take_up(std::size_t lane, std::size_t worker);
  void leave_idle(std::size_t lane);
  void show_presence(std::size_t lane);
  std::uint32_t ticks_so_far(std::size_t lane) const;
  void append_custom(std::size_t lane, std::vector<std::byte>& out) const;
  std::size_t restore_custom(std::size_t lane, std::span<const std::byte> bytes,
                             std::size_t worker);
  void play_again(std::size_t lane, std::uint32_t steps, std::span<const std::byte> controls,
                  std::size_t worker);
  void refuse_custom(const char* where) const;
  float shared_amount(std::size_t lane, std::size_t role, std::size_t seat, std::size_t term) const;
  std::byte* block(std::size_t lane) noexcept { return states_.data() + lane * stride_; }
  const std::byte* block(std::size_t lane) const noexcept {
    return states_.data() + lane * stride_;
  }

  std::vector<Game> stages_;  // the last is the game itself
  std::vector<Starts> starts_;
  std::size_t stride_ = 0;
  AlignedBuffer<std::byte> states_;
  std::vector<RoleScratch> scratch_;  // of each role
  std::vector<std::unique_ptr<Worker>> workers_;
  std::unique_ptr<game_internal::CustomLanes> custom_;  // none in an arena
};

/// The environment as lanes of an arena. Throws Error (usage) if the game is not played in one.
const Lanes& lanes_of(const Environment& environment);
/// The same for one that is changed.
Lanes& lanes_of(Environment& environment);

}  // namespace zithercraft
