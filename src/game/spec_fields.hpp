#pragma once

// The fields of the game's structs by name and range: see base/config.hpp.

#include "../arena/spec_fields.hpp"
#include "zithercraft/game/spec.hpp"

namespace zithercraft {

template <>
struct Words<EventKind> {
  static constexpr std::array list{std::pair{"touch", EventKind::touch},   std::pair{"part", EventKind::part},
                                   std::pair{"enter", EventKind::enter},   std::pair{"stay", EventKind::stay},
                                   std::pair{"leave", EventKind::leave},   std::pair{"collect", EventKind::collect},
                                   std::pair{"launch", EventKind::launch}, std::pair{"hit", EventKind::hit},
                                   std::pair{"pass", EventKind::pass},     std::pair{"empty", EventKind::empty},
                                   std::pair{"full", EventKind::full},     std::pair{"die", EventKind::die},
                                   std::pair{"back", EventKind::back},     std::pair{"gate", EventKind::gate},
                                   std::pair{"dig", EventKind::dig},       std::pair{"place", EventKind::place}};
};

template <>
struct Words<Part> {
  static constexpr std::array list{std::pair{"either", Part::either}, std::pair{"who", Part::who},
                                   std::pair{"whom", Part::whom}};
};

template <>
struct Words<Verdict> {
  static constexpr std::array list{std::pair{"no", Verdict::none}, std::pair{"success", Verdict::success},
                                   std::pair{"failure", Verdict::failure}};
};

// What fans and cones share.
template <class V, class Rays>
void describe_rays(V& v, Rays& s) {
  v("name", s.name);
  v("rays", s.rays, between(1, 1024));
  v("arc", s.arc, Rule{.low = 0.0, .high = 360.0, .above_low = true});
  v("reach", s.reach, positive());
  v("thickness", s.thickness, at_least(0));
  v("sees", s.sees, needed());
  v("sees_own_side", s.sees_own_side);
  v("from_height", s.from_height);
}

template <class V>
void describe(V& v, RayFan& s) {
  describe_rays(v, s);
  v("to_height", s.to_height);
  v("looks", s.looks);
}

template <class V>
void describe(V& v, RayCone& s) {
  describe_rays(v, s);
}

template <class V>
void describe(V& v, Compass& s) {
  v("name", s.name);
  v("to", s.to, needed());
  v("paired", s.paired);
  v("reach", s.reach, positive());
}

template <class V>
void describe(V& v, OwnMotion& s) {
  v("name", s.name);
  v("top_speed", s.top_speed, positive());
  v("top_turn_rate", s.top_turn_rate, positive());
}

template <class V>
void describe(V& v, Gauges& s) {
  v("name", s.name);
  v("meters", s.meters);
}

template <class V>
void describe(V& v, Window& s) {
  v("name", s.name);
  v("ahead", s.ahead, between(0, 64));
  v("behind", s.behind, between(0, 64));
  v("left", s.left, between(0, 64));
  v("right", s.right, between(0, 64));
  v("sees", s.sees, needed());
  v("beyond", s.beyond);
}

template <class V>
void describe(V& v, Dial& s) {
  v("name", s.name, needed());
  v("drives", s.drives);
  v("low", s.low, between(-1, 1));
  v("high", s.high, between(-1, 1));
}

template <class V>
void describe(V& v, Option& s) {
  v("name", s.name, needed());
  v("value", s.value, between(-1, 1));
  v("sets", s.sets, between(-1, 1));
}

template <class V>
void describe(V& v, Choice& s) {
  v("name", s.name, needed());
  v("drives", s.drives);
  v("options", s.options, needed());
}

template <class V>
void describe(V& v, Progress& s) {
  v("of", s.of);
  v("to", s.to, needed());
  v("paired", s.paired);
}

template <class V>
void describe(V& v, Happening& s) {
  v("event", s.event, needed());
  v("of", s.of);
  v("as", s.as);
  v("with", s.with);
  v("harder_than", s.harder_than, at_least(0));
  v("by_strength", s.by_strength);
}

template <class V>
void describe(V& v, Condition& s) {
  v("of", s.of);
  v("inside", s.inside);
  v("paired", s.paired);
  v("slower_than", s.slower_than, positive());
}

template <class V>
void describe(V& v, Term& s) {
  v("name", s.name, needed());
  v("weight", s.weight);
  v("progress", s.progress);
  v("on", s.on);
  v("when", s.when);
  v("each_decision", s.each_decision);
  v("ends", s.ends);
}

template <class V>
void describe(V& v, KeyBinding& s) {
  v("key", s.key);
  v("axis", s.axis, between(0, 15));
  v("button", s.button, between(0, 31));
  v("control", s.control, needed());
  v("value", s.value, between(-1, 1));
  v("option", s.option);
}

template <class V>
void describe(V& v, RoleSpec& s) {
  v("name", s.name, needed());
  v("body", s.body);
  v("senses", s.senses);
  v("controls", s.controls);
  v("rewards", s.rewards);
  v("script", s.script);
  v("keys", s.keys);
}

template <class V>
void describe(V& v, Cutoffs& s) {
  v("decisions", s.decisions, between(1, 1'000'000));
}

template <class V>
void describe(V& v, GameSpec& s) {
  v("name", s.name, needed());
  v("about", s.about);
  v("think_every", s.think_every, between(1, 1000));
  v("arena", s.arena, needed());
  v("roles", s.roles, needed());
  v("cutoffs", s.cutoffs);
}

}  // namespace zithercraft
