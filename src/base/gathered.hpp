#pragma once

#include <algorithm>
#include <span>
#include <vector>

#include "zithercraft/base/process_group.hpp"

namespace zithercraft::base_internal {

/// What all processes have, one after the other; `own` where one is alone.
template <class T>
std::vector<T> gathered(ProcessGroup* processes, std::span<const T> own) {
  if (processes == nullptr) return {own.begin(), own.end()};
  const auto bytes = processes->gather(std::as_bytes(own));
  std::vector<T> all(bytes.size() / sizeof(T));
  std::copy(bytes.begin(), bytes.end(), std::as_writable_bytes(std::span(all)).begin());
  return all;
}

}  // namespace zithercraft::base_internal
