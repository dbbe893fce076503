#pragma once

// The fields of the game's structs by name and range: see config/config.hpp.

#include "arena/compile/spec_fields.hpp"
#include "zithercraft/game/spec.hpp"

namespace zithercraft {

template <>
struct config::Words<EventKind> {
  static constexpr std::array list{
      std::pair{"touch", EventKind::touch},   std::pair{"part", EventKind::part},
      std::pair{"enter", EventKind::enter},   std::pair{"inside", EventKind::inside},
      std::pair{"leave", EventKind::leave},   std::pair{"collect", EventKind::collect},
      std::pair{"launch", EventKind::launch}, std::pair{"hit", EventKind::hit},
      std::pair{"pass", EventKind::pass},     std::pair{"empty", EventKind::empty},
      std::pair{"full", EventKind::full},     std::pair{"die", EventKind::die},
      std::pair{"back", EventKind::back},     std::pair{"gate", EventKind::gate},
      std::pair{"dig", EventKind::dig},       std::pair{"place", EventKind::place},
      std::pair{"custom", EventKind::custom}};
};

template <>
struct config::Words<Part> {
  static constexpr std::array list{std::pair{"either", Part::either}, std::pair{"who", Part::who},
                                   std::pair{"whom", Part::whom}};
};

template <>
struct config::Words<Approach> {
  static constexpr std::array list{
      std::pair{"any", Approach::any},       std::pair{"ahead", Approach::ahead},
      std::pair{"behind", Approach::behind}, std::pair{"beside", Approach::beside},
      std::pair{"above", Approach::above},   std::pair{"below", Approach::below}};
};

template <>
struct config::Words<Verdict> {
  static constexpr std::array list{std::pair{"no", Verdict::none},
                                   std::pair{"success", Verdict::success},
                                   std::pair{"failure", Verdict::failure}};
};

template <>
struct config::Words<RayReport> {
  static constexpr std::array list{std::pair{"first", RayReport::first},
                                   std::pair{"first_or_miss", RayReport::first_or_miss},
                                   std::pair{"each_tag", RayReport::each_tag}};
};

template <>
struct config::Words<Whose> {
  static constexpr std::array list{std::pair{"anyone", Whose::anyone}, std::pair{"own", Whose::own},
                                   std::pair{"others", Whose::others},
                                   std::pair{"partner", Whose::partner}};
};

template <>
struct config::Words<Bearings> {
  static constexpr std::array list{std::pair{"angle", Bearings::angle},
                                   std::pair{"four", Bearings::four},
                                   std::pair{"eight", Bearings::eight}};
};

template <>
struct config::Words<CameraFrom> {
  static constexpr std::array list{
      std::pair{"above", CameraFrom::above}, std::pair{"eyes", CameraFrom::eyes},
      std::pair{"overall", CameraFrom::overall}, std::pair{"side", CameraFrom::side}};
};

template <>
struct config::Words<Counts> {
  static constexpr std::array list{std::pair{"every", Counts::every},
                                   std::pair{"first", Counts::first},
                                   std::pair{"first_of_each", Counts::first_of_each}};
};

template <>
struct config::Words<Over> {
  static constexpr std::array list{std::pair{"sum", Over::sum}, std::pair{"best", Over::best}};
};

template <>
struct config::Words<Scope> {
  static constexpr std::array list{std::pair{"self", Scope::self}, std::pair{"side", Scope::side},
                                   std::pair{"everyone", Scope::everyone}};
};

template <class V>
void describe(V& v, Signal& s) {
  v("history", s.history, between(0, 64));
  v("noise", s.noise, at_least(0));
  v("drop_out", s.drop_out, between(0, 1));
}

// What fans and cones share.
template <class V, class Rays>
void describe_rays(V& v, Rays& s) {
  v("name", s.name);
  v("rays", s.rays, between(1, 1024));
  v("arc", s.arc, Rule{.low = 0.0, .high = 360.0, .above_low = true});
  v("reach", s.reach, positive());
  v("thickness", s.thickness, at_least(0));
  v("sees", s.sees, needed());
  v("reports", s.reports);
  v("sees_own_side", s.sees_own_side);
  v("from_height", s.from_height);
  v("signal", s.signal);
}

template <class V>
void describe(V& v, RayFan& s) {
  describe_rays(v, s);
  v("to_height", s.to_height);
  v("follows_pitch", s.follows_pitch);
  v("upright", s.upright);
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
  v("whose", s.whose);
  v("bearings", s.bearings);
  v("along_path", s.along_path);
  v("reach", s.reach, positive());
  v("top_speed", s.top_speed, positive());
  v("signal", s.signal);
}

template <class V>
void describe(V& v, OwnMotion& s) {
  v("name", s.name);
  v("top_speed", s.top_speed, positive());
  v("top_turn_rate", s.top_turn_rate, positive());
  v("parts", s.parts);
  v("signal", s.signal);
}

template <class V>
void describe(V& v, OwnState& s) {
  v("name", s.name);
  v("heading", s.heading);
  v("quarter", s.quarter);
  v("level", s.level, positive());
  v("controls", s.controls);
  v("phase", s.phase);
  v("time_left", s.time_left);
  v("signal", s.signal);
}

template <class V>
void describe(V& v, Gauges& s) {
  v("name", s.name);
  v("meters", s.meters);
  v("signal", s.signal);
}

template <class V>
void describe(V& v, Window& s) {
  v("name", s.name);
  v("ahead", s.ahead, between(0, 64));
  v("behind", s.behind, between(0, 64));
  v("left", s.left, between(0, 64));
  v("right", s.right, between(0, 64));
  v("above", s.above, between(0, 64));
  v("below", s.below, between(0, 64));
  v("sees", s.sees, needed());
  v("beyond", s.beyond);
  v("signal", s.signal);
}

template <class V>
void describe(V& v, Hazards& s) {
  v("name", s.name);
  v("moves", s.moves, between(4, 8));
  v("within", s.within, positive());
  v("thickness", s.thickness, at_least(0));
  v("fatal", s.fatal);
  v("signal", s.signal);
}

template <class V>
void describe(V& v, Camera& s) {
  v("name", s.name);
  v("from", s.from);
  v("width", s.width, between(4, 512));
  v("height", s.height, between(4, 512));
  v("across", s.across, positive());
  v("turns", s.turns);
  v("arc", s.arc, Rule{.low = 0.0, .high = 150.0, .above_low = true});
  v("reach", s.reach, positive());
  v("eye", s.eye, at_least(0));
  v("grey", s.grey);
  v("crop", s.crop, between(0, 512));
  v("reduce", s.reduce, between(1, 16));
  v("shades", s.shades, between(0, 1));
  v("sees", s.sees);
  v("signal", s.signal);
}

template <class V>
void describe(V& v, CustomPicture& s) {
  v("name", s.name);
  v("width", s.width, between(4, 1024));
  v("height", s.height, between(4, 1024));
  v("colour", s.colour);
  v("grey", s.grey);
  v("crop", s.crop, between(0, 1024));
  v("reduce", s.reduce, between(1, 16));
  v("signal", s.signal);
}

template <class V>
void describe(V& v, Crowd& s) {
  v("name", s.name);
  v("of", s.of, needed());
  v("nearest", s.nearest, between(1, 256));
  v("reach", s.reach, positive());
  v("top_speed", s.top_speed, positive());
  v("whose", s.whose);
  v("meters", s.meters);
  v("side", s.side);
  v("target", s.target);
  v("signal", s.signal);
}

template <class V>
void describe(V& v, CustomColumn& s) {
  v("name", s.name, needed());
  v("unit", s.unit);
  v("low", s.low);
  v("high", s.high);
  v("scale", s.scale);
}

template <class V>
void describe(V& v, CustomSense& s) {
  v("name", s.name, needed());
  v("columns", s.columns, needed());
  v("signal", s.signal);
}

template <class V>
void describe(V& v, Dial& s) {
  v("name", s.name, needed());
  v("drives", s.drives);
  v("low", s.low, between(-1, 1));
  v("high", s.high, between(-1, 1));
  v("dead_zone", s.dead_zone, between(0, 0.99));
  v("rate", s.rate, positive());
  v("holds", s.holds);
}

template <class V>
void describe(V& v, AllowedWhen& s) {
  v("reloaded", s.reloaded);
  v("meter", s.meter);
  v("above", s.above);
  v("below", s.below);
  v("stands", s.stands);
  v("by_game", s.by_game);
}

template <class V>
void describe(V& v, Option& s) {
  v("name", s.name, needed());
  v("value", s.value, between(-1, 1));
  v("sets", s.sets, between(-1, 1));
  v("allowed_when", s.allowed_when);
}

template <class V>
void describe(V& v, Choice& s) {
  v("name", s.name, needed());
  v("drives", s.drives);
  v("options", s.options, needed());
  v("holds", s.holds);
}

template <class V>
void describe(V& v, Target& s) {
  v("name", s.name, needed());
  v("among", s.among, needed());
  v("launcher", s.launcher);
  v("follows", s.follows);
}

template <class V>
void describe(V& v, Progress& s) {
  v("of", s.of);
  v("to", s.to, needed());
  v("paired", s.paired);
  v("along_path", s.along_path);
}

// What events and conditions both ask of a body.
template <class V, class Asked>
void describe_standing(V& v, Asked& s) {
  v("above", s.above);
  v("below", s.below);
  v("meter", s.meter);
  v("at_least", s.at_least);
  v("at_most", s.at_most);
}

template <class V>
void describe(V& v, EventTrigger& s) {
  v("event", s.event, needed());
  v("named", s.named);
  v("of", s.of);
  v("as", s.as);
  v("with", s.with);
  v("harder_than", s.harder_than, at_least(0));
  v("softer_than", s.softer_than, positive());
  v("inside", s.inside);
  v("from", s.from);
  describe_standing(v, s);
  v("by_strength", s.by_strength);
  v("counts", s.counts);
  v("nth", s.nth, between(0, 1'000'000));
}

template <class V>
void describe(V& v, Condition& s) {
  v("of", s.of);
  v("inside", s.inside);
  v("near", s.near);
  v("within", s.within, positive());
  v("touching", s.touching);
  v("paired", s.paired);
  v("slower_than", s.slower_than, positive());
  v("faster_than", s.faster_than, at_least(0));
  describe_standing(v, s);
}

template <class V>
void describe(V& v, MeterTrigger& s) {
  v("of", s.of);
  v("meter", s.meter, needed());
}

template <class V>
void describe(V& v, NearMissTrigger& s) {
  v("to", s.to, needed());
  v("within", s.within, positive());
  v("over", s.over);
}

template <class V>
void describe(V& v, ExplorationTrigger& s) {
  v("square", s.square, positive());
}

template <class V>
void describe(V& v, Term& s) {
  v("name", s.name, needed());
  v("weight", s.weight);
  v("progress", s.progress);
  v("on", s.on);
  v("when", s.when);
  v("change", s.change);
  v("near_miss", s.near_miss);
  v("visits", s.visits);
  v("each_step", s.each_step);
  v("each_second", s.each_second);
  v("scope", s.scope);
  v("blend", s.blend, between(0, 1));
  v("most_per_step", s.most_per_step, positive());
  v("most_per_episode", s.most_per_episode, positive());
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
void describe(V& v, ScriptLimits& s) {
  v("delay", s.delay, between(0, 10));
  v("effort", s.effort, Rule{.low = 0.0, .high = 1.0, .above_low = true});
}

template <class V>
void describe(V& v, RoleSpec& s) {
  v("name", s.name, needed());
  v("body", s.body);
  v("seats", s.seats, between(1, 4096));
  v("side", s.side);
  v("senses", s.senses);
  v("controls", s.controls);
  v("rewards", s.rewards);
  v("script", s.script);
  v("script_limits", s.script_limits);
  v("mirrors", s.mirrors);
  v("keys", s.keys);
}

template <class V>
void describe(V& v, TooFar& s) {
  v("of", s.of);
  v("from", s.from);
  v("beyond", s.beyond, positive());
}

template <class V>
void describe(V& v, Stall& s) {
  v("since", s.since, needed());
  v("of", s.of);
  v("with", s.with);
  v("steps", s.steps, between(1, 1'000'000));
}

template <class V>
void describe(V& v, Repeats& s) {
  v("times", s.times, between(2, 64));
  v("within", s.within, between(2, 256));
}

template <class V>
void describe(V& v, Cutoffs& s) {
  v("steps", s.steps, between(1, 1'000'000));
  v("too_far", s.too_far);
  v("stalls", s.stalls);
  v("repeats", s.repeats);
}

template <class V>
void describe(V& v, Advance& s) {
  v("metric", s.metric);
  v("at_least", s.at_least);
  v("over", s.over, between(1, 1'000'000));
  v("steps", s.steps, at_least(1));
}

template <class V>
void describe(V& v, RecordedStart& s) {
  v("replay", s.replay, needed());
  v("episode", s.episode, at_least(0));
  v("from", s.from, at_least(0));
  v("to", s.to, at_least(0));
  v("share", s.share, between(0, 1));
}

template <class V>
void describe(V& v, Stage& s) {
  v("name", s.name, needed());
  v("set", s.set);
  v("start", s.start);
  v("advance", s.advance);
  v("earlier", s.earlier, between(0, 1));
}

template <class V, class Kind>
void describe_subject(V& v, Kind& s) {
  v("of", s.of);
  v("as", s.as);
}
template <class V>
void describe(V& v, ChangeMeter& s) {
  describe_subject(v, s);
  v("meter", s.meter, needed());
  v("by", s.by);
  v("by_meter", s.by_meter);
  v("to", s.to);
}
template <class V>
void describe(V& v, Remove& s) {
  describe_subject(v, s);
}
template <class V>
void describe(V& v, BringBack& s) {
  describe_subject(v, s);
}
template <class V>
void describe(V& v, PlaceAgain& s) {
  describe_subject(v, s);
}
template <class V>
void describe(V& v, Throw& s) {
  describe_subject(v, s);
  v("speed", s.speed, at_least(0));
  v("along", s.along, between(-360, 360));
  v("towards", s.towards);
  v("spread", s.spread, between(0, 180));
  v("rise", s.rise);
}
template <class V>
void describe(V& v, SetHostile& s) {
  describe_subject(v, s);
  v("hostile", s.hostile);
}

template <class V>
void describe(V& v, GiveTag& s) {
  v("of", s.of);
  v("as", s.as);
  v("tag", s.tag);
}
template <class V>
void describe(V& v, TurnCells& s) {
  v("from", s.from, needed());
  v("into", s.into);
}
template <class V>
void describe(V& v, EnterPhase& s) {
  v("phase", s.phase);
}
template <class V>
void describe(V& v, Emit& s) {
  v("event", s.event, needed());
  v("strength", s.strength);
  v("meter", s.meter);
  v("as", s.as);
}
template <class V>
void describe(V& v, Finish& s) {
  v("verdict", s.verdict);
}

template <class V>
void describe(V& v, RuleSpec& s) {
  v("name", s.name, needed());
  v("numbers", s.numbers, between(0, 4096));
  v("emits", s.emits);
  v("on", s.on);
  v("when", s.when);
  v("lasting", s.lasting, between(0, 100'000));
  v("after", s.after, between(0, 100'000));
  v("every", s.every, Rule{.low = 0.0, .high = 100'000.0, .above_low = true});
  v("only_while", s.only_while);
  v("most", s.most, between(0, 1'000'000));
  v("then", s.then);
}

template <class V>
void describe(V& v, CustomGameSpec& s) {
  v("settings", s.settings);
  v("events", s.events);
  v("step_seconds", s.step_seconds, Rule{.low = 0.0, .high = 60.0, .above_low = true});
  v("deterministic", s.deterministic);
  v("expert", s.expert);
  v("frame", s.frame);
}

template <class V>
void describe(V& v, GameSpec& s) {
  v("name", s.name, needed());
  v("about", s.about);
  v("ticks_per_step", s.ticks_per_step, between(1, 1000));
  v("custom", s.custom);
  v("arena", s.arena, s.custom ? Rule{} : needed());
  v("roles", s.roles, needed());
  v("cutoffs", s.cutoffs);
  v("rules", s.rules);
  v("stages", s.stages);
}

}  // namespace zithercraft
