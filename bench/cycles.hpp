#pragma once

#include <cstdint>

/// Ticks of the processor's own clock; 0 where there is none to read.
inline std::uint64_t cycles() {
#if defined(__x86_64__)
  return __builtin_ia32_rdtsc();
#else
  return 0;
#endif
}
