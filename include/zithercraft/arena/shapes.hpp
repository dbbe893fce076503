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
  static constexpr std::string_view kind = "disc";
  double radius = 0.5;  ///< metres, above 0
  bool operator==(const Disc&) const = default;
};

/// A segment along the heading with round ends.
struct Capsule {
  static constexpr std::string_view kind = "capsule";
  double length = 2.0;  ///< metres from tip to tip, at least twice the radius
  double radius = 0.5;  ///< metres, above 0
  bool operator==(const Capsule&) const = default;
};

struct Box {
  static constexpr std::string_view kind = "box";
  double length = 2.0;  ///< metres along the heading, above 0
  double width = 1.0;   ///< metres across it, above 0
  bool operator==(const Box&) const = default;
};

/// A convex polygon. It is shifted so that its centre of mass lies on the body's position.
struct Outline {
  static constexpr std::string_view kind = "outline";
  std::vector<Point> corners{};  ///< 3 to 8, counter-clockwise, in the body's own frame, metres
  bool operator==(const Outline&) const = default;
};

/// For arenas with height; it is as tall as it is wide.
struct Ball {
  static constexpr std::string_view kind = "ball";
  double radius = 0.5;  ///< metres, above 0
  bool operator==(const Ball&) const = default;
};

using Shape = std::variant<Disc, Capsule, Box, Outline, Ball>;

}  // namespace zithercraft
