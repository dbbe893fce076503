#pragma once

// Vectors as wide as the processor's, and what networks compute of them. Sums of products are fused
// where the processor can do that: for one build every path gives the same bits, whatever the
// batch.

#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstring>
#if defined(__SSE2__)
#include <immintrin.h>
#endif

namespace zithercraft::net_internal {

#if defined(__AVX512F__)
constexpr std::size_t vector_bytes = 64;
#elif defined(__AVX__)
constexpr std::size_t vector_bytes = 32;
#else
constexpr std::size_t vector_bytes = 16;
#endif

/// While one of these lives, numbers too small to be written in full count as 0 in this thread:
/// processors take a hundred times longer over them, and moments of gradients that have died away
/// would be such for ever.
class TinyIsNothing {
 public:
#if defined(__SSE2__)
  TinyIsNothing() : before_(_mm_getcsr()) { _mm_setcsr(before_ | flush_results | flush_operands); }
  ~TinyIsNothing() { _mm_setcsr(before_); }

 private:
  static constexpr unsigned flush_results = 0x8000, flush_operands = 0x0040;
  unsigned before_;
#else
  TinyIsNothing() {}
#endif

 public:
  TinyIsNothing(const TinyIsNothing&) = delete;
  TinyIsNothing& operator=(const TinyIsNothing&) = delete;
};

template <class Scalar>
struct VectorOf;
template <>
struct VectorOf<float> {
  using type __attribute__((vector_size(vector_bytes), may_alias)) = float;
  using whole __attribute__((vector_size(vector_bytes), may_alias)) = std::uint32_t;
};
template <>
struct VectorOf<double> {
  using type __attribute__((vector_size(vector_bytes), may_alias)) = double;
};

template <class Scalar>
using Vec = typename VectorOf<Scalar>::type;
template <class Scalar>
constexpr std::size_t vec_width = vector_bytes / sizeof(Scalar);

/// Numbers between the rows of a matrix: whole vectors of the widest kind, and never a multiple of
/// 256 bytes, since rows that far apart crowd into a few sets of the first-level cache.
template <class Scalar>
constexpr std::size_t row_stride(std::size_t width) {
  constexpr std::size_t line = 64 / sizeof(Scalar);
  const std::size_t lines = (width + line - 1) / line;
  return (lines % 4 == 0 ? lines + 1 : lines) * line;
}

/// Width of a row in whole vectors.
template <class Scalar>
constexpr std::size_t whole_vectors(std::size_t width) {
  return (width + vec_width<Scalar> - 1) / vec_width<Scalar> * vec_width<Scalar>;
}

/// The sum of products of two rows of any width, in a fixed order: a lane of a vector each, then
/// what is left over.
template <class Scalar>
inline Scalar dot_of(const Scalar* a, const Scalar* b, std::size_t width) {
  constexpr std::size_t lanes = vec_width<Scalar>;
  Vec<Scalar> sums{};
  std::size_t i = 0;
  for (; i + lanes <= width; i += lanes) {
    Vec<Scalar> one, other;  // rows need not begin where vectors do
    std::memcpy(&one, a + i, vector_bytes);
    std::memcpy(&other, b + i, vector_bytes);
    sums += one * other;
  }
  Scalar sum{0};
  for (std::size_t lane = 0; lane < lanes; ++lane) sum += sums[lane];
  for (; i < width; ++i) sum += a[i] * b[i];
  return sum;
}

template <class Scalar>
inline Vec<Scalar> splat(Scalar x) {
  return x - Vec<Scalar>{};  // which needs no instruction, unlike a sum, that could make +0 of -0
}

template <class Scalar>
inline Vec<Scalar>& vec_at(Scalar* at) {
  return *reinterpret_cast<Vec<Scalar>*>(at);
}
template <class Scalar>
inline const Vec<Scalar>& vec_at(const Scalar* at) {
  return *reinterpret_cast<const Vec<Scalar>*>(at);
}

/// Lanes of two vectors in another order, those of the second being numbered after those of the
/// first.
[[gnu::always_inline]] inline Vec<float> chosen(Vec<float> a, Vec<float> b,
                                                VectorOf<float>::whole which) {
#if defined(__clang__)
  constexpr std::size_t wide = vec_width<float>;
  Vec<float> result;
  for (std::size_t i = 0; i < wide; ++i)
    result[i] = which[i] < wide ? a[which[i]] : b[which[i] - wide];
  return result;
#else
  return __builtin_shuffle(a, b, which);
#endif
}

/// e^x for |x| up to 80, within 2 units in the last place: a power of two and a polynomial for what
/// is left.
inline Vec<float> exponential(Vec<float> x) {
  using Whole = VectorOf<float>::whole;
  const Vec<float> y = x * 1.44269504088896341f;
  const Vec<float> rounded = y + 12582912.0f;  // 1.5 * 2^23: what lies behind the point falls off
  const Vec<float> nearest = rounded - 12582912.0f;
  // The logarithm of 2 in two parts, so that what is left stays exact.
  const Vec<float> r = (x - nearest * 0.693359375f) + nearest * 2.12194440e-4f;
  Vec<float> p = splat(1.9875691500e-4f);
  p = p * r + 1.3981999507e-3f;
  p = p * r + 8.3334519073e-3f;
  p = p * r + 4.1665795894e-2f;
  p = p * r + 1.6666665459e-1f;
  p = p * r + 5.0000001201e-1f;
  p = p * (r * r) + r + 1.0f;
  return (Vec<float>)((Whole)p + ((Whole)rounded << 23));
}
inline Vec<double> exponential(Vec<double> x) {
  for (std::size_t i = 0; i < vec_width<double>; ++i) x[i] = std::exp(x[i]);
  return x;
}

/// Within [-limit, limit].
inline Vec<float> clamped(Vec<float> x, float limit) {
#if defined(__AVX512F__)
  return (Vec<float>)_mm512_max_ps(_mm512_min_ps((__m512)x, _mm512_set1_ps(limit)),
                                   _mm512_set1_ps(-limit));
#else
  const Vec<float> high = splat(limit), low = splat(-limit);
  x = x < high ? x : high;
  return x > low ? x : low;
#endif
}
inline Vec<double> clamped(Vec<double> x, double limit) {
  const Vec<double> high = splat(limit), low = splat(-limit);
  x = x < high ? x : high;
  return x > low ? x : low;
}

/// 1 / x for x from 1 on. Dividing takes several times as long as an estimate and one step of
/// Newton's.
inline Vec<float> inverse(Vec<float> x) {
#if defined(__AVX512F__)
  const auto guess = (Vec<float>)_mm512_rcp14_ps((__m512)x);
  return guess * (2.0f - x * guess);
#elif defined(__AVX__)
  const auto guess = (Vec<float>)_mm256_rcp_ps((__m256)x);
  return guess * (2.0f - x * guess);
#else
  return 1.0f / x;
#endif
}
inline Vec<double> inverse(Vec<double> x) { return 1.0 / x; }

/// What tanh is a ratio of: x P(x^2) over Q(x^2) up to 9, beyond which the nearest float is 1. The
/// two polynomials are the best ones of their degree in relative error, 2e-8; all their
/// coefficients are above 0, so that nothing cancels.
template <class X>
inline void tanh_ratio(X x, X& above, X& below) {
  const X z = x * x;
  X p = z * 1.34052441868e-8f + 2.0645466791e-5f, q = z * 7.79721826752e-7f + 3.28924875641e-4f;
  p = p * z + 3.49779774504e-3f;
  q = q * z + 2.58853893259e-2f;
  p = p * z + 0.133828865433f;
  q = q * z + 0.467162027205f;
  p = p * z + 0.99999998027f;
  q = q * z + 1.0f;
  above = x * p;
  below = q;
}

/// tanh within 5 units in the last place.
inline Vec<float> tanh_of(Vec<float> x) {
  Vec<float> above, below;
  tanh_ratio(clamped(x, 9.0f), above, below);
  return above * inverse(below);
}
inline float tanh_of(float x) {
  float above, below;
  tanh_ratio(x < -9.0f ? -9.0f : x > 9.0f ? 9.0f : x, above, below);
  return above / below;
}
inline Vec<double> tanh_of(Vec<double> x) {
  for (std::size_t i = 0; i < vec_width<double>; ++i) x[i] = std::tanh(x[i]);
  return x;
}

template <class Scalar>
inline Vec<Scalar> sigmoid_of(Vec<Scalar> x) {
  return inverse(exponential(-clamped(x, Scalar{40})) + Scalar{1});
}

}  // namespace zithercraft::net_internal
