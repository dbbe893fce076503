#pragma once

// Eight numbers side by side, as the compilers' vector extension: one AVX register, or two SSE registers on machines
// without. Every operation is the scalar one done eight times, so results do not depend on the vector width.

#include <cmath>
#include <cstdint>
#include <cstring>

namespace zithercraft {

typedef float F8 __attribute__((vector_size(32)));
typedef std::int32_t I8 __attribute__((vector_size(32)));

// All are inlined: how such vectors are passed between functions differs between processors.
#define ZITHERCRAFT_INLINE inline __attribute__((always_inline))

ZITHERCRAFT_INLINE F8 all(float v) { return F8{v, v, v, v, v, v, v, v}; }
ZITHERCRAFT_INLINE I8 all(std::int32_t v) { return I8{v, v, v, v, v, v, v, v}; }
ZITHERCRAFT_INLINE F8 load(const float* from) {
  F8 v;
  std::memcpy(&v, from, sizeof v);
  return v;
}
ZITHERCRAFT_INLINE void store(float* to, F8 v) { std::memcpy(to, &v, sizeof v); }
ZITHERCRAFT_INLINE void store(std::int32_t* to, I8 v) { std::memcpy(to, &v, sizeof v); }
ZITHERCRAFT_INLINE F8 lower(F8 a, F8 b) { return a < b ? a : b; }
ZITHERCRAFT_INLINE F8 higher(F8 a, F8 b) { return a > b ? a : b; }
ZITHERCRAFT_INLINE F8 root(F8 v) {
  F8 r;
  for (int i = 0; i < 8; ++i) r[i] = std::sqrt(v[i]);
  return r;
}
/// Keeps the sign and stays far enough from 0 to be divided by.
ZITHERCRAFT_INLINE F8 off_zero(F8 v) {
  const F8 tiny = all(1e-12f);
  return v >= all(0.0f) ? higher(v, tiny) : lower(v, -tiny);
}

}  // namespace zithercraft
