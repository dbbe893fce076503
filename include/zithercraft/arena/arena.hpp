#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "zithercraft/arena/entity.hpp"
#include "zithercraft/arena/event.hpp"
#include "zithercraft/arena/spec.hpp"
#include "zithercraft/arena/tag_set.hpp"

namespace zithercraft {

namespace arena_internal {
struct ArenaPlan;
struct ArenaPlans;
}  // namespace arena_internal

/// Position and heading; cos and sin are those of the heading.
struct Pose {
  float x = 0.0f, y = 0.0f;      ///< metres
  float heading = 0.0f;          ///< radians in [-pi, pi)
  float cos = 1.0f, sin = 0.0f;  ///< of the heading
  float z = 0.0f;                ///< metres, of the foot; 0 in flat arenas
  float pitch = 0.0f;            ///< radians above the level
};

/// Of a body's middle.
struct Velocity {
  float x = 0.0f, y = 0.0f;  ///< m/s
  float turn = 0.0f;         ///< rad/s
  float z = 0.0f;            ///< m/s upwards; 0 in flat arenas
};

/// Rays from one point. A ray reports the closest thing it meets; a thick one sweeps a disc.
///
/// Solid things that contain the origin are hit at distance 0. Of a zone the outline is hit, from
/// without or within. In arenas with height rays run through space, and a thick one sweeps an
/// upright cylinder as tall as it is wide, or a ball of the same width where it meets balls, ground
/// and meshes.
struct RayFanQuery {
  float x = 0.0f, y = 0.0f;              ///< origin, metres
  float z = 0.0f;                        ///< likewise; arenas with height only
  std::span<const float> direction_x{};  ///< unit directions, one per ray
  std::span<const float> direction_y{};  ///< likewise
  std::span<const float> direction_z{};  ///< likewise in space; empty: all rays are level
  float reach = 1.0f;                    ///< metres, above 0
  float thickness = 0.0f;                ///< diameter of the swept disc, metres; 0 for a thin ray
  TagSet tags = TagSet::all();  ///< bit t set: things of tag t are met; others are looked through
  EntityId exclude{};           ///< an entity to look through, usually the one that looks
  std::int32_t exclude_side = -1;  ///< a side whose bodies are looked through (see Arena::side_of)
};

/// Rays that each have an origin of their own; otherwise as a fan.
struct RayBatchQuery {
  std::span<const float> x{}, y{};                      ///< origins, metres
  std::span<const float> z{}, direction_z{};            ///< likewise in space; empty: level, at 0
  std::span<const float> direction_x{}, direction_y{};  ///< unit directions, one per ray
  float reach = 1.0f;                                   ///< metres
  float thickness = 0.0f;          ///< diameter of the swept disc, metres; 0 for thin rays
  TagSet tags = TagSet::all();     ///< bit t set: things of tag t are met
  EntityId exclude{};              ///< an entity to look through
  std::int32_t exclude_side = -1;  ///< a side that is looked through; -1 for none
};

/// A picture of an arena seen straight from above: what to draw, and where.
struct MapView {
  float x = 0.0f, y = 0.0f;        ///< metres, of the picture's middle
  float up_x = 1.0f, up_y = 0.0f;  ///< unit direction that is up in the picture
  /// From the side, in arenas with height: (up_x, up_y) is to the right, and what is above is up.
  bool side = false;
  float z = 0.0f;                       ///< metres, of the middle, from the side
  float across = 20.0f;                 ///< metres from its left edge to its right, above 0
  std::size_t width = 84, height = 84;  ///< pixels
  std::size_t channels = 1;             ///< numbers per pixel
  /// [entities][channels]; an entity whose first is below 0 is not drawn
  std::span<const float> shades{};
  std::span<const float> background{};  ///< [channels]
};

/// The shortest path over cells, as seen from its beginning.
struct CellPath {
  float distance = 0.0f;     ///< metres along it
  float x = 0.0f, y = 0.0f;  ///< where to head for: just within the next cell, or the thing itself
                             ///< where that is near
};

/// What the search for paths works with; may be used again and again, by one thread at a time.
struct PathMemory {
  /// Of each cell, and the cells still to be looked at.
  std::vector<std::uint32_t> steps{}, queue{};
};

/// The nearest thing of some tags.
struct NearestHit {
  EntityId entity{};         ///< none if there is none
  float distance = 0.0f;     ///< metres, centre to centre
  float x = 0.0f, y = 0.0f;  ///< its centre
  float z = 0.0f;            ///< likewise, in arenas with height
};

/// A point of an arena, metres; z counts in arenas with height.
struct Place {
  double x = 0.0, y = 0.0, z = 0.0;  ///< metres
};

/// A triangle of the ground or of a mesh.
struct ArenaTriangle {
  std::array<Place, 3> corner{};  ///< counter-clockwise, seen from outside
  EntityId entity{};              ///< whose it is
};

/// Memory a caller of `begin` and `tick` lends, one per thread, so that they allocate nothing once
/// it has grown.
class ArenaScratch {
 public:
  ArenaScratch();
  ~ArenaScratch();
  ArenaScratch(ArenaScratch&&) noexcept;
  ArenaScratch& operator=(ArenaScratch&&) noexcept;

