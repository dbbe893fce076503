#pragma once

#include <optional>

#include "zithercraft/arena/arena.hpp"

namespace zithercraft::game_internal {

/// As `Arena::path_to`, with memory that every thread keeps from one question to the next.
inline std::optional<CellPath> path_over_cells(const Arena& arena, const std::byte* state, float x,
                                               float y, EntityId thing) {
  thread_local PathMemory memory;
  return arena.path_to(state, x, y, thing, memory);
}

}  // namespace zithercraft::game_internal
