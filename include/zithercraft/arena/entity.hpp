#pragma once

#include <compare>
#include <concepts>
#include <cstddef>
#include <cstdint>
#include <string>

namespace zithercraft {

/// The number of an entity in its arena, or none. It is a type of its own, so that an index of
/// something else (a tag, a seat, a meter, a lane) cannot stand where an entity is meant.
class EntityId {
 public:
  constexpr EntityId() = default;  ///< none
  /// The entity of that number.
  template <std::unsigned_integral Number>
  explicit constexpr EntityId(Number number) : number_(static_cast<std::int32_t>(number)) {}
  /// A number that is written in the code stands for the entity; -1 for none.
  consteval EntityId(int number) : number_(number) {}
  /// From a number as files, messages and kernels hold it: below 0 for none.
  static constexpr EntityId of(std::int32_t number) {
    EntityId id;
    id.number_ = number;
    return id;
  }

  /// As files, messages and kernels hold it; -1 for none.
  constexpr std::int32_t number() const { return number_; }
  /// Its place in lists that hold something of every entity. Only if it is not none.
  constexpr std::size_t index() const { return static_cast<std::size_t>(number_); }
  /// Whether it is not none.
  explicit constexpr operator bool() const { return number_ >= 0; }
  constexpr bool operator==(const EntityId&) const = default;  ///< the same one, or both none
  /// By number, none first.
  constexpr std::strong_ordering operator<=>(const EntityId& other) const {
    return number_ <=> other.number_;
  }

 private:
  std::int32_t number_ = -1;
};

/// Entities whose numbers follow each other: `for (const EntityId body : arena.bodies())`.
class EntityRange {
 public:
  /// Walks through the range.
  class Iterator {
   public:
    /// At the entity of that number.
    explicit constexpr Iterator(std::size_t at) : at_(at) {}
    constexpr EntityId operator*() const { return EntityId(at_); }  ///< where it is
    /// Goes to the next one.
    constexpr Iterator& operator++() {
      ++at_;
      return *this;
    }
    constexpr bool operator==(const Iterator&) const = default;

   private:
    std::size_t at_;
  };

  /// So many of them, from a number on.
  constexpr EntityRange(std::size_t first, std::size_t count) : first_(first), count_(count) {}
  constexpr Iterator begin() const { return Iterator(first_); }         ///< at the first
  constexpr Iterator end() const { return Iterator(first_ + count_); }  ///< behind the last
  /// How many.
  constexpr std::size_t size() const { return count_; }
  /// Whether there are none.
  constexpr bool empty() const { return count_ == 0; }
  /// One of them, by its place in the range.
  constexpr EntityId operator[](std::size_t place) const { return EntityId(first_ + place); }
  /// Whether an entity is one of them.
  constexpr bool holds(EntityId id) const {
    return id && id.index() >= first_ && id.index() < first_ + count_;
  }

 private:
  std::size_t first_, count_;
};

/// What an entity is.
enum class EntityKind : std::uint8_t {
  body,
  shot,
  zone,
  item,
  wall,
  cell,
  floor,
  ground,
  mesh,
  block
};

/// Anything with a tag. Entities are numbered: all bodies, then shots, zones, items, walls, kinds
/// of cells, the floor, the ground, meshes (one for each tag) and kinds of blocks.
struct Entity {
  EntityKind kind = EntityKind::body;  ///< what it is
  std::string name{};                  ///< of the spec; shared by bodies of one spec
  std::size_t tag = 0;                 ///< index into Arena::tags()
  /// index into the spec's list of its kind; of a shot, its launcher's among all
  std::size_t spec_index = 0;
  bool free = false;   ///< can move
  std::string side{};  ///< the team it belongs to; empty for none
};

}  // namespace zithercraft