  struct Memory;  ///< opaque

 private:
  friend class Arena;
  std::unique_ptr<Memory> memory_;
};

/// One array of a state block, for formats that describe it.
struct StateField {
  std::string name{};      ///< "x", "turn_rate", ...
  std::string type{};      ///< "f32", "u32", "u64" or "u8"
  std::size_t offset = 0;  ///< bytes from the block's start
  std::size_t count = 0;   ///< elements
};

/// Which kinds of events a caller wants.
class EventMask {
 public:
  /// All kinds of events.
  static constexpr EventMask everything() { return EventMask(~0U); }
  /// No kind of event.
  static constexpr EventMask nothing() { return EventMask(0); }
  /// These and one kind more.
  constexpr EventMask with(EventKind kind) const {
    return EventMask(bits_ | (1U << static_cast<unsigned>(kind)));
  }
  /// Whether a kind is among them.
  constexpr bool has(EventKind kind) const {
    return ((bits_ >> static_cast<unsigned>(kind)) & 1U) != 0;
  }

 private:
  constexpr explicit EventMask(std::uint32_t bits) : bits_(bits) {}
  std::uint32_t bits_;
};

/// The rules of a play space, compiled from a spec; it holds no state and is safe to share between
/// threads.
///
/// A state is one block of `state_bytes()` bytes that starts on an 8-byte boundary and may be
/// copied freely: a copy is a snapshot. Before its first `begin` it holds zeros or another state of
/// the same arena. The same spec, keys and inputs give the same bytes on every compiler,
/// optimisation level and machine with IEEE 754 arithmetic.
class Arena {
 public:
  /// Throws Error (spec), naming the key path below "arena", if the spec makes no sense.
  explicit Arena(const ArenaSpec& spec);

  /// What it was compiled from.
  const ArenaSpec& spec() const noexcept;
  /// All of them, by number.
  std::span<const Entity> entities() const noexcept;
  /// One of them.
  const Entity& entity(EntityId id) const noexcept { return entities()[id.index()]; }
  /// The numbers of all of them.
  EntityRange ids() const noexcept { return {0, entities().size()}; }
  /// All bodies; they have the numbers from 0 on.
  EntityRange bodies() const noexcept;
  /// All zones.
  EntityRange zones() const noexcept;
  /// All that have a pose: bodies, shots, zones and items, which have the numbers from 0 on.
  EntityRange posed() const noexcept;
  /// Every tag in use, in order of first appearance; at most 64.
  std::span<const std::string> tags() const noexcept;
  /// The tag's index. Throws Error (spec) with advice if there is none of that name; `where` names
  /// the key that asks.
  std::size_t tag(std::string_view name, const std::string& where) const;
  /// Entity numbers of all bodies made from the BodySpec of that name.
  std::vector<EntityId> bodies_named(std::string_view name) const;
  /// Names of the inputs of a body: those of its mover ("throttle", "rudder"), then those of its
  /// launchers.
  std::span<const std::string> inputs_of(EntityId body) const;
  /// The number of a body's side, for queries that look through it; -1 for none.
  std::int32_t side_of(EntityId entity) const noexcept;
  /// Names of the meters of a body.
  std::vector<std::string> meters_of(EntityId body) const;
  /// Whether it is a piece of a tail.
  bool in_tail(EntityId posed) const noexcept;
  /// Whether a thing that leaves the arena comes back.
  bool returns(EntityId posed) const noexcept;
  /// Whether the body moves itself, as wanderers do; its inputs are then not to be set.
  bool wanders(EntityId body) const noexcept;

