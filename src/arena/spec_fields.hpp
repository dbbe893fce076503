#pragma once

// The fields of the arena's structs by name and range: see base/config.hpp.

#include "../base/config.hpp"
#include "zithercraft/arena/spec.hpp"

namespace zithercraft {

template <>
struct Words<Motion> {
  static constexpr std::array list{std::pair{"fixed", Motion::fixed}, std::pair{"free", Motion::free}};
};

template <class V>
void describe(V& v, Disc& s) {
  v("radius", s.radius, positive());
}

template <class V>
void describe(V& v, Capsule& s) {
  v("length", s.length, positive());
  v("radius", s.radius, positive());
}

template <class V>
void describe(V& v, Box& s) {
  v("length", s.length, positive());
  v("width", s.width, positive());
}

template <class V>
void describe(V& v, Placement& s) {
  v("region", s.region);
  v("heading", s.heading);
  v("clearance", s.clearance, at_least(0));
}

template <class V>
void describe(V& v, Boat& s) {
  v("thrust", s.thrust, positive());
  v("drag_ahead", s.drag_ahead, at_least(0));
  v("drag_abeam", s.drag_abeam, at_least(0));
  v("rudder_flow", s.rudder_flow);
  v("rudder_wash", s.rudder_wash);
  v("drag_turn", s.drag_turn, at_least(0));
}

template <class V>
void describe(V& v, BodySpec& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("count", s.count, between(1, 4096));
  v("motion", s.motion);
  v("shape", s.shape);
  v("mass", s.mass, positive());
  v("bounce", s.bounce, between(0, 1));
  v("grip", s.grip, at_least(0));
  v("drag", s.drag, at_least(0));
  v("mover", s.mover);
  v("place", s.place);
}

template <class V>
void describe(V& v, WallSpec& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("points", s.points, needed());
  v("closed", s.closed);
  v("bounce", s.bounce, between(0, 1));
  v("grip", s.grip, at_least(0));
}

template <class V>
void describe(V& v, ZoneSpec& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("shape", s.shape);
  v("place", s.place);
}

template <class V>
void describe(V& v, ArenaSpec& s) {
  v("tick", s.tick, Rule{.low = 0.0, .high = 0.25, .above_low = true});
  v("walls", s.walls);
  v("zones", s.zones);
  v("bodies", s.bodies);
}

}  // namespace zithercraft
