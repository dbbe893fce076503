#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

/// What an arena is made of, as plain values. Metres, seconds, kilograms; angles in degrees, counter-clockwise from the
/// x axis. Every struct is an aggregate with defaults, so that C++ can say `{.name = "hull", .count = 8}` and leave the
/// rest; TOML says the same with the same names.
namespace zithercraft {

using Point = std::array<double, 2>;  ///< x, y in metres

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

using Shape = std::variant<Disc, Capsule, Box>;

/// Where a body or zone begins each episode: a random point of a region with a random heading, so that it overlaps
/// nothing that was placed before it.
struct Placement {
  std::array<double, 4> region{0.0, 0.0, 0.0, 0.0};  ///< x_min, y_min, x_max, y_max of the centre, metres
  std::array<double, 2> heading{0.0, 0.0};           ///< from, to, degrees
  double clearance = 0.0;                            ///< metres kept free around it, at least 0
  bool operator==(const Placement&) const = default;
};

/// A mover for boats: thrust from a propeller, a rudder that needs flow, and a hull that resists sideways motion.
///
/// Inputs: `throttle` and `rudder`, both in [-1, 1]; positive rudder turns to port (counter-clockwise). Accelerations
/// are in the boat's own frame, so they do not depend on its mass.
struct Boat {
  static constexpr std::string_view kind = "boat";
  double thrust = 1.2;       ///< m/s2 at full throttle, above 0
  double drag_ahead = 0.4;   ///< share of forward speed lost per second, at least 0
  double drag_abeam = 1.5;   ///< share of sideways speed lost per second, at least 0
  double rudder_flow = 0.6;  ///< rad/s2 at full rudder for each m/s of forward speed
  double rudder_wash = 0.8;  ///< rad/s2 at full rudder and full throttle, from the propeller's stream
  double drag_turn = 1.5;    ///< share of the turn rate lost per second, at least 0
  bool operator==(const Boat&) const = default;
};

using Mover = std::variant<Boat>;

enum class Motion { fixed, free };

/// One body, or `count` alike. A fixed body never moves; a free one is moved by its mover and by contacts.
struct BodySpec {
  std::string name{};
  std::string tag{};       ///< what kind of thing it is; empty means the same as the name
  std::int64_t count = 1;  ///< at least 1
  Motion motion = Motion::fixed;
  Shape shape = Disc{};
  double mass = 1.0;    ///< kg, above 0; counts for free bodies only
  double bounce = 0.0;  ///< 0: stays, 1: bounces back as fast as it came
  double grip = 0.3;    ///< friction coefficient of contacts, at least 0
  double drag = 0.0;    ///< share of speed and turn rate lost per second, at least 0; beside the mover's own
  std::optional<Mover> mover{};
  Placement place{};
  bool operator==(const BodySpec&) const = default;
};

/// A chain of straight walls. Walls never move and have no thickness.
struct WallSpec {
  std::string name{};
  std::string tag{};            ///< empty means the same as the name
  std::vector<Point> points{};  ///< at least two corners, metres
  bool closed = false;          ///< also joins the last corner to the first
  double bounce = 0.0;          ///< as for bodies
  double grip = 0.3;            ///< as for bodies
  bool operator==(const WallSpec&) const = default;
};

/// A region that bodies can be inside of. It stops nothing; rays report its outline.
struct ZoneSpec {
  std::string name{};
  std::string tag{};  ///< empty means the same as the name
  Shape shape = Disc{};
  Placement place{};
  bool operator==(const ZoneSpec&) const = default;
};

/// A play space in local coordinates. Things are placed in this order: zones, then bodies, each as listed.
struct ArenaSpec {
  double tick = 0.05;  ///< seconds of one physics step, above 0, at most 0.25
  std::vector<WallSpec> walls{};
  std::vector<ZoneSpec> zones{};
  std::vector<BodySpec> bodies{};
  bool operator==(const ArenaSpec&) const = default;
};

}  // namespace zithercraft