  /// Size of the state of one lane.
  std::size_t state_bytes() const noexcept;
  /// What lies where in a state.
  std::vector<StateField> state_fields() const;

  /// Begins an episode: places everything at random, at rest. A pure function of its keys.
  /// Throws Error (spec) that names the thing and the rule if something cannot be placed.
  void begin(std::byte* state, std::uint64_t seed, std::uint32_t lane, std::uint32_t episode,
             ArenaScratch& scratch) const;

  /// Gives a state the keys of another episode, whose random numbers it uses from here on. Its
  /// clock goes on, since paths and returns depend on it.
  void rekey(std::byte* state, std::uint64_t seed, std::uint32_t lane,
             std::uint32_t episode) const noexcept;

  /// An event that happens now, where a thing with a pose is (none: at 0, 0, 0).
  Event event_at(const std::byte* state, EntityId posed, EventKind kind, EntityId who,
                 EntityId whom, float strength = 1.0f, std::int32_t detail = 0) const;
  /// One tick; appends events of the wanted kinds to `events`.
  void tick(std::byte* state, ArenaScratch& scratch, std::vector<Event>& events,
            EventMask wanted = EventMask::everything()) const;

  /// The inputs of a body, in the order of `inputs_of`; kept until changed. Clamped to [-1, 1]
  /// where they are used.
  std::span<float> inputs(std::byte* state, EntityId body) const;

  /// Whether the arena has height.
  bool has_height() const noexcept;
  /// Metres from foot to top of something with a pose; 0 in flat arenas, infinite for zones without
  /// end. Where heights differ from episode to episode, the state's own counts.
  float height_of(EntityId posed, const std::byte* state = nullptr) const noexcept;
  /// Whether something with a pose is a ball: round from all sides, not only from above.
  bool is_ball(EntityId posed) const noexcept;
  /// The entity a body stands on, none for nothing; always none in flat arenas.
  EntityId stands_on(const std::byte* state, EntityId body) const noexcept;

  /// Ticks since the episode began.
  std::uint32_t ticks(const std::byte* state) const noexcept;
  /// Of an entity that has one: see `posed_count`.
  Pose pose(const std::byte* state, EntityId posed) const noexcept;
  /// Of a body.
  Velocity velocity(const std::byte* state, EntityId body) const noexcept;
  /// Whether it is in the arena now: not dead, collected, a shot that is not under way, or a wall
  /// that has opened.
  bool present(const std::byte* state, EntityId thing) const noexcept;
  /// Whether it is a wall that rules can take out.
  bool opens(EntityId entity) const noexcept;
  /// The tag that an entity bears now, by its number in `tags`.
  std::size_t tag_of(const std::byte* state, EntityId entity) const noexcept;
  /// All tags that an entity can come to bear.
  TagSet tags_ever(EntityId entity) const noexcept;
  /// Whether some body can be given other tags than its own.
  bool tags_change() const noexcept;
  /// Lets a body bear a tag from now on: one of its `tags_ever`, in an arena where tags change.
  void give_tag(std::byte* state, EntityId body, std::size_t tag) const noexcept;
  /// Puts something with a pose somewhere, at rest; contacts are not checked. `z` is that of its
  /// foot, in arenas with height. For tests, editors and scripted starts.
  void put(std::byte* state, EntityId posed, float x, float y, double heading,
           float z = 0.0f) const noexcept;
  /// Takes something with a pose out of the arena, or brings it back where it was.
  void set_present(std::byte* state, EntityId posed, bool present) const noexcept;
  /// Gives a body another velocity.
  void set_velocity(std::byte* state, EntityId body, Velocity velocity) const noexcept;
  /// Whether the body's centre is in the zone now.
  bool inside(const std::byte* state, EntityId body, EntityId zone) const noexcept;
  /// The value of a body's meter. Throws Error (spec) if it has none of that name.
  float meter(const std::byte* state, EntityId body, std::string_view name) const;
  /// A meter's number, to read it often. Throws as `meter` does.
  std::size_t meter_number(EntityId body, std::string_view name) const;
  /// The level of a meter by its number.
  float meter(const std::byte* state, std::size_t number) const noexcept;
  /// Sets a body's meter by its name, within its range. Throws Error (usage) if it has none.
  void set_meter(std::byte* state, EntityId body, std::string_view name, float value) const;

