#pragma once

// Eight numbers side by side, as the compilers' vector extension: one AVX register, or two SSE
// registers on machines without. Every operation is the scalar one done eight times, so results do
// not depend on the vector width.

#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstring>

#if defined(__AVX512VL__) && defined(__AVX512F__)
#include <immintrin.h>
#endif

namespace zithercraft::arena_internal {

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
/// Whether any of the eight is set, for masks as comparisons give them.
ZITHERCRAFT_INLINE bool any(I8 mask) {
  std::uint64_t part[4];
  std::memcpy(part, &mask, sizeof part);
  return ((part[0] | part[1]) | (part[2] | part[3])) != 0;
}
/// A byte for each of the eight, the first one lowest: 255 where the mask is set, else 0.
ZITHERCRAFT_INLINE std::uint64_t bytes_of(I8 mask) {
  typedef std::int8_t B8 __attribute__((vector_size(8)));
  const B8 bytes = __builtin_convertvector(mask, B8);
  std::uint64_t result;
  std::memcpy(&result, &bytes, sizeof result);
  return result;
}
/// Appends the numbers from `first` on whose mask is set.
ZITHERCRAFT_INLINE std::size_t gather_set(I8 mask, std::size_t first, std::uint32_t* list,
                                          std::size_t n) {
#if defined(__AVX512VL__) && defined(__AVX512F__)
  // One instruction where there is one; the list is the same.
  const __mmask8 set =
      _mm256_cmpneq_epi32_mask(reinterpret_cast<__m256i>(mask), _mm256_setzero_si256());
  const __m256i numbers = _mm256_add_epi32(_mm256_set1_epi32(static_cast<int>(first)),
                                           _mm256_setr_epi32(0, 1, 2, 3, 4, 5, 6, 7));
  _mm256_storeu_si256(reinterpret_cast<__m256i*>(list + n),
                      _mm256_maskz_compress_epi32(set, numbers));
  return n + static_cast<std::size_t>(__builtin_popcount(set));
#else
  std::int32_t set[8];
  std::memcpy(set, &mask, sizeof set);
  for (std::size_t i = 0; i < 8; ++i) {
    list[n] = static_cast<std::uint32_t>(first + i);
    n += static_cast<std::size_t>(set[i] & 1);
  }
  return n;
#endif
}
/// Eight flags of a byte each, as a mask.
ZITHERCRAFT_INLINE I8 flags(const std::uint8_t* from) {
  typedef std::uint8_t B8 __attribute__((vector_size(8)));
  B8 bytes;
  std::memcpy(&bytes, from, sizeof bytes);
  return __builtin_convertvector(bytes, I8) != 0;
}
ZITHERCRAFT_INLINE F8 size_of(F8 v) { return v < all(0.0f) ? -v : v; }
/// Keeps the sign and stays far enough from 0 to be divided by.
ZITHERCRAFT_INLINE F8 off_zero(F8 v) {
  const F8 tiny = all(1e-12f);
  return v >= all(0.0f) ? higher(v, tiny) : lower(v, -tiny);
}

}  // namespace zithercraft::arena_internal
