#pragma once

#include <cstdint>

namespace zithercraft {

/// Whose senses a network is shown. Only networks that judge in training may see more than their
/// own seat's.
enum class Sight : std::uint8_t {
  own,
  side,     ///< and those of the seats on the same side, or of the same role if it has none
  everyone  ///< and those of all other seats in the lane
};

}  // namespace zithercraft
