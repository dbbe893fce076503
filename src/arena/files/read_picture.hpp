#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

namespace zithercraft::arena_internal {

/// A grey picture: shares of white, rows from the top.
struct GreyPicture {
  std::size_t width = 0, height = 0;
  std::vector<double> values{};  ///< 0 to 1
};

/// Reads a grey PNG of 8 or 16 bits without transparency, at most 2048 pixels along a side. Throws
/// Error (file) naming `where` if the bytes are none.
GreyPicture read_grey_png(const std::string& bytes, const std::string& where);

}  // namespace zithercraft::arena_internal
