#pragma once

// Statistics of columns, as processes send them to each other.

#include "base/packed_numbers.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft::learn_internal {
using namespace base_internal;

inline void put(PackedNumbers& told, const Normaliser::Moments& moments) {
  told.put(moments.count);
  told.put(static_cast<double>(moments.mean.size()));
  told.put(moments.mean);
  told.put(moments.deviation);
}

inline void get(PackedNumbers& told, Normaliser::Moments& moments) {
  moments.count = told.get();
  const auto columns = told.get_as<std::size_t>();
  moments.mean = told.get(columns);
  moments.deviation = told.get(columns);
}

}  // namespace zithercraft::learn_internal
