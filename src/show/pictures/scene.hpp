#pragma once

#include "base/json.hpp"
#include "zithercraft/game/lanes.hpp"

namespace zithercraft {
/// Entities are numbers in files and messages.
inline Json json_of(EntityId id) { return id.number(); }
}  // namespace zithercraft

/// What the viewer page gets of a game; docs/formats/page.md is the specification.
namespace zithercraft::show_internal {

/// Ticks that are shown of each step: all of them, or as many as this, evenly spread.
constexpr std::size_t most_ticks_shown = 32;
std::size_t ticks_shown(const Game& game);

/// All that stays the same from episode to episode.
Json scene_of(const Game& game, const std::vector<std::string>& players);

/// The forms of things in an episode, which differ in games that vary.
Json forms_of(const Arena& arena, const std::byte* state);

/// The entity each cell shows, row by row from below; each block, layer by layer.
std::vector<std::int32_t> cells_of(const Arena& arena, const std::byte* state);
std::vector<std::int32_t> blocks_of(const Arena& arena, const std::byte* state);
/// The tag that each entity bears, -1 for a wall that has opened; empty where neither changes.
std::vector<std::int32_t> tags_of(const Arena& arena, const std::byte* state);

}  // namespace zithercraft::show_internal
