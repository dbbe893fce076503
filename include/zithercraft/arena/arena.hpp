#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "zithercraft/arena/event.hpp"
#include "zithercraft/arena/spec.hpp"

namespace zithercraft {

struct ArenaPlan;

enum class EntityKind : std::uint8_t { body, zone, wall };

/// Anything with a tag. Entities are numbered: all bodies, then all zones, then all walls.
struct Entity {
  EntityKind kind = EntityKind::body;
  std::string name{};
  std::size_t tag = 0;         ///< index into Arena::tags()
  std::size_t spec_index = 0;  ///< index into the spec's list of its kind
  bool free = false;           ///< can move
};

/// Position and heading; cos and sin are those of the heading.
struct Pose {
  float x = 0.0f, y = 0.0f;  ///< metres
  float heading = 0.0f;      ///< radians in [-pi, pi)
  float cos = 1.0f, sin = 0.0f;
};

struct Velocity {
  float x = 0.0f, y = 0.0f;  ///< m/s
  float turn = 0.0f;         ///< rad/s
};

/// Rays from one point. A ray reports the closest thing it meets; a thick one sweeps a disc.
///
/// Solid things that contain the origin are hit at distance 0. Of a zone the outline is hit, from without or within.
struct RayFanQuery {
  float x = 0.0f, y = 0.0f;              ///< origin, metres
  std::span<const float> direction_x{};  ///< unit directions, one per ray
  std::span<const float> direction_y{};
  float reach = 1.0f;          ///< metres, above 0
  float thickness = 0.0f;      ///< diameter of the swept disc, metres; 0 for a thin ray
  std::uint64_t tags = ~0ULL;  ///< bit t set: things of tag t are met; others are looked through
  std::int32_t exclude = -1;   ///< an entity to look through, usually the one that looks
};

/// Memory a caller of `begin` and `tick` lends, one per thread, so that they allocate nothing once it has grown.
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

/// The rules of a play space, compiled from a spec; it holds no state and is safe to share between threads.
///
/// A state is one block of `state_bytes()` bytes that starts on an 8-byte boundary and may be copied freely: a copy is
/// a snapshot. The same spec, keys and inputs give the same bytes on every compiler, optimisation level and machine
/// with IEEE 754 arithmetic.
class Arena {
 public:
  /// Throws Error (spec), naming the key path below "arena", if the spec makes no sense.
  explicit Arena(const ArenaSpec& spec);

  const ArenaSpec& spec() const noexcept;
  std::span<const Entity> entities() const noexcept;
  std::size_t body_count() const noexcept;
  std::size_t zone_count() const noexcept;
  /// Every tag in use, in order of first appearance; at most 64.
  std::span<const std::string> tags() const noexcept;
  /// The tag's index. Throws Error (spec) with advice if there is none of that name; `where` names the key that asks.
  std::size_t tag(std::string_view name, const std::string& where) const;
  /// Entity numbers of all bodies made from the BodySpec of that name.
  std::vector<std::size_t> bodies_named(std::string_view name) const;
  /// Names of the mover inputs of a body ("throttle", "rudder"); empty if it has no mover.
  std::span<const std::string> inputs_of(std::size_t body) const;

  std::size_t state_bytes() const noexcept;
  std::vector<StateField> state_fields() const;

  /// Begins an episode: places everything at random, at rest. A pure function of its keys.
  /// Throws Error (spec) that names the thing and the rule if something cannot be placed.
  void begin(std::byte* state, std::uint64_t seed, std::uint32_t lane, std::uint32_t episode,
             ArenaScratch& scratch) const;

  /// One physics step; appends what happened to `events`.
  void tick(std::byte* state, ArenaScratch& scratch, std::vector<Event>& events) const;

  /// The mover inputs of a body, in the order of `inputs_of`; kept until changed. Clamped to [-1, 1] by the mover.
  std::span<float> inputs(std::byte* state, std::size_t body) const;

  std::uint32_t ticks(const std::byte* state) const noexcept;
  Pose pose(const std::byte* state, std::size_t body_or_zone) const noexcept;
  Velocity velocity(const std::byte* state, std::size_t body) const noexcept;
  /// Puts a body or zone somewhere, at rest; contacts are not checked. For tests, editors and scripted starts.
  void put(std::byte* state, std::size_t body_or_zone, float x, float y, double heading) const noexcept;
  void set_velocity(std::byte* state, std::size_t body, Velocity velocity) const noexcept;
  /// Whether the body's centre is in the zone now.
  bool inside(const std::byte* state, std::size_t body, std::size_t zone) const noexcept;

  /// Closest hits: distance in metres (`reach` for a miss) and entity (-1 for a miss), one per ray.
  void cast(const std::byte* state, const RayFanQuery& rays, std::span<float> distance,
            std::span<std::int32_t> entity) const;

  /// Hash of the whole state block.
  std::uint64_t hash(const std::byte* state) const noexcept;

  /// Corners of the outline of an entity, for drawing: a closed polygon for boxes, an open chain for walls; discs and
  /// capsules come as polygons of 32 corners.
  std::vector<Point> outline(const std::byte* state, std::size_t entity) const;

 private:
  std::shared_ptr<const ArenaPlan> plan_;
};

}  // namespace zithercraft
