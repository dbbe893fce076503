#pragma once

#include <cstddef>
#include <string>
#include <vector>

namespace zithercraft::arena_internal {

/// An array as NumPy's .npy files hold it, versions 1 to 3: numbers in row-major order.
struct NpyArray {
  std::vector<std::size_t> shape{};
  std::vector<double> values{};
};

/// Throws Error (file) naming `where` if the bytes are no such file, or the array has more than 4
/// million numbers. Numbers of all whole and floating types are read.
NpyArray read_npy(const std::string& bytes, const std::string& where);

}  // namespace zithercraft::arena_internal
