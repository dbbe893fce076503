#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "base/json.hpp"
#include "zithercraft/record/replay.hpp"

/// Moments as the viewer page reads them; docs/formats/page.md is the specification.
namespace zithercraft::show_internal {

/// Moments that follow each other in an episode, put together as one message.
class FrameChunk {
 public:
  explicit FrameChunk(const Game& game) : game_(game) {}

  /// `ticks`: the arena's states after each tick of the step, or the one at the start of the
  /// episode.
  void add(const Moment& moment, std::span<const std::vector<std::byte>> ticks);
  std::size_t moments() const { return moments_; }
  /// The message of the moments added so far; the chunk is then empty. `about` is sent along.
  std::string take(Json about = Json::object());

 private:
  struct Map {
    std::vector<std::int32_t> now{};
    Json start = Json::array(), changes = Json::array();
    void add(std::vector<std::int32_t> next, std::uint32_t step);
  };

  Game game_;
  std::size_t moments_ = 0;
  std::uint32_t first_ = 0;
  Json outcomes_ = Json::array(), events_ = Json::array(), overlays_ = Json::array();
  Map cells_{}, blocks_{}, tags_{};
  std::vector<float> numbers_{};
};

/// How many moments make a message that is neither long nor many.
std::size_t moments_per_message(const Game& game);

/// The poses of everything in some states, as in a chunk. What stands in for the seats of a custom
/// game is nowhere.
void append_poses(std::vector<float>& numbers, const Game& game, const std::byte* state);
/// JSON, then numbers, as one message.
std::string message_of(const Json& about, std::span<const float> numbers);

/// A moment as the lanes show it now.
Moment moment_of(const Environment& environment, std::size_t lane, Estimates estimates = {});

}  // namespace zithercraft::show_internal
