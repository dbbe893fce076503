#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "zithercraft/arena/entity.hpp"

namespace zithercraft {

/// What happened.
enum class EventKind : std::uint8_t {
  touch,   ///< who began to touch whom, a body, wall, cell, block or the ground; strength: approach
           ///< speed, m/s (steppers: 1)
  part,    ///< it no longer touches
  enter,   ///< the centre of a moving body came into a zone
  inside,  ///< it is still in it, once per tick; only for zones that report it
  leave,   ///< it left the zone
  collect,  ///< a body took an item; strength: its worth
  launch,   ///< who launched the shot whom; strength: its speed, m/s
  hit,      ///< a shot of who struck whom (none: the ground); strength: speed at the impact, m/s
  pass,     ///< a shot of `who` is over; strength: the closest it came to whom, m. Once for each
            ///< target
  empty,    ///< a meter of who fell to its lower bound; detail: which of its meters
  full,     ///< a meter of who rose to its upper bound; detail likewise
  die,      ///< who was killed by whom (none: an empty vital meter)
  back,     ///< `who` is back in the arena
  gate,     ///< who came past a gate of the river whom; strength: the gate's number, from 1
  success,  ///< a seat reached its aim: the episode ends with this verdict
  failure,  ///< a seat failed: the episode ends with this verdict
  cutoff,   ///< the episode was ended without a verdict; detail: by which cutoff (EndedBy)
  dig,  ///< who dug a block of kind whom away; strength: its worth; detail: its number in the world
  place,   ///< who placed a block of kind whom; detail likewise
  custom,  ///< something that a custom game tells of who and whom; strength: as told; detail: which
           ///< of its events
};

/// The word for it in games and records.
std::string_view name_of(EventKind kind) noexcept;

/// On which side something lies, as a body sees it: each is a quarter of the plane.
enum class Way : std::uint8_t { none, ahead, left, behind, right };

/// At which height something lies, as a body sees it: above if its foot is at or above the body's
/// middle, below if its top is at or below it; in arenas with height only.
enum class Rise : std::uint8_t { level, above, below };

/// Where the other of an event's two is at that moment. What has no place of its own (a wall, the
/// ground) is where it was touched; a cell that stopped a stepper is nowhere.
struct Seen {
  Way way = Way::none;      ///< on which side
  Rise rise = Rise::level;  ///< at which height
  bool operator==(const Seen&) const = default;
};

/// Such as "left above"; empty for nowhere and level.
std::string in_words(Seen seen);

/// One thing that happened in an arena.
struct Event {
  std::uint32_t tick = 0;             ///< of the episode, from 1
  EventKind kind = EventKind::touch;  ///< what happened
  Seen by_who{};                      ///< where `whom` is, as `who` sees it
  Seen by_whom{};                     ///< where `who` is, as `whom` sees it
  EntityId who{};                     ///< see Arena::entities
  EntityId whom{};                    ///< the other entity
  float x = 0.0f, y = 0.0f;           ///< where, metres
  float z = 0.0f;                     ///< likewise; 0 in arenas without height
  float strength = 0.0f;              ///< meaning depends on the kind
  std::int32_t detail = 0;            ///< meaning depends on the kind
  bool operator==(const Event&) const = default;
};

}  // namespace zithercraft
