#pragma once

#include <array>
#include <string_view>
#include <variant>
#include <vector>

namespace zithercraft {

using Point = std::array<double, 2>;  ///< x, y in metres

/// In arenas with height, all shapes but the ball are upright: they reach from the foot of the
/// thing they belong to as far up as its height says.
struct Disc {
  static constexpr std::string_view kind = "disc";  ///< the word for it in files
  double radius = 0.5;                              ///< metres, above 0
  bool operator==(const Disc&) const = default;
};

/// A segment along the heading with round ends.
struct Capsule {
  static constexpr std::string_view kind = "capsule";  ///< the word for it in files
  double length = 2.0;  ///< metres from tip to tip, at least twice the radius
  double radius = 0.5;  ///< metres, above 0
  bool operator==(const Capsule&) const = default;
};

/// A rectangle with its middle at the body's place.
struct Box {
  static constexpr std::string_view kind = "box";  ///< the word for it in files
  double length = 2.0;                             ///< metres along the heading, above 0
  double width = 1.0;                              ///< metres across it, above 0
  bool operator==(const Box&) const = default;
};

/// A convex polygon. It is shifted so that its centre of mass lies on the body's position.
struct Outline {
  static constexpr std::string_view kind = "outline";  ///< the word for it in files
  std::vector<Point> corners{};  ///< 3 to 8, counter-clockwise, in the body's own frame, metres
  bool operator==(const Outline&) const = default;
};

/// For arenas with height; it is as tall as it is wide.
struct Ball {
  static constexpr std::string_view kind = "ball";  ///< the word for it in files
  double radius = 0.5;                              ///< metres, above 0
  bool operator==(const Ball&) const = default;
};

/// What bodies, zones and items can look like.
using Shape = std::variant<Disc, Capsule, Box, Outline, Ball>;

}  // namespace zithercraft
