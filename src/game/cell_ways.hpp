#pragma once

#include <optional>

#include "zithercraft/arena/arena.hpp"

namespace zithercraft {

/// As `Arena::way`, with memory that every thread keeps from one question to the next.
inline std::optional<CellWay> way_over_cells(const Arena& arena, const std::byte* state, float x, float y,
                                             std::size_t thing) {
  thread_local WayMemory memory;
  return arena.way(state, x, y, thing, memory);
}

}  // namespace zithercraft
