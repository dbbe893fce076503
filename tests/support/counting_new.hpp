#pragma once

#include <cstddef>

namespace zithercraft::test {

/// How many times memory was taken since the program began, by any thread.
std::size_t allocations();

}  // namespace zithercraft::test
