#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "arena/plan.hpp"

namespace zithercraft {
class RandomStream;
}

namespace zithercraft::arena_internal {

/// Memory for making maps, so that beginning an episode allocates nothing once it has grown.
struct GeneratorMemory {
  std::vector<std::uint32_t> stack;
  std::vector<std::uint8_t> marks;
  std::vector<float> heights, ranked;
};

/// The number of a kind: its place in the list, counted from 1. Throws Error (spec) with advice if
/// there is none.
std::uint8_t kind_number(const CellsSpec& spec, const std::string& name, const std::string& where);

/// Throws Error (spec) if a generator names an unknown kind or does not fit the map.
void check_generators(const CellsSpec& spec, std::int64_t columns, std::int64_t rows,
                      const std::string& where);

/// Fills the map: what is drawn, then each generator in turn. All of them end after a number of
/// steps that depends on the map's size alone.
void generate_cells(const ArenaPlan& plan, std::uint8_t* cells, RandomStream& random,
                    GeneratorMemory& memory);

/// Whether all things that must be able to reach each other can, over cells that are neither solid
/// nor avoided. Returns the entity that cannot be reached from the first, or `nowhere`.
std::size_t unreachable(const ArenaPlan& plan, const StateArrays& state, GeneratorMemory& memory);

}  // namespace zithercraft::arena_internal
