#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "zithercraft/game/code.hpp"

/// What roles can sense. Plain values; TOML says the same with the same names.
namespace zithercraft {

class SeatView;

/// What happens to a sense's columns on their way to the agent. All of it is part of the episode:
/// the same key gives the same readings.
struct Signal {
  /// The columns of this many steps before are sensed too, as `name@1` for the last one and so on;
  /// before an episode's first steps they repeat the first. 0 to 64.
  std::int64_t history = 0;
  /// Standard deviation of normal noise on every column, in the columns' own scale (most are 0 to 1
  /// or -1 to 1), at least 0; readings stay in the column's range.
  double noise = 0.0;
  /// Probability that the sense reads zeros in all its columns at a step, 0 to 1.
  double drop_out = 0.0;
  bool operator==(const Signal&) const = default;
};

/// What each ray reports.
enum class RayReport : std::uint8_t {
  first,          ///< a flag for each tag of `sees` (1: the ray met it first), then the distance
  first_or_miss,  ///< the same with a flag for a miss before the distance
  each_tag        ///< a distance for each tag of `sees`, as if nothing else were there
};

/// Rays in a fan around the heading. Distances are 0 to 1, where 1 is `reach` or nothing met. Rays
/// run from starboard to port.
struct RayFan {
  static constexpr std::string_view kind = "ray_fan";  ///< the word for it in files
  std::string name = "rays";                           ///< unique among the role's senses
  std::int64_t rays = 24;                              ///< 1 to 1024
  double arc = 240.0;      ///< degrees from the first ray to the last, above 0, at most 360
  double reach = 15.0;     ///< metres, above 0
  double thickness = 0.0;  ///< metres; 0 for thin rays
  std::vector<std::string> sees{};       ///< tags; rays pass through everything else
  RayReport reports = RayReport::first;  ///< what a ray says
  bool sees_own_side = true;  ///< if not, rays pass through bodies of the seat's own side
  // In arenas with height:
  std::optional<double> from_height{};  ///< metres above the foot at which rays begin; the middle
                                        ///< of the body unless given
  std::optional<double>
      to_height{};             ///< metres above the foot at which they end; level unless given
  bool follows_pitch = false;  ///< the fan tilts as the body looks up and down
  /// The fan stands upright: it spreads from below to above where the body looks, and its first ray
  /// is the lowest. 360 degrees reach over and behind.
  bool upright = false;
  Signal signal{};  ///< what its columns go through on their way to the agent
  bool operator==(const RayFan&) const = default;
};

/// Rays in a cone around where the body looks, for arenas with height: evenly spread over the solid
/// angle, from its middle outwards. Columns as for a ray fan.
struct RayCone {
  static constexpr std::string_view kind = "ray_cone";  ///< the word for it in files
  std::string name = "cone";                            ///< unique among the role's senses
  std::int64_t rays = 48;                               ///< 1 to 1024
  double arc = 90.0;                     ///< degrees from edge to edge, above 0, at most 360
  double reach = 15.0;                   ///< metres, above 0
  double thickness = 0.0;                ///< metres; 0 for thin rays
  std::vector<std::string> sees{};       ///< tags; rays pass through everything else
  RayReport reports = RayReport::first;  ///< what a ray says
  bool sees_own_side = true;             ///< as for a ray fan
  std::optional<double> from_height{};   ///< as for a ray fan
  Signal signal{};                       ///< what its columns go through on their way to the agent
  bool operator==(const RayCone&) const = default;
};

/// Whose things are meant, by their sides.
enum class Whose : std::uint8_t {
  anyone,
  own,     ///< of the seat's own side: the own goal, a team mate
  others,  ///< of another side
  partner  ///< the seat's own partner: the first and the second seat of a role are a pair, the
           ///< third and the fourth, and so on
};

/// How a direction is reported.
enum class Bearings : std::uint8_t {
  angle,  ///< cosine (`ahead`) and sine (`left`) of the bearing in the own frame
  four,   ///< one of four flags: is_ahead, is_left, is_behind, is_right
  eight   ///< one of eight flags: is_ahead, is_ahead_left, is_left, ..., is_ahead_right
};

/// Where something lies, in the seat's own frame: its direction and its `distance` (0 to 1, where 1
/// is `reach` or more); in arenas with height also `up` (sine of its elevation). If there is none,
/// directions are 0 and the distance is 1.
struct Compass {
  static constexpr std::string_view kind = "compass";  ///< the word for it in files
  std::string name = "compass";                        ///< unique among the role's senses
  std::string to{};                                    ///< a tag; the nearest thing of it is meant
  bool paired = false;  ///< not the nearest: the first seat's is the first thing of that tag, the
                        ///< second's the second...
  Whose whose = Whose::anyone;          ///< things of which sides count
  Bearings bearings = Bearings::angle;  ///< in which form the direction is given
  /// along the shortest path over cells in place of straight; see `SeatView::path_to`
  bool along_path = false;
  double reach = 50.0;  ///< metres, above 0
  /// m/s: also how it moves relative to the seat, `speed_ahead` and `speed_left` as shares of this,
  /// above 0; none without
  std::optional<double> top_speed{};
  Signal signal{};  ///< what its columns go through on their way to the agent
  bool operator==(const Compass&) const = default;
};

/// The seat's own speed ahead and to port, and its turn rate, scaled by the given tops and clamped
/// to [-1, 1]. In arenas with height also its `climb` (m/s upwards), its `pitch` (share of a right
/// angle) and whether it `stands` on something.
struct OwnMotion {
  static constexpr std::string_view kind = "own_motion";  ///< the word for it in files
  std::string name = "own";                               ///< unique among the role's senses
  double top_speed = 5.0;                                 ///< m/s, above 0
  double top_turn_rate = 90.0;                            ///< degrees/s, above 0
  /// Which of them, of speed_ahead, speed_left, turn_rate, climb, pitch and stands; empty for all.
  std::vector<std::string> parts{};
  Signal signal{};  ///< what its columns go through on their way to the agent
  bool operator==(const OwnMotion&) const = default;
};

/// What else a seat knows of itself; each part on request, at least one.
struct OwnState {
  static constexpr std::string_view kind = "own_state";  ///< the word for it in files
  std::string name = "self";                             ///< unique among the role's senses
  bool heading = false;                                  ///< `heading_cosine` and `heading_sine`
  bool quarter = false;  ///< one of four flags: faces_east, faces_north, faces_west, faces_south
  std::optional<double> level{};  ///< `level`: the foot's height over this many metres, above 0;
                                  ///< arenas with height only
  /// the controls given last: dials in their own range, a flag for each option
  bool controls = false;
  bool phase = false;      ///< a flag for each phase of the arena: `phase.NAME`
  bool time_left = false;  ///< `time_left`: share of the steps until the time cutoff that is left
  Signal signal{};         ///< what its columns go through on their way to the agent
  bool operator==(const OwnState&) const = default;
};

/// The seat's meters: one column each, 0 at the lower bound, 1 at the upper.
struct Gauges {
  static constexpr std::string_view kind = "gauges";  ///< the word for it in files
  std::string name = "gauges";                        ///< unique among the role's senses
  std::vector<std::string> meters{};                  ///< names of the body's meters; empty for all
  Signal signal{};  ///< what its columns go through on their way to the agent
  bool operator==(const Gauges&) const = default;
};

/// The cells or blocks around, turned with the seat to the nearest quarter: for each one column for
/// each tag in `sees` (1 if something of that tag is there). What lies outside the map shows
/// `beyond`.
struct Window {
  static constexpr std::string_view kind = "window";        ///< the word for it in files
  std::string name = "window";                              ///< unique among the role's senses
  std::int64_t ahead = 3, behind = 3, left = 3, right = 3;  ///< cells beside the own one, 0 to 64
  /// Layers beside that of the own foot, 0 to 64; in worlds of blocks only.
  std::int64_t above = 0, below = 0;
  std::vector<std::string> sees{};  ///< tags
  std::string beyond{};             ///< a tag of `sees`; empty: nothing is there
  Signal signal{};                  ///< what its columns go through on their way to the agent
  bool operator==(const Window&) const = default;
};

/// Which of the moves ahead would be fatal: a flag for each direction in the own frame (ahead,
/// left, behind, right and, with eight, those between), 1 if something deadly lies within `within`
/// metres that way.
struct Hazards {
  static constexpr std::string_view kind = "hazards";  ///< the word for it in files
  std::string name = "hazards";                        ///< unique among the role's senses
  std::int64_t moves = 4;                              ///< 4 or 8 directions
  double within = 2.0;                                 ///< metres from the body's middle, above 0
  double thickness = 0.0;  ///< metres that must be free; 0 looks along thin rays
  /// Tags that are deadly; empty for all that kill the seat's body or end the episode in failure
  /// when touched.
  std::vector<std::string> fatal{};
  Signal signal{};  ///< what its columns go through on their way to the agent
  bool operator==(const Hazards&) const = default;
};

/// From where a camera looks.
enum class CameraFrom : std::uint8_t {
  above,    ///< straight down on the seat, as a map
  eyes,     ///< where the seat looks, in perspective
  overall,  ///< straight down on the whole arena, the same for all seats
  /// on the seat from its right hand, without perspective: what is ahead is right, what is above is
  /// up. Cells and blocks are cut where the seat is. Arenas with height only
  side
};

/// A small picture of what is there, one column per pixel, row by row from the top left; 0 is
/// black, 1 is bright.
struct Camera {
  static constexpr std::string_view kind = "camera";  ///< the word for it in files
  std::string name = "camera";                        ///< unique among the role's senses
  CameraFrom from = CameraFrom::above;                ///< where it looks from
  std::int64_t width = 84, height = 84;               ///< pixels drawn, 4 to 512
  /// metres from the left edge to the right, above 0; from above and from the side
  double across = 20.0;
  bool turns = true;  ///< the picture turns with the heading; from above only
  /// degrees from the left edge to the right, above 0, at most 150; through eyes only
  double arc = 90.0;
  double reach = 30.0;          ///< metres at which things fade out, above 0; through eyes only
  std::optional<double> eye{};  ///< metres above the foot; the middle of the body unless given;
                                ///< arenas with height only
  bool grey = true;             ///< else three columns per pixel: red, green, blue
  std::array<std::int64_t, 4> crop{
      0, 0, 0, 0};  ///< pixels cut off at the left, top, right and bottom, at least 0
  /// each square of this many pixels a side becomes one, their mean; 1 to 16
  std::int64_t reduce = 1;
  /// Brightness of tags, 0 to 1, in grey pictures and in colours alike; other tags get one of their
  /// own each.
  std::map<std::string, double> shades{};
  std::vector<std::string> sees{};  ///< tags that are drawn; empty for all
  Signal signal{};                  ///< what its columns go through on their way to the agent
  bool operator==(const Camera&) const = default;
};

/// Any number of others, the nearest first: for each of at most `nearest` a flag `here`, its
/// direction (`ahead`, `left`), `distance`, velocity relative to the seat (`speed_ahead`,
/// `speed_left`) and, with several tags, a flag for each; on request their `meters`, whether they
/// are of the own `side`, and whether they `target` the seat. Columns of those who are missing are
/// 0.
struct Crowd {
  static constexpr std::string_view kind = "crowd";  ///< the word for it in files
  std::string name = "crowd";                        ///< unique among the role's senses
  std::vector<std::string> of{};                     ///< tags of bodies and items
  std::int64_t nearest = 8;                          ///< how many are kept, 1 to 256
  double reach = 20.0;          ///< metres; those farther away are missing, above 0
  double top_speed = 5.0;       ///< m/s that relative speeds are scaled by, above 0
  Whose whose = Whose::anyone;  ///< bodies of which sides count
  /// Of those that have them, as shares of their range; 0 for others.
  std::vector<std::string> meters{};
  bool side = false;    ///< `own_side`: a flag for those of the seat's own side
  bool target = false;  ///< `targets_me`: a flag for those whose last target was the seat
  Signal signal{};      ///< what its columns go through on their way to the agent
  bool operator==(const Crowd&) const = default;
};

/// One column of a custom sense: what is written should lie in [low, high]; times `scale` it is in
/// `unit`. What lies outside is passed on as it is; the doctor names columns that do so.
struct CustomColumn {
  std::string name{};            ///< unique among the sense's columns
  std::string unit = "share";    ///< of its values
  double low = 0.0, high = 1.0;  ///< what it can read
  double scale = 1.0;            ///< not 0
  bool operator==(const CustomColumn&) const = default;
};

/// Code that writes a sense's columns. Called from several threads at once; it must depend on the
/// seat alone.
using SenseCode = Code<void(const SeatView&, std::span<float> columns)>;

/// A sense of the user's own, written in C++. A file can name it but not hold the code.
struct CustomSense {
  static constexpr std::string_view kind = "custom";  ///< the word for it in files
  std::string name{};                                 ///< unique among the role's senses
  std::vector<CustomColumn> columns{};                ///< at least one
  SenseCode code{};                                   ///< what writes its columns
  Signal signal{};  ///< what its columns go through on their way to the agent
  bool operator==(const CustomSense&) const = default;
};

/// A picture that a custom game hands over as bytes, one column per pixel and channel, row by row
/// from the top left; 0 is black, 1 is bright.
struct CustomPicture {
  static constexpr std::string_view kind = "picture";  ///< the word for it in files
  std::string name = "picture";                        ///< unique among the role's senses
  std::int64_t width = 84, height = 84;  ///< pixels that the game hands over, 4 to 1024
  bool colour = false;                   ///< it hands over red, green and blue of each
  bool grey = true;                      ///< of colours their brightness alone is sensed
  std::array<std::int64_t, 4> crop{
      0, 0, 0, 0};  ///< pixels cut off at the left, top, right and bottom, at least 0
  /// each square of this many pixels a side becomes one, their mean; 1 to 16
  std::int64_t reduce = 1;
  Signal signal{};  ///< what its columns go through on their way to the agent
  bool operator==(const CustomPicture&) const = default;
};

/// What a role can sense by.
using Sense = std::variant<RayFan, RayCone, Compass, OwnMotion, OwnState, Gauges, Window, Hazards,
                           Camera, Crowd, CustomSense, CustomPicture>;

}  // namespace zithercraft
