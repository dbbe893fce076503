#pragma once

/// Elementary functions that give the same bits on every compiler, optimisation level and vector
/// width.
///
/// They use only additions, multiplications, divisions and square roots of IEEE 754 doubles in a
/// fixed order. Errors are below one unit in the last place of a float over the stated ranges.
namespace zithercraft::exact {

inline constexpr double pi = 3.14159265358979323846;  ///< half a turn in radians

/// Sine and cosine of one angle.
struct SinCos {
  float sin, cos;  ///< -1 to 1
};

/// Sine and cosine of `radians`, for |radians| below one million.
SinCos sin_cos(double radians) noexcept;

/// The angle of the point (x, y) in [-pi, pi]; 0 for the origin.
double atan2(double y, double x) noexcept;

/// e to the power x; 0 below -745 and infinity above 709.
double exp(double x) noexcept;

/// Natural logarithm of a positive, normal x.
double log(double x) noexcept;

/// The same angle brought into [-pi, pi).
double wrap_angle(double radians) noexcept;

/// An angle in radians.
constexpr double radians(double degrees) noexcept { return degrees * (pi / 180.0); }
/// An angle in degrees.
constexpr double degrees(double radians) noexcept { return radians * (180.0 / pi); }

}  // namespace zithercraft::exact
