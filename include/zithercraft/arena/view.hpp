#pragma once

#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include "zithercraft/arena/arena.hpp"

namespace zithercraft {

/// An arena and the state of one lane together, to be asked how things stand. It borrows both: it
/// is valid as long as they are, and always tells the present state. All means what it means in
/// Arena.
class ArenaView {
 public:
  /// Of that arena in that state.
  ArenaView(const Arena& arena, const std::byte* state) : arena_(&arena), state_(state) {}

  /// The arena, which is the same in all states.
  const Arena& arena() const noexcept { return *arena_; }
  /// The state, for what an arena alone can do with it.
  const std::byte* state() const noexcept { return state_; }

  /// Ticks since the episode began.
  std::uint32_t ticks() const noexcept { return arena_->ticks(state_); }
  /// Where an entity is; only of those that have a pose.
  Pose pose(EntityId posed) const noexcept { return arena_->pose(state_, posed); }
  /// How a body moves.
  Velocity velocity(EntityId body) const noexcept { return arena_->velocity(state_, body); }
  /// Whether an entity is there now.
  bool present(EntityId thing) const noexcept { return arena_->present(state_, thing); }
  /// The tag that an entity bears now.
  std::size_t tag_of(EntityId entity) const noexcept { return arena_->tag_of(state_, entity); }
  /// What a body stands on; none for nothing.
  EntityId stands_on(EntityId body) const noexcept { return arena_->stands_on(state_, body); }
  /// Whether a body's centre is inside a zone.
  bool inside(EntityId body, EntityId zone) const noexcept {
    return arena_->inside(state_, body, zone);
  }
  /// A body's meter. Throws Error (spec) if it has none of that name.
  float meter(EntityId body, std::string_view name) const {
    return arena_->meter(state_, body, name);
  }
  /// A meter by its number.
  float meter(std::size_t number) const noexcept { return arena_->meter(state_, number); }
  /// Whether a body touches something of some tags.
  bool touches(EntityId body, TagSet tags) const noexcept {
    return arena_->touches(state_, body, tags);
  }
  /// Whether a launcher can fire.
  bool reloaded(std::size_t launcher) const noexcept { return arena_->reloaded(state_, launcher); }

  /// What rays from one point meet.
  void cast(const RayFanQuery& rays, std::span<float> distance, std::span<EntityId> entity) const {
    arena_->cast(state_, rays, distance, entity);
  }
  /// What rays from points of their own meet.
  void cast(const RayBatchQuery& rays, std::span<float> distance,
            std::span<EntityId> entity) const {
    arena_->cast(state_, rays, distance, entity);
  }
  /// Whether nothing of some tags lies between two places.
  bool line_of_sight(Place from, Place to, TagSet tags = TagSet::all(),
                     EntityId exclude = {}) const {
    return arena_->line_of_sight(state_, from, to, tags, exclude);
  }
  /// The nearest thing of some tags.
  NearestHit nearest(float x, float y, TagSet tags, EntityId exclude = {}, float z = 0.0f) const {
    return arena_->nearest(state_, x, y, tags, exclude, z);
  }
  /// Adds everything that a shape at a place overlaps to `found`.
  void overlaps(const Shape& shape, Place at, double heading, TagSet tags,
                std::vector<EntityId>& found, double height = 1.0) const {
    arena_->overlaps(state_, shape, at, heading, tags, found, height);
  }
  /// The kind of a cell; see Arena::cell_at.
  EntityId cell_at(std::size_t column, std::size_t row) const noexcept {
    return arena_->cell_at(state_, column, row);
  }
  /// The kind of a block; see Arena::block_at.
  EntityId block_at(std::size_t column, std::size_t row, std::size_t layer) const noexcept {
    return arena_->block_at(state_, column, row, layer);
  }
  /// The outline of an entity as it lies now.
  std::vector<Point> outline(EntityId entity) const { return arena_->outline(state_, entity); }
  /// Of everything in the state; equal states have equal hashes.
  std::uint64_t hash() const noexcept { return arena_->hash(state_); }

 private:
  const Arena* arena_;
  const std::byte* state_;
};

}  // namespace zithercraft