  // ---- Changes between two ticks, as rules make them. Events are appended as by a tick.
  /// Adds to a meter by its number, within its range. Reports a bound that is reached; whose vital
  /// meter gets empty dies.
  void add_to_meter(std::byte* state, std::size_t meter, float by, ArenaScratch& scratch,
                    std::vector<Event>& events) const;
  /// Takes a wall that opens, or something with a pose, out of the arena, at rest. It does not die,
  /// and does not come back by itself. A piece of a tail goes with all behind it, and its leader's
  /// meter sinks by them.
  void take_out(std::byte* state, EntityId posed) const noexcept;
  /// Brings something back that is out of the arena, to where it was, and reports it, unless it is
  /// a wall. False, and nothing is changed, while something that moves is in its place.
  bool bring_back(std::byte* state, EntityId posed, std::vector<Event>& events) const;
  /// Puts something at rest where its placement rule allows it, at random, and reports that it is
  /// back if it was out. False, and nothing is changed, if no free place was met.
  bool place_again(std::byte* state, EntityId posed, ArenaScratch& scratch,
                   std::vector<Event>& events) const;
  /// Whether a wanderer chases now; false for everybody else.
  bool hostile(const std::byte* state, EntityId body) const noexcept;
  /// Switches whether a wanderer chases; nothing for everybody else.
  void set_hostile(std::byte* state, EntityId body, bool hostile) const noexcept;
  /// A phase of the spec by its name, from 1; 0 for the empty name: as the episode began. Throws
  /// Error (spec) with advice, naming `where`, if there is none.
  std::uint32_t phase_number(std::string_view name, const std::string& where) const;
  /// The phase that is in force, 0 for none.
  std::uint32_t phase(const std::byte* state) const noexcept;
  /// The numbers of a phase are in force from now on.
  void enter_phase(std::byte* state, std::uint32_t phase) const noexcept;
  /// All cells of a kind become cells of another; of none: nothing lies there any more.
  void turn_cells(std::byte* state, EntityId from, EntityId into) const noexcept;

  /// Whether a free body touches something of these tags now.
  bool touches(const std::byte* state, EntityId body, TagSet tags) const noexcept;
  /// The tags of bodies that die when they meet an entity.
  TagSet kills(EntityId entity) const noexcept;
  /// A launcher's number. Throws Error (spec), naming `where`, if the body has none of that name.
  std::size_t launcher_number(EntityId body, std::string_view name, const std::string& where) const;
  /// Whether a launcher can launch now.
  bool reloaded(const std::byte* state, std::size_t launcher) const noexcept;
  /// Tags whose closest approach a launcher reports.
  TagSet targets_of(std::size_t launcher) const noexcept;

