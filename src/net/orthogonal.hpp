#pragma once

#include <cstddef>
#include <vector>

#include "zithercraft/base/random.hpp"

namespace zithercraft::net_internal {

/// A random matrix [rows][columns] whose rows or columns, whichever are fewer, are orthonormal
/// (Saxe, McClelland, Ganguli: "Exact solutions to the nonlinear dynamics of learning in deep
/// linear neural networks", 2014).
std::vector<double> orthogonal(std::size_t rows, std::size_t columns, RandomStream& random);

}  // namespace zithercraft::net_internal
