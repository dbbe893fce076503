#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "zithercraft/arena/blocks.hpp"
#include "zithercraft/arena/cells.hpp"
#include "zithercraft/arena/effects.hpp"
#include "zithercraft/arena/heights.hpp"
#include "zithercraft/arena/movers.hpp"
#include "zithercraft/arena/shapes.hpp"

/// What an arena is made of, as plain values. Metres, seconds, kilograms; angles in degrees,
/// counter-clockwise from the x axis. Every struct is an aggregate with defaults, so that C++ can
/// say `{.name = "hull", .count = 8}` and leave the rest; TOML says the same with the same names.
namespace zithercraft {

/// Keeps something away from all things of a tag that are placed in the same layout.
struct KeepAway {
  std::string from{};  ///< a tag
  double by = 1.0;     ///< metres between the outlines, at least 0
  bool operator==(const KeepAway&) const = default;
};

/// Where something begins each episode: a random point of a region with a random heading, so that
/// it overlaps nothing solid that was placed before it.
struct Placement {
  std::array<double, 4> region{0.0, 0.0, 0.0,
                               0.0};  ///< x_min, y_min, x_max, y_max of the centre, metres
  /// On a random cell of these kinds, or on a random fixed body of these names, placed before it,
  /// in arenas with height; the region then only narrows.
  std::vector<std::string> on{};
  std::array<double, 2> heading{0.0, 0.0};  ///< from, to, degrees
  double clearance = 0.0;                   ///< metres kept free around it, at least 0
  /// Of its foot: from, to, metres. Without it, it is set down on the highest ground there. Arenas
  /// with height only.
  std::optional<std::array<double, 2>> level{};
  std::vector<KeepAway> away{};  ///< other things that it begins away from
  bool operator==(const Placement&) const = default;
};

/// fixed: never moves. carried: follows its track or its leader whatever is in the way. free: moved
/// by its mover and by contacts.
enum class Motion { fixed, carried, free };

/// The track of a carried body: from its start through the points and on, at constant speed.
struct Track {
  std::vector<Point>
      points{};        ///< metres, relative to where the body was placed, which is the first point
  double speed = 1.0;  ///< m/s, above 0
  /// from the last point straight to the start and on; else back the way it came
  bool closed = false;
  bool turns = false;  ///< the body heads the way it goes
  /// of the points, metres above where it was placed; empty: it stays level
  std::vector<double> levels{};
  bool operator==(const Track&) const = default;
};

/// What lets bodies follow a leader's path: they are the pieces of its tail, `count` of them for
/// each leader. There are as many of them as a meter of the leader says, whole ones, so that
/// whatever changes the meter makes the tail grow or shrink. New pieces come out at the end as the
/// leader moves on. Who shortens the tail takes pieces from its end; a leader that dies loses it
/// whole, and one that is put elsewhere draws it out behind itself again.
struct Tail {
  std::string follows{};  ///< name of free bodies: each has a tail of its own
  std::string length{};   ///< their meter that says how many pieces there are
  double spacing =
      1.0;  ///< metres along the path from piece to piece, above 0; a cell for steppers
  /// tags of bodies that go through it; of its own leader, if it bears one of them, too
  std::vector<std::string> lets_pass{};
  bool operator==(const Tail&) const = default;
};

/// Where a carried body is, `seconds` after the beginning.
struct CarriedPose {
  double x = 0.0, y = 0.0, heading = 0.0;  ///< metres, radians
  double z = 0.0;                          ///< metres, of the foot
};

/// A carried body's track as C++ code: a pure function of the time and of where the body was
/// placed. It is called from several threads at once. A file can say "custom" but not hold the
/// code.
class Carry {
 public:
  /// Gives the pose at a time, from the pose at the episode's start.
  using Function = std::function<CarriedPose(double seconds, const CarriedPose& start)>;
  Carry() = default;
  /// Code that carries; a body with it cannot be written to a file.
  template <class F>
  requires std::is_invocable_r_v<CarriedPose, F, double, const CarriedPose&> Carry(F callable)
      : used_(true), function_(std::move(callable)) {}

  /// Whether there is any.
  bool used() const noexcept { return used_; }
  /// The code; empty if a file only said that there is some.
  const Function& function() const noexcept { return function_; }

  /// The word for it in a file; empty for none.
  std::string to_toml() const { return used_ ? "custom" : ""; }
  /// Takes it from that word; whether it knows the word.
  bool from_toml(const std::string& word) { return used_ = word == "custom"; }
  /// The words that a file can give.
  static std::vector<std::string> known_values() { return {"custom"}; }
  bool operator==(const Carry& other) const { return used_ == other.used_; }

