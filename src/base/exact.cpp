#include "zithercraft/base/exact.hpp"

#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>

namespace zithercraft::exact {
namespace {

constexpr double half_pi = pi / 2.0;
// pi/2 in two parts, so that k * half_pi_high is exact for the k in range.
constexpr double half_pi_high = 1.57079632673412561417e+00;
constexpr double half_pi_low = 6.07710050650619224932e-11;
constexpr double ln2 = 0.69314718055994530942;

// Taylor polynomials on [-pi/4, pi/4]; the first term left out is below 2e-11.
double sin_reduced(double r) noexcept {
  const double q = r * r;
  return r * (1.0 +
              q * (-1.0 / 6 + q * (1.0 / 120 + q * (-1.0 / 5040 +
                                                    q * (1.0 / 362880 + q * (-1.0 / 39916800))))));
}

double cos_reduced(double r) noexcept {
  const double q = r * r;
  return 1.0 +
         q * (-1.0 / 2 +
              q * (1.0 / 24 + q * (-1.0 / 720 + q * (1.0 / 40320 + q * (-1.0 / 3628800 +
                                                                        q * (1.0 / 479001600))))));
}

// Arctangent for |t| <= sqrt(2) - 1, odd Taylor series to the 19th power.
double atan_reduced(double t) noexcept {
  const double q = t * t;
  double sum = 0.0;
  for (int k = 19; k >= 1; k -= 2) sum = (((k / 2) % 2 == 0) ? 1.0 : -1.0) / k + q * sum;
  return t * sum;
}

double atan_unit(double t) noexcept {  // 0 <= t <= 1
  return t > 0.41421356237309503 ? pi / 4 + atan_reduced((t - 1.0) / (t + 1.0)) : atan_reduced(t);
}

}  // namespace

SinCos sin_cos(double radians) noexcept {
  const double k = std::floor(radians / half_pi + 0.5);
  const double r = (radians - k * half_pi_high) - k * half_pi_low;
  const double s = sin_reduced(r), c = cos_reduced(r);
  switch (static_cast<std::int64_t>(k) & 3) {
    case 0: return {static_cast<float>(s), static_cast<float>(c)};
    case 1: return {static_cast<float>(c), static_cast<float>(-s)};
    case 2: return {static_cast<float>(-s), static_cast<float>(-c)};
    default: return {static_cast<float>(-c), static_cast<float>(s)};
  }
}

double atan2(double y, double x) noexcept {
  const double ax = std::fabs(x), ay = std::fabs(y);
  if (ax == 0.0 && ay == 0.0) return 0.0;
  const double a = ay <= ax ? atan_unit(ay / ax) : half_pi - atan_unit(ax / ay);
  const double half = x < 0.0 ? pi - a : a;
  return y < 0.0 ? -half : half;
}

double exp(double x) noexcept {
  if (x < -745.0) return 0.0;
  if (x > 709.0) return std::numeric_limits<double>::infinity();
  const double k = std::floor(x / ln2 + 0.5);
  const double r = x - k * ln2;
  double sum = 1.0;
  for (int n = 13; n >= 1; --n) sum = 1.0 + r * sum / n;
  return std::ldexp(sum, static_cast<int>(k));
}

double log(double x) noexcept {
  const auto bits = std::bit_cast<std::uint64_t>(x);
  auto exponent = static_cast<int>((bits >> 52) & 0x7ff) - 1023;
  double m = std::bit_cast<double>((bits & 0x000fffffffffffffULL) | 0x3ff0000000000000ULL);
  if (m > 1.4142135623730951) {
    m *= 0.5;
    ++exponent;
  }
  const double s = (m - 1.0) / (m + 1.0), q = s * s;
  double sum = 0.0;
  for (int k = 21; k >= 1; k -= 2) sum = 1.0 / k + q * sum;
  return exponent * ln2 + 2.0 * s * sum;
}

double wrap_angle(double radians) noexcept {
  const double wrapped = radians - 2.0 * pi * std::floor(radians / (2.0 * pi) + 0.5);
  return wrapped >= pi ? wrapped - 2.0 * pi : wrapped;
}

}  // namespace zithercraft::exact