  // ---- Looking
  /// Draws what a map view asks for, row by row from the top: cells or blocks, then zones, walls,
  /// items, bodies, shots. Nothing is allocated once the scratch has grown.
  void draw(const std::byte* state, const MapView& view, ArenaScratch& scratch,
            std::span<float> pixels) const;
  /// Closest hits: distance in metres (`reach` for a miss) and entity (none for a miss), one per
  /// ray.
  void cast(const std::byte* state, const RayFanQuery& rays, std::span<float> distance,
            std::span<EntityId> entity) const;
  /// Casts rays whose origins and directions are all their own; the results are as for a fan.
  void cast(const std::byte* state, const RayBatchQuery& rays, std::span<float> distance,
            std::span<EntityId> entity) const;
  /// Whether nothing of these tags lies on the straight way between two points.
  bool line_of_sight(const std::byte* state, Place from, Place to, TagSet tags = TagSet::all(),
                     EntityId exclude = {}) const;
  /// The nearest present body, zone or item of these tags; shots are left out. In arenas with
  /// height, distances are measured in space, from (x, y, z) to middles.
  NearestHit nearest(const std::byte* state, float x, float y, TagSet tags, EntityId exclude = {},
                     float z = 0.0f) const;
  /// Which of some bodies and items are present within so many metres of a body, from middle to
  /// middle, in their order; their distances and numbers are appended to `found`.
  void find_near(const std::byte* state, EntityId body, std::span<const EntityId> among,
                 float reach, std::vector<std::pair<float, EntityId>>& found) const;
  /// The shortest path from a place to a thing over cells that are neither solid nor of a kind that
  /// `cells.avoid` names, from side to side; the cells of both count as open. Nothing if there is
  /// no such path or the arena has no cells. A longer path looks at more cells; nothing is
  /// allocated once the memory has grown.
  std::optional<CellPath> path_to(const std::byte* state, float x, float y, EntityId thing,
                                  PathMemory& memory) const;
  /// Everything of these tags that a shape at a pose overlaps, each once, in order of number;
  /// appended to `found`. In arenas with height the shape reaches from `at.z` up by `height` (a
  /// ball: by its width), and balls count as upright.
  void overlaps(const std::byte* state, const Shape& shape, Place at, double heading, TagSet tags,
                std::vector<EntityId>& found, double height = 1.0) const;

  // ---- Cells
  /// Columns and rows of the cell map; 0 without one.
  std::size_t cell_columns() const noexcept;
  /// 0 without cells.
  std::size_t cell_rows() const noexcept;
  /// The entity a cell shows, seen from above: the kind in its uppermost layer that holds one, or
  /// none. Row 0 is the lowest.
  EntityId cell_at(const std::byte* state, std::size_t column, std::size_t row) const noexcept;
  /// For each cell of a window around a body, the tags that lie there (bit t: tag t): its cells,
  /// and what stands on them. Rows run from far ahead to behind, columns from left to right, turned
  /// with the body to the nearest quarter. Cells outside the map have all bits set in `beyond`.
  void window(const std::byte* state, EntityId body, std::size_t ahead, std::size_t behind,
              std::size_t left, std::size_t right, TagSet beyond, std::span<TagSet> tags) const;

  /// Metres along a cell; 0 without a map.
  float cell_size() const noexcept;
  /// The middle of the map of cells or the world of blocks; the origin without either.
  Place middle() const noexcept;

  // ---- Blocks
  /// As for cells, in worlds of blocks: layer by layer from `above` the own foot down to `below`
  /// it, each as a window.
  void block_window(const std::byte* state, EntityId body, std::size_t ahead, std::size_t behind,
                    std::size_t left, std::size_t right, std::size_t above, std::size_t below,
                    TagSet beyond, std::span<TagSet> tags) const;
  /// Size of the world of blocks; zeros without one.
  struct BlockCount {
    std::size_t columns = 0, rows = 0, layers = 0;  ///< along each axis
  };
  /// The size of the world of blocks; zeros without one.
  BlockCount block_count() const noexcept;
  /// The entity of a block's kind; none if it is empty. Layer 0 is the lowest.
  EntityId block_at(const std::byte* state, std::size_t column, std::size_t row,
                    std::size_t layer) const noexcept;
  /// Replaces a block; `kind` is the entity of a kind of block, or none. For tests, editors
  /// and scripted starts.
  void set_block(std::byte* state, std::size_t column, std::size_t row, std::size_t layer,
                 EntityId kind) const noexcept;

  /// Hash of all that can come back to what it was: the state without its clock and keys.
  std::uint64_t hash_without_clock(const std::byte* state) const noexcept;
  /// Hash of the whole state block.
  std::uint64_t hash(const std::byte* state) const noexcept;

  /// Corners of the outline of an entity, for drawing: a closed polygon for what has a shape, an
  /// open chain for walls, nothing for kinds of cells and blocks, the floor and the ground; discs
  /// and capsules come as polygons of 32 corners.
  std::vector<Point> outline(const std::byte* state, EntityId entity) const;

  /// The ground and all meshes, for drawing.
  std::vector<ArenaTriangle> triangles() const;

 private:
  const arena_internal::ArenaPlan& plan_of(const std::byte* state) const noexcept;
  std::shared_ptr<const arena_internal::ArenaPlans> plans_;
};

}  // namespace zithercraft
