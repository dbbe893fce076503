#pragma once

// The fields of the arena's structs by name and range: see config/config.hpp.

#include "config/config.hpp"
#include "zithercraft/arena/spec.hpp"

namespace zithercraft {
using namespace config;

template <>
struct config::Words<Motion> {
  static constexpr std::array list{std::pair{"fixed", Motion::fixed},
                                   std::pair{"carried", Motion::carried},
                                   std::pair{"free", Motion::free}};
};

template <>
struct config::Words<Meeting> {
  static constexpr std::array list{std::pair{"none", Meeting::none}, std::pair{"one", Meeting::one},
                                   std::pair{"all", Meeting::all}};
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
void describe(V& v, Outline& s) {
  v("corners", s.corners, needed());
}

template <class V>
void describe(V& v, Ball& s) {
  v("radius", s.radius, positive());
}

template <class V>
void describe(V& v, KeepAway& s) {
  v("from", s.from, needed());
  v("by", s.by, at_least(0));
}

template <class V>
void describe(V& v, Placement& s) {
  v("region", s.region);
  v("on", s.on);
  v("heading", s.heading);
  v("clearance", s.clearance, at_least(0));
  v("level", s.level);
  v("away", s.away);
}

template <class V>
void describe(V& v, Meter& s) {
  v("name", s.name, needed());
  v("low", s.low);
  v("high", s.high);
  v("start", s.start);
  v("change", s.change);
  v("vital", s.vital);
}

template <class V>
void describe(V& v, Effect& s) {
  v("meter", s.meter, needed());
  v("amount", s.amount);
  v("per_second", s.per_second);
  v("by", s.by);
}

template <class V>
void describe(V& v, Return& s) {
  v("after", s.after, between(0, 1e6));
  v("elsewhere", s.elsewhere);
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
void describe(V& v, Walker& s) {
  v("speed", s.speed, positive());
  v("acceleration", s.acceleration, positive());
  v("turn_rate", s.turn_rate, at_least(0));
  v("jump", s.jump, at_least(0));
  v("step_height", s.step_height, at_least(0));
  v("slope", s.slope, between(0, 80));
  v("in_air", s.in_air, between(0, 1));
  v("pitch_rate", s.pitch_rate, at_least(0));
  v("pitch_limit", s.pitch_limit, between(0, 89));
}

template <class V>
void describe(V& v, Flyer& s) {
  v("speed", s.speed, positive());
  v("climb", s.climb, positive());
  v("acceleration", s.acceleration, positive());
  v("turn_rate", s.turn_rate, at_least(0));
  v("pitch_rate", s.pitch_rate, at_least(0));
  v("pitch_limit", s.pitch_limit, between(0, 89));
}

template <class V>
void describe(V& v, Car& s) {
  v("engine", s.engine, positive());
  v("brakes", s.brakes, positive());
  v("drag", s.drag, at_least(0));
  v("wheelbase", s.wheelbase, positive());
  v("steer_angle", s.steer_angle, Rule{.low = 0.0, .high = 80.0, .above_low = true});
  v("side_grip", s.side_grip, at_least(0));
}

template <class V>
void describe(V& v, Stepper& s) {
  v("ticks_per_move", s.ticks_per_move, between(1, 10'000));
  v("faces_move", s.faces_move);
  v("pushes", s.pushes);
  v("pushable", s.pushable);
}

template <class V>
void describe(V& v, Rail& s) {
  v("from", s.from, needed());
  v("to", s.to, needed());
  v("centre", s.centre);
  v("speed", s.speed, positive());
  v("acceleration", s.acceleration, positive());
  v("start", s.start, between(0, 1));
}

template <class V>
void describe(V& v, Wanderer& s) {
  v("route", s.route);
  v("chases", s.chases);
  v("flees", s.flees);
  v("sight", s.sight, positive());
  v("hostile", s.hostile);
  v("restless", s.restless, positive());
}

template <class V>
void describe(V& v, Cost& s) {
  v("meter", s.meter, needed());
  v("amount", s.amount, positive());
}

template <class V>
void describe(V& v, Launcher& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("speed", s.speed, positive());
  v("radius", s.radius, positive());
  v("life", s.life, Rule{.low = 0.0, .high = 1e6, .above_low = true});
  v("reload", s.reload, between(0, 1e6));
  v("swing", s.swing, between(0, 180));
  v("rise", s.rise, between(-90, 90));
  v("muzzle", s.muzzle, at_least(0));
  v("gravity", s.gravity, at_least(0));
  v("push", s.push, at_least(0));
  v("costs", s.costs);
  v("in_flight", s.in_flight, between(1, 64));
  v("targets", s.targets);
  v("effects", s.effects);
  v("kills", s.kills);
}

template <class V>
void describe(V& v, Track& s) {
  v("points", s.points, needed());
  v("speed", s.speed, positive());
  v("closed", s.closed);
  v("turns", s.turns);
  v("levels", s.levels);
}

template <class V>
void describe(V& v, Tail& s) {
  v("follows", s.follows, needed());
  v("length", s.length, needed());
  v("spacing", s.spacing, positive());
  v("lets_pass", s.lets_pass);
}

template <class V>
void describe(V& v, BodySpec& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("may_bear", s.may_bear);
  v("side", s.side);
  v("count", s.count, between(1, 4096));
  v("density", s.density, positive());
  v("motion", s.motion);
  v("shape", s.shape);
  v("height", s.height, positive());
  v("mass", s.mass, positive());
  v("bounce", s.bounce, between(0, 1));
  v("grip", s.grip, at_least(0));
  v("drag", s.drag, at_least(0));
  v("top_speed", s.top_speed, positive());
  v("constant_speed", s.constant_speed, positive());
  v("start_speed", s.start_speed, at_least(0));
  v("mover", s.mover);
  v("wanderer", s.wanderer);
  v("track", s.track);
  v("carry", s.carry);
  v("tail", s.tail);
  v("meters", s.meters);
  v("launchers", s.launchers);
  v("digger", s.digger);
  v("effects", s.effects);
  v("kills", s.kills);
  v("returns", s.returns);
  v("place", s.place);
}

template <class V>
void describe(V& v, WallSpec& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("points", s.points, needed());
  v("closed", s.closed);
  v("foot", s.foot);
  v("height", s.height, positive());
  v("bounce", s.bounce, between(0, 1));
  v("grip", s.grip, at_least(0));
  v("effects", s.effects);
  v("kills", s.kills);
  v("opens", s.opens);
}

template <class V>
void describe(V& v, ZoneSpec& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("side", s.side);
  v("shape", s.shape);
  v("height", s.height, positive());
  v("kept_free", s.kept_free);
  v("reports_inside", s.reports_inside);
  v("effects", s.effects);
  v("kills", s.kills);
  v("place", s.place);
}

template <class V>
void describe(V& v, ItemSpec& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("count", s.count, between(1, 4096));
  v("density", s.density, positive());
  v("shape", s.shape);
  v("height", s.height, positive());
  v("worth", s.worth);
  v("collectors", s.collectors);
  v("together", s.together, between(1, 64));
  v("effects", s.effects);
  v("returns", s.returns);
  v("place", s.place);
}

template <class V>
void describe(V& v, CellKind& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("symbol", s.symbol);
  v("solid", s.solid);
  v("seen", s.seen);
  v("height", s.height, positive());
  v("effects", s.effects);
  v("kills", s.kills);
}

template <class V>
void describe(V& v, Maze& s) {
  v("wall", s.wall, needed());
  v("open", s.open, needed());
  v("corridor", s.corridor, between(1, 1000));
  v("loops", s.loops, between(0, 1));
}

template <class V>
void describe(V& v, Rooms& s) {
  v("wall", s.wall, needed());
  v("open", s.open, needed());
  v("rooms", s.rooms, between(1, 1000));
  v("smallest", s.smallest, between(1, 1000));
  v("largest", s.largest, between(1, 1000));
}

template <class V>
void describe(V& v, Caves& s) {
  v("wall", s.wall, needed());
  v("open", s.open, needed());
  v("fill", s.fill, between(0, 1));
  v("rounds", s.rounds, between(0, 20));
}

template <class V>
void describe(V& v, Islands& s) {
  v("water", s.water, needed());
  v("land", s.land, needed());
  v("hill", s.hill);
  v("share", s.share, between(0, 1));
  v("hills", s.hills, between(0, 1));
  v("feature", s.feature, Rule{.low = 1.0, .high = 4096.0, .above_low = true});
}

template <class V>
void describe(V& v, Scatter& s) {
  v("on", s.on, needed());
  v("put", s.put, needed());
  v("density", s.density, between(0, 1));
  v("layer", s.layer, between(0, 7));
}

template <class V>
void describe(V& v, CellsSpec& s) {
  v("size", s.size, positive());
  v("origin", s.origin);
  v("kinds", s.kinds, needed());
  v("layers", s.layers);
  v("columns", s.columns, between(0, 4096));
  v("rows", s.rows, between(0, 4096));
  v("meeting", s.meeting);
  v("swapping", s.swapping);
  v("generate", s.generate);
  v("connect", s.connect);
  v("avoid", s.avoid);
}

template <class V>
void describe(V& v, River& s) {
  v("name", s.name, needed());
  v("follows", s.follows, needed());
  v("gates", s.gates, between(2, 64));
  v("spacing", s.spacing, positive());
  v("first", s.first);
  v("width", s.width, positive());
  v("thickness", s.thickness, positive());
  v("gap", s.gap, positive());
  v("wander", s.wander, between(0, 1));
  v("behind", s.behind, positive());
  v("tall", s.tall, positive());
  v("kills", s.kills);
}

template <class V>
void describe(V& v, Causeway& s) {
  v("name", s.name, needed());
  v("follows", s.follows, needed());
  v("count", s.count, between(4, 1024));
  v("stone", s.stone, positive());
  v("thickness", s.thickness, positive());
  v("stones", s.stones, between(1, 1024));
  v("gap", s.gap, at_least(0));
  v("rise", s.rise);
  v("levels", s.levels);
  v("ease", s.ease, Rule{.low = 0.0, .high = 1.0, .above_low = true});
  v("behind", s.behind, positive());
  v("ends", s.ends, positive());
  v("kills", s.kills);
}

template <class V>
void describe(V& v, Floor& s) {
  v("name", s.name);
  v("tag", s.tag);
  v("level", s.level);
  v("bounce", s.bounce, between(0, 1));
  v("grip", s.grip, at_least(0));
  v("effects", s.effects);
  v("kills", s.kills);
}

template <class V>
void describe(V& v, Heights& s) {
  v("gravity", s.gravity, at_least(0));
  v("floor", s.floor);
  v("ceiling", s.ceiling);
  v("lowest", s.lowest);
}

template <class V>
void describe(V& v, GroundSpec& s) {
  v("name", s.name);
  v("tag", s.tag);
  v("file", s.file);
  v("levels", s.levels);
  v("origin", s.origin);
  v("spacing", s.spacing, positive());
  v("scale", s.scale);
  v("lift", s.lift);
  v("bounce", s.bounce, between(0, 1));
  v("grip", s.grip, at_least(0));
  v("effects", s.effects);
  v("kills", s.kills);
}

template <class V>
void describe(V& v, MeshSpec& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("file", s.file);
  v("corners", s.corners);
  v("triangles", s.triangles, at_least(0));
  v("at", s.at);
  v("heading", s.heading);
  v("scale", s.scale, positive());
  v("bounce", s.bounce, between(0, 1));
  v("grip", s.grip, at_least(0));
  v("effects", s.effects);
  v("kills", s.kills);
}

template <class V>
void describe(V& v, BlockKind& s) {
  v("name", s.name, needed());
  v("tag", s.tag);
  v("solid", s.solid);
  v("hardness", s.hardness, at_least(0));
  v("worth", s.worth);
  v("bounce", s.bounce, between(0, 1));
  v("grip", s.grip, at_least(0));
  v("effects", s.effects);
  v("kills", s.kills);
}

constexpr Rule feature_size() { return {.low = 1.0, .high = 4096.0, .above_low = true}; }

template <class V>
void describe(V& v, Strata& s) {
  v("kinds", s.kinds, needed());
  v("thickness", s.thickness, at_least(0));
  v("surface", s.surface, between(0, 1));
  v("relief", s.relief, at_least(0));
  v("feature", s.feature, feature_size());
}

template <class V>
void describe(V& v, Hollows& s) {
  v("in", s.in, needed());
  v("put", s.put);
  v("share", s.share, between(0, 1));
  v("feature", s.feature, feature_size());
  v("lowest", s.lowest, between(0, 1));
  v("highest", s.highest, between(0, 1));
}

template <class V>
void describe(V& v, Veins& s) {
  v("put", s.put, needed());
  v("in", s.in, needed());
  v("count", s.count, between(1, 10'000));
  v("length", s.length, between(1, 1'000));
  v("lowest", s.lowest, between(0, 1));
  v("highest", s.highest, between(0, 1));
}

template <class V>
void describe(V& v, BlocksSpec& s) {
  v("size", s.size, positive());
  v("origin", s.origin);
  v("kinds", s.kinds, needed());
  v("file", s.file);
  v("columns", s.columns, between(0, 512));
  v("rows", s.rows, between(0, 512));
  v("layers", s.layers, between(0, 512));
  v("generate", s.generate);
  v("layouts", s.layouts, between(1, 1024));
  v("seed", s.seed, at_least(0));
}

template <class V>
void describe(V& v, Digger& s) {
  v("reach", s.reach, positive());
  v("eye", s.eye, at_least(0));
  v("power", s.power, positive());
  v("places", s.places);
  v("stock", s.stock);
  v("every", s.every, between(0, 1e6));
  v("steep", s.steep, between(0, 90));
  v("steep_most", s.steep_most, between(0, 1'000'000));
}

template <class V>
void describe(V& v, Vary& s) {
  v("key", s.key, needed());
  v("low", s.low, needed());
  v("high", s.high, needed());
}

template <class V>
void describe(V& v, Setting& s) {
  v("key", s.key, needed());
  v("value", s.value, needed());
}

template <class V>
void describe(V& v, Phase& s) {
  v("name", s.name, needed());
  v("set", s.set, needed());
}

template <class V>
void describe(V& v, ArenaSpec& s) {
  v("tick", s.tick, Rule{.low = 0.0, .high = 0.25, .above_low = true});
  v("current", s.current, between(-1000, 1000));
  v("walls", s.walls);
  v("zones", s.zones);
  v("bodies", s.bodies);
  v("items", s.items);
  v("cells", s.cells);
  v("heights", s.heights);
  v("ground", s.ground);
  v("meshes", s.meshes);
  v("blocks", s.blocks);
  v("rivers", s.rivers);
  v("causeways", s.causeways);
  v("vary", s.vary);
  v("variants", s.variants, between(1, 4096));
  v("phases", s.phases);
}

}  // namespace zithercraft
