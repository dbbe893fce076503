#pragma once

#include <cstdint>
#include <string_view>

namespace zithercraft {

enum class EventKind : std::uint8_t {
  touch,    ///< a free body began to touch a body or wall; strength: approach speed, m/s
  part,     ///< it no longer touches
  enter,    ///< the centre of a free body came into a zone
  leave,    ///< it left the zone
  success,  ///< a seat reached its aim: the episode ends with this verdict
  failure,  ///< a seat failed: the episode ends with this verdict
  cutoff,   ///< the episode was ended without a verdict
};

std::string_view name_of(EventKind kind) noexcept;

/// One thing that happened in an arena.
struct Event {
  std::uint32_t tick = 0;  ///< of the episode, from 1
  EventKind kind = EventKind::touch;
  std::int32_t who = -1;     ///< entity (see Arena::entities), -1 for none
  std::int32_t whom = -1;    ///< the other entity, -1 for none
  float x = 0.0f, y = 0.0f;  ///< where, metres
  float strength = 0.0f;     ///< meaning depends on the kind
  bool operator==(const Event&) const = default;
};

}  // namespace zithercraft
