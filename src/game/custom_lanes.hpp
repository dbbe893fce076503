#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "game/plan.hpp"
#include "zithercraft/game/custom_batch.hpp"

namespace zithercraft::game_internal {

/// The copies of a custom game that lanes play, one for each, and what brings their episodes back.
class CustomLanes {
 public:
  CustomLanes(const Game& game, std::size_t lanes);

  /// Begins an episode, of a game as it is on its stage. Throws Error (refused) if the program does
  /// not have the game's code.
  void begin(std::size_t lane, const GamePlan& plan, EpisodeKey key);
  /// Those that are played together; null if each lane has its own.
  CustomBatch* batch() const noexcept { return batch_.get(); }
  /// Whether a lane of a batch waits for its episode to begin.
  bool between_episodes(std::size_t lane) const noexcept { return lanes_[lane].between; }
  void set_between_episodes(std::size_t lane, bool between) { lanes_[lane].between = between; }
  /// Whether any episode of a lane has begun.
  bool begun(std::size_t lane) const { return lanes_[lane].game != nullptr; }
  /// The copy that a lane plays. An episode must have begun.
  const CustomGame& game(std::size_t lane) const { return *lanes_[lane].game; }

  /// A role's part of the step that a lane plays next, to be filled in before.
  CustomStep::Part& part(std::size_t lane, std::size_t role) { return lanes_[lane].parts[role]; }
  std::span<const CustomStep::Part> parts(std::size_t lane) const { return lanes_[lane].parts; }
  /// What a step came to.
  struct Told {
    Verdict verdict = Verdict::none;
    bool cut_off = false;
  };
  /// Plays a step and adds what happened to the events.
  void step(std::size_t lane, const GamePlan& plan, std::uint32_t number,
            std::vector<Event>& events);
  Told told(std::size_t lane) const { return lanes_[lane].told; }

  /// Whether an episode can be brought back: by what the game saves, or by playing it again.
  bool returns(std::size_t lane) const { return deterministic_ || lanes_[lane].saves; }
  /// Whether what is stored is what the game saved, and not the controls that were given.
  bool saves(std::size_t lane) const { return lanes_[lane].saves; }
  /// Keeps the controls of a seat that are given at a step, if they are what brings the game back.
  void keep(std::size_t lane, std::span<const float> controls);
  /// What brings the episode back: what the game saves, or all controls since it began.
  void append(std::size_t lane, std::vector<std::byte>& out) const;
  void restore(std::size_t lane, std::span<const std::byte> saved) {
    lanes_[lane].game->restore(saved);
  }

 private:
  struct Lane {
    std::unique_ptr<CustomGame> own{};  // none of a batch
    CustomGame* game = nullptr;
    bool saves = false, between = false;
    std::vector<CustomStep::Part> parts{};
    std::vector<CustomStep::Happening> happened{};
    std::vector<float> kept{};  // controls of all steps
    Told told{};
  };
  bool deterministic_;
  std::vector<std::vector<std::uint8_t>> paid_;  // of each role and term: the game pays it
  std::vector<Lane> lanes_;
  std::unique_ptr<CustomBatch> batch_;
};

}  // namespace zithercraft::game_internal