 private:
  bool used_ = false;
  Function function_;
};

/// A body that moves by itself without a policy: it works its own mover, a walker or a stepper. Of
/// what it could do, the first that applies is done: flee, chase, follow its route, roam.
struct Wanderer {
  std::vector<Point> route{};         ///< points it visits in turn, metres; empty: it roams
  std::vector<std::string> chases{};  ///< tags of bodies it goes for when it is hostile
  std::vector<std::string> flees{};   ///< tags of bodies it runs from
  double sight = 6.0;                 ///< metres at which it notices them, above 0
  bool hostile = true;                ///< switches chasing
  /// seconds after which a roaming one takes a new direction on average, above 0
  double restless = 2.0;
  bool operator==(const Wanderer&) const = default;
};

/// What something uses up of a meter of the body that does it.
struct Cost {
  std::string meter{};  ///< of the launcher's body
  /// above 0; it does not happen while the meter holds less above its lower bound
  double amount = 1.0;
  bool operator==(const Cost&) const = default;
};

/// Throws shots ahead of a body.
///
/// Adds inputs to the body, named after the launcher: `<name>.fire` (above a half: launches if
/// reloaded) and, if `swing` is above 0, `<name>.bearing` (1: `swing` degrees to the left). In
/// arenas with height shots are balls that fall, and if `rise` leaves a choice there is
/// `<name>.elevation` (-1: the lower angle, 1: the upper). Angles count from where the body looks.
struct Launcher {
  std::string name{};                ///< unique among the body's launchers
  std::string tag{};                 ///< of its shots; empty means the same as the name
  double speed = 20.0;               ///< m/s of a shot, beside the body's own velocity, above 0
  double radius = 0.1;               ///< metres, of a shot, above 0
  double life = 3.0;                 ///< seconds until a shot ends by itself, above 0
  double reload = 1.0;               ///< seconds from one launch to the next, at least 0
  double swing = 0.0;                ///< degrees the bearing can be turned to either side, 0 to 180
  std::array<double, 2> rise{0, 0};  ///< degrees above the level: lowest, highest, -90 to 90
  double muzzle = 0.0;   ///< metres above the body's foot at which shots begin, at least 0
  double gravity = 1.0;  ///< share of the arena's gravity that a shot feels, at least 0
  /// kg m/s that a shot gives to a free body it hits, along its way, at least 0
  double push = 0.0;
  std::optional<Cost> costs{};         ///< what each launch uses up
  std::int64_t in_flight = 4;          ///< shots that can be under way at once, 1 to 64
  std::vector<std::string> targets{};  ///< tags of things whose closest approach each shot reports
  std::vector<Effect> effects{};       ///< on what a shot hits
  std::vector<std::string> kills{};    ///< tags of bodies that die when hit
  bool operator==(const Launcher&) const = default;
};

/// One body, or `count` alike.
struct BodySpec {
  std::string name{};  ///< unique among bodies' specs
  std::string tag{};   ///< what kind of thing it is; empty means the same as the name
  std::vector<std::string> may_bear{};  ///< other tags, which rules can give it in place of its own
  std::string side{};                   ///< the team it belongs to; empty for none
  std::int64_t count = 1;               ///< at least 1
  std::optional<double> density{};  ///< instead of `count`: bodies per square metre of the region
  Motion motion = Motion::fixed;    ///< what moves it
  Shape shape = Disc{};             ///< seen from above
  /// metres from foot to top, 1 without it; arenas with height only, not for balls
  std::optional<double> height{};
  double mass = 1.0;    ///< kg, above 0; counts for free bodies only
  double bounce = 0.0;  ///< 0: stays, 1: bounces back as fast as it came
  double grip = 0.3;    ///< friction coefficient of contacts, at least 0
  /// share of speed and turn rate lost per second, at least 0; beside the mover's own
  double drag = 0.0;
  /// m/s it never exceeds by itself or by being pushed, above 0
  std::optional<double> top_speed{};
  /// m/s at which it goes whatever it met, above 0: it never slows and is never hit faster
  std::optional<double> constant_speed{};
  double start_speed = 0.0;      ///< m/s ahead at which it begins and comes back, at least 0
  std::optional<Mover> mover{};  ///< what drives it; none for a body that only drifts
  /// What steers it; none for a body that somebody or nobody steers.
  std::optional<Wanderer> wanderer{};
  std::optional<Track> track{};       ///< of a carried body
  Carry carry{};                      ///< of a carried body, as code
  std::optional<Tail> tail{};         ///< of carried bodies that follow another in a row
  std::vector<Meter> meters{};        ///< what it keeps account of
  std::vector<Launcher> launchers{};  ///< what it fires with
  std::optional<Digger> digger{};  ///< what it digs blocks with; none for a body that does not dig
  std::vector<Effect> effects{};   ///< on those who touch it
  std::vector<std::string> kills{};  ///< tags of bodies that die when they touch it
  std::optional<Return> returns{};   ///< how it comes back when it died; without it, it does not
  Placement place{};                 ///< where it begins
  bool operator==(const BodySpec&) const = default;
};

/// A chain of straight walls. Walls never move and have no thickness.
struct WallSpec {
  std::string name{};                ///< unique among walls
  std::string tag{};                 ///< empty means the same as the name
  std::vector<Point> points{};       ///< at least two corners, metres
  bool closed = false;               ///< also joins the last corner to the first
  double foot = 0.0;                 ///< metres; arenas with height only
  std::optional<double> height{};    ///< metres; without it, the wall has no end up or down
  double bounce = 0.0;               ///< as for bodies
  double grip = 0.3;                 ///< as for bodies
  std::vector<Effect> effects{};     ///< as for bodies
  std::vector<std::string> kills{};  ///< as for bodies
  /// rules can take it out and bring it back; a wall that is out stops nothing and is not seen
  bool opens = false;
  bool operator==(const WallSpec&) const = default;
};

/// A region that bodies can be inside of. It stops nothing; rays report its outline.
struct ZoneSpec {
  std::string name{};                ///< unique among zones
  std::string tag{};                 ///< empty means the same as the name
  std::string side{};                ///< the team whose zone it is; empty for none
  Shape shape = Disc{};              ///< seen from above
  std::optional<double> height{};    ///< metres from its foot; without it, it has no end up or down
  bool kept_free = true;             ///< nothing else is placed where it lies
  bool reports_inside = false;       ///< an `inside` event at every tick for every body inside
  std::vector<Effect> effects{};     ///< on bodies inside
  std::vector<std::string> kills{};  ///< tags of bodies that die when they come into it
  Placement place{};                 ///< where it lies
  bool operator==(const ZoneSpec&) const = default;
};

/// Things that bodies collect by touching them. They stop nothing; rays see them.
struct ItemSpec {
  std::string name{};                 ///< unique among items
  std::string tag{};                  ///< empty means the same as the name
  std::int64_t count = 1;             ///< at least 1
  std::optional<double> density{};    ///< instead of `count`: items per square metre of the region
  Shape shape = Disc{.radius = 0.3};  ///< seen from above
  std::optional<double> height{};     ///< as for bodies
  double worth = 1.0;                 ///< strength of the `collect` event
  /// tags of bodies that can collect it; empty for all that move
  std::vector<std::string> collectors{};
  /// how many of them must be at it at once; all who are share its worth evenly, 1 to 64
  std::int64_t together = 1;
  std::vector<Effect> effects{};    ///< on who takes it
  std::optional<Return> returns{};  ///< without it, it does not come back
  Placement place{};                ///< where it begins
  bool operator==(const ItemSpec&) const = default;
};

/// An endless channel along the x axis: gates of rock, each with one gap, that stay ahead of the
/// body they follow.
///
/// Gates are recycled: one that has fallen `behind` metres back is set up again farthest ahead,
/// with a gap drawn for its number. All gates and banks are fixed bodies named after the river:
/// `<name>` for the rocks, `<name>_bank` for the banks.
struct River {
  std::string name{};      ///< unique among rivers
  std::string follows{};   ///< name of a body; the channel begins where it starts, at x = 0
  std::int64_t gates = 6;  ///< in place at once, 2 to 64
  double spacing = 12.0;   ///< metres from gate to gate, above 0
  double first = 12.0;     ///< x of the first gate, metres
  double width = 16.0;     ///< metres between the banks, above 0
  double thickness = 1.0;  ///< metres, of rocks along the river, above 0
  std::array<double, 2> gap{3.0, 5.0};  ///< least and greatest width of the gap, metres
  double wander = 1.0;  ///< share of the channel's width over which gaps are spread, 0 to 1
  double behind = 6.0;  ///< metres, above 0
  std::array<double, 2> tall{
      2.0, 4.0};  ///< least and greatest height of a rock, metres; arenas with height only
  std::vector<std::string> kills{};  ///< tags of bodies that die when they touch a rock
  bool operator==(const River&) const = default;
};

/// An endless row of platforms along the x axis, with gaps and steps between them that the jump of
/// the body they follow can master; arenas with height only.
///
/// Platforms are made of `stones`, fixed boxes of one size that are all named after the causeway. A
/// stone that has fallen `behind` metres back is set up again farthest ahead. Gaps are drawn, and
/// then shortened to `ease` of what a walker at full speed clears with the step that it has to take
/// there. An `ends` makes it whole from there on: its last platform never stops.
struct Causeway {
  std::string name{};       ///< unique among causeways and bodies
  std::string follows{};    ///< name of a body with a walker that jumps; it begins near x = 0
  std::int64_t count = 48;  ///< stones in place at once, 4 to 1024
  std::array<double, 2> stone{1.0, 2.0};     ///< length along x and width of a stone, metres
  double thickness = 1.0;                    ///< metres from foot to top of a stone, above 0
  std::array<std::int64_t, 2> stones{2, 5};  ///< least and most stones of a platform
  std::array<double, 2> gap{0.5, 3.0};       ///< least and greatest, metres
  std::array<double, 2> rise{-0.5, 0.5};     ///< lowest and highest step up, metres
  std::array<double, 2> levels{0.0, 3.0};    ///< between which tops lie; it begins at the lower
  double ease = 0.8;     ///< share of the longest jump that a gap may be, above 0, at most 1
  double behind = 10.0;  ///< metres, above 0
  std::optional<double> ends{};      ///< x from which on it is whole, metres, above 0
  std::vector<std::string> kills{};  ///< tags of bodies that die when they touch a stone
  bool operator==(const Causeway&) const = default;
};

/// A number of the spec that is drawn for every episode (domain randomisation).
struct Vary {
  std::string key{};  ///< "bodies.hull.mass", "cells.generate[0].loops": names or numbers in lists
  double low = 0.0, high = 0.0;  ///< uniform between these; whole numbers stay whole
  bool operator==(const Vary&) const = default;
};

/// A number of the spec and what it is in a phase.
struct Setting {
  std::string key{};   ///< as in `Vary`
  double value = 0.0;  ///< within the range of that key
  bool operator==(const Setting&) const = default;
};

/// Other numbers of the spec that rules can put in force during an episode: a tide that turns,
/// a wave of faster pursuers. Where things began, how large cells are and how many there are of
/// anything stays as it was.
struct Phase {
  std::string name{};          ///< unique among phases
  std::vector<Setting> set{};  ///< what differs from the numbers that the episode began with
  bool operator==(const Phase&) const = default;
};

/// A play space in local coordinates. Things are placed in this order: rivers, zones, bodies,
/// items, each as listed.
///
/// With `heights`, bodies have a foot and a top, fall, stand, walk up steps and jump; `ground`,
/// `meshes` and `blocks` need it.
struct ArenaSpec {
  double tick = 0.05;  ///< seconds of one tick, above 0, at most 0.25
  /// m/s of the water or the wind, along x and y. Free bodies with a drag, and boats, drift with
  /// it: what they lose by drag is their speed through the water, and a rudder feels the water that
  /// flows past it. Nothing else feels it.
  std::array<double, 2> current{0.0, 0.0};
  std::vector<WallSpec> walls{};       ///< lines that stop things
  std::vector<ZoneSpec> zones{};       ///< places that bodies can be inside of
  std::vector<BodySpec> bodies{};      ///< what moves, or stands in the way
  std::vector<ItemSpec> items{};       ///< what can be taken
  std::optional<CellsSpec> cells{};    ///< a map of squares; none without
  std::optional<Heights> heights{};    ///< switches the third dimension on
  std::optional<GroundSpec> ground{};  ///< ground with heights; none without
  std::vector<MeshSpec> meshes{};      ///< fixed things made of triangles
  std::optional<BlocksSpec> blocks{};  ///< a world of blocks; none without
  std::vector<River> rivers{};         ///< water that flows
  std::vector<Causeway> causeways{};   ///< rows of platforms
  /// Numbers that differ from episode to episode. `variants` arenas are drawn beforehand; each
  /// episode plays one.
  std::vector<Vary> vary{};
  std::int64_t variants = 64;  ///< 1 to 4096
  /// What rules can switch to in the course of an episode.
  std::vector<Phase> phases{};
  bool operator==(const ArenaSpec&) const = default;
};

}  // namespace zithercraft
