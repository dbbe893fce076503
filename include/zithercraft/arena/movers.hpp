#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string_view>
#include <variant>

/// What lets a body move by itself. Inputs are numbers in [-1, 1], named per mover; controls of a
/// role set them. Accelerations do not depend on the body's mass.
namespace zithercraft {

/// For boats: thrust from a propeller, a rudder that needs flow, and a hull that resists sideways
/// motion.
///
/// Inputs: `throttle` and `rudder`; positive rudder turns to port (counter-clockwise).
struct Boat {
  static constexpr std::string_view kind = "boat";  ///< the word for it in files
  double thrust = 1.2;                              ///< m/s2 at full throttle, above 0
  double drag_ahead = 0.4;   ///< share of forward speed lost per second, at least 0
  double drag_abeam = 1.5;   ///< share of sideways speed lost per second, at least 0
  double rudder_flow = 0.6;  ///< rad/s2 at full rudder for each m/s of forward speed
  double rudder_wash =
      0.8;                 ///< rad/s2 at full rudder and full throttle, from the propeller's stream
  double drag_turn = 1.5;  ///< share of the turn rate lost per second, at least 0
  bool operator==(const Boat&) const = default;
};

/// For creatures on legs that step any way while facing another.
///
/// Inputs: `ahead`, `left` (wanted velocity in the own frame, as a share of `speed`) and `turn`
/// (wanted turn rate, as a share of `turn_rate`; positive is counter-clockwise). Wanted velocities
/// longer than `speed` are shortened. In arenas with height also `jump` (above a half: jumps if it
/// stands on something) if `jump` is above 0, and `pitch` (wanted rate of looking up, as a share of
/// `pitch_rate`) if `pitch_rate` is above 0.
struct Walker {
  static constexpr std::string_view kind = "walker";  ///< the word for it in files
  double speed = 2.0;                                 ///< m/s, above 0
  double acceleration = 10.0;  ///< m/s2 at most to reach the wanted velocity, above 0
  double turn_rate = 180.0;    ///< degrees/s, at least 0
  // In arenas with height:
  double jump = 0.0;         ///< m/s upwards at a jump, at least 0
  double step_height = 0.3;  ///< metres: steps up to this height are walked up and down, at least 0
  double slope = 45.0;       ///< degrees: steeper ground is not walked up, 0 to 80
  double in_air = 0.2;       ///< share of the acceleration left while it stands on nothing, 0 to 1
  double pitch_rate = 0.0;   ///< degrees/s, at least 0
  double pitch_limit = 80.0;  ///< degrees it can look up or down, 0 to 89
  bool operator==(const Walker&) const = default;
};

/// For things on wheels: the front wheels steer, all wheels grip sideways.
///
/// Inputs: `throttle` (negative brakes, then reverses) and `steering` (positive to the left).
struct Car {
  static constexpr std::string_view kind = "car";  ///< the word for it in files
  double engine = 3.0;                             ///< m/s2 at full throttle, above 0
  double brakes = 6.0;                             ///< m/s2 against the motion, above 0
  double drag = 0.3;                               ///< share of speed lost per second, at least 0
  double wheelbase = 1.5;                          ///< metres between the axles, above 0
  double steer_angle = 30.0;  ///< degrees of the front wheels at full steering, above 0, below 80
  double side_grip = 8.0;     ///< share of sideways speed lost per second, at least 0
  bool operator==(const Car&) const = default;
};

/// For what flies or swims in arenas with height: it holds its level by itself.
///
/// Inputs: `ahead`, `left` and `up` (wanted velocity in the own frame, as shares of `speed` and
/// `climb`) and `turn` (as for walkers), and `pitch` as for walkers if `pitch_rate` is above 0.
struct Flyer {
  static constexpr std::string_view kind = "flyer";  ///< the word for it in files
  double speed = 3.0;                                ///< m/s over ground, above 0
  double climb = 1.5;                                ///< m/s up or down, above 0
  double acceleration = 4.0;  ///< m/s2 at most to reach the wanted velocity, above 0
  double turn_rate = 120.0;   ///< degrees/s, at least 0
  double pitch_rate = 0.0;    ///< degrees/s, at least 0
  double pitch_limit = 80.0;  ///< degrees it can look up or down, 0 to 89
  bool operator==(const Flyer&) const = default;
};

/// For bodies on a cell map: every `ticks_per_move` ticks, one move to a neighbouring cell or one
/// quarter turn.
///
/// Inputs, read by their sign beyond a half: `turn` (positive to the left), `ahead` and `left` (in
/// the own frame), `east` and `north` (in the map's). A turn is made before the move. If several
/// moves are asked for, the first of `ahead`, `left`, `east`, `north` counts. Needs an arena with
/// `cells`.
struct Stepper {
  static constexpr std::string_view kind = "stepper";  ///< the word for it in files
  std::int64_t ticks_per_move = 1;  ///< ticks from one move to the next, at least 1
  bool faces_move = false;          ///< a move east or north also turns the body that way
  bool pushes = false;    ///< a pushable stepper that stays in the way is pushed on if the cell
                          ///< behind it is free
  bool pushable = false;  ///< lets itself be pushed
  bool operator==(const Stepper&) const = default;
};

/// For what slides along a line or an arc: a bat, a gate, a gun on its track. Nothing pushes it off
/// or stops it there, and it heads to the left of its way from the beginning to the end; on an arc
/// that is to the centre.
///
/// Input: `along` (wanted velocity towards the end, as a share of `speed`). It begins at a random
/// point of the rail.
struct Rail {
  static constexpr std::string_view kind = "rail";  ///< the word for it in files
  std::array<double, 2> from{0.0, 0.0};             ///< metres, one end
  std::array<double, 2> to{1.0, 0.0};  ///< metres, the other; of an arc, its direction counts
  std::optional<std::array<double, 2>> centre{};  ///< of an arc, counter-clockwise; none: a line
  double speed = 4.0;                             ///< m/s, above 0
  double acceleration = 40.0;                     ///< m/s2, above 0
  std::array<double, 2> start{0.0, 1.0};          ///< between which shares of its length it begins
  bool operator==(const Rail&) const = default;
};

/// What can drive a body.
using Mover = std::variant<Boat, Walker, Car, Stepper, Flyer, Rail>;

}  // namespace zithercraft
