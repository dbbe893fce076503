#pragma once

// A compiled arena: everything that stays the same for all lanes and episodes, in flat arrays.
//
// Entities are numbered as in arena.hpp. Bodies, shots, zones and items have poses and come first:
// an entity's number is also its index in the pose arrays.

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "arena/geometry.hpp"
#include "arena/state.hpp"
#include "arena/terrain.hpp"
#include "zithercraft/arena/arena.hpp"

namespace zithercraft::arena_internal {

constexpr std::size_t nowhere = ~std::size_t{0};

struct BodyData {
  float inverse_mass = 0.0f, inverse_inertia = 0.0f;  // 0 for bodies that contacts do not move
  float keep = 1.0f;            // share of the speed kept per tick under the body's own drag
  float top_speed = 0.0f;       // m/s; 0 for no limit
  float constant_speed = 0.0f;  // m/s; 0 for none
  float start_speed = 0.0f;     // m/s ahead
  float swept_from = 0.0f;      // m/s from which its motion is swept for things in between
  std::size_t first_input = 0;
  // In arenas with height:
  float step = 0.005f;  // metres: edges up to this height do not stop it
  // Tangent of the steepest ground it holds on to by itself; of others grip decides.
  float steep = 1.0f;
  bool walks = false;   // keeps its feet on the ground downhill too, and holds on by itself
  bool floats = false;  // gravity does not pull it
  bool drives = false;  // has a mover, which sees to its grip
};

struct BoatData {
  float thrust, drag_ahead, drag_abeam, rudder_flow, rudder_wash, drag_turn;
};
/// How a body turns its pitch up and down.
struct PitchData {
  float rate = 0.0f, limit = 0.0f;  // rad/s, radians
};
struct WalkerData {
  float speed, step, turn_rate;  // m/s, m/s per tick, rad/s
  float in_air = 1.0f, jump = 0.0f;
  PitchData pitch{};
};
struct FlyerData {
  float speed, climb, step, turn_rate;  // m/s, m/s, m/s per tick, rad/s
  PitchData pitch{};
};
struct CarData {
  float engine, brakes, keep, keep_side, wheelbase, steer;  // steer: radians at full steering
};

struct MoverData {
  std::size_t body = 0;
  std::variant<BoatData, WalkerData, CarData, FlyerData> kind;
};

struct StepperData {
  std::size_t body = 0;
  std::uint32_t ticks_per_move = 1;
  bool faces_move = false, pushes = false, pushable = false;
};

struct RailData {
  std::size_t body = 0;
  Vec from{}, to{};  // of a line
  bool arc = false;
  Vec centre{};                      // of an arc
  float radius = 0.0f;               // likewise
  double begins = 0.0;               // radians, likewise
  float length = 0.0f;               // metres
  float speed = 0.0f, step = 0.0f;   // m/s, m/s per tick
  std::array<float, 2> start{0, 1};  // metres along it
};

struct CarriedData {
  std::size_t body = 0, home = 0;
  std::vector<Vec> points{};    // from the start, which is (0, 0)
  std::vector<float> levels{};  // of the points, likewise
  std::vector<double>
      until{};          // seconds at which each point is reached; the last closes a closed path
  double length = 0.0;  // seconds once around or once along
  bool closed = false, turns = false;
  Carry::Function code{};
};

/// The pieces that follow one leader.
struct TailData {
  std::size_t leader = 0, meter = 0;
  std::size_t first = 0, pieces = 0;        // bodies; how many there can be
  std::size_t first_knot = 0, knots = 1;    // of the path that is kept
  std::size_t stepper = nowhere;            // the leader among steppers, which go by cells
  float spacing = 1.0f, knot_every = 0.0f;  // metres along the path
  std::size_t close = 0;  // pieces that are always so near to their leader that they touch it
  TagSet lets_pass{};
};

struct WandererData {
  std::size_t body = 0;
  bool steps = false;  // on cells
  bool flies = false;  // at the level at which it began
  std::vector<Vec> route{};
  TagSet chases{}, flees{};
  std::vector<std::size_t> prey{}, hunters{};  // entities that can bear one of these
  bool hostile = true;                         // as an episode begins
  float sight = 0.0f;
  float change_chance = 0.0f;  // per tick, of a new direction
};

struct EffectData {
  std::uint32_t meter_name = 0;  // see ArenaPlan::meter_names
  float amount = 0.0f, per_tick = 0.0f;
  std::optional<std::uint32_t> by{};  // likewise: both are times its level
};

/// What an entity does to bodies that meet it.
struct Touchy {
  std::vector<EffectData> effects;
  TagSet kills{};
  bool lasting = false;  // some effect has a rate
  bool any() const { return !effects.empty() || !kills.empty(); }
};

struct MeterData {
  std::size_t body = 0;
  std::uint32_t name = 0;
  float low = 0.0f, high = 0.0f, start = 0.0f, change = 0.0f;  // change per tick
  bool vital = false;
};

struct LauncherData {
  std::size_t body = 0, spec_index = 0;
  std::size_t fire_input = 0, bearing_input = nowhere;  // of the input array
  std::size_t first_shot = 0, shots = 0;                // entities
  std::size_t first_closest = 0;                        // of the closest array
  std::size_t rise_input = nowhere;
  float speed = 0.0f, radius = 0.0f, swing = 0.0f;
  float lowest = 0.0f, highest = 0.0f;  // radians above where the body looks
  float muzzle = 0.0f, fall = 0.0f;     // metres above the foot; m/s per tick
  std::uint32_t life = 1, reload = 0;   // ticks
  float push = 0.0f;                    // kg m/s
  std::size_t cost_meter = nowhere;     // number of the meter that a launch uses up
  float cost = 0.0f;
  TagSet targets{};
  std::vector<std::size_t> target_list{};
};

struct ItemData {
  TagSet collectors{};
  float worth = 1.0f;
  std::size_t together = 1;
};

struct RiverData {
  std::size_t first_body = 0, gates = 0;  // each gate: two rocks, two banks
  std::size_t follows = 0;
  River spec;
};

struct CausewayData {
  std::size_t first_body = 0, stones = 0;
  std::size_t follows = 0;
  // Of who follows: m/s, m/s, m/s2; share of the speed lost per second in the air.
  float speed = 0.0f, jump = 0.0f, gravity = 0.0f, drag = 0.0f;
  Causeway spec;
};

struct Surface {
  float bounce = 0.0f, grip = 0.0f;
};

struct WallPiece {
  Core core;
  Vec from, to, mid;
  float bound = 0.0f;  // radius of a circle around the middle
  std::size_t entity = 0;
  float low = 0.0f, high = 0.0f;  // metres, in arenas with height
};

struct CellPlan {
  float size = 1.0f;
  Vec origin;
  std::int32_t columns = 0, rows = 0;
  std::size_t layers = 0;
  std::size_t cells() const {
    return static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows);
  }
  std::size_t first_kind = 0;             // entity of kind 1; kind 0 is nothing
  std::vector<std::uint8_t> solid, seen;  // per kind number
  std::vector<float> top;                 // per kind number, metres, in arenas with height
  std::vector<std::uint8_t> drawn;        // [layer][row from below][column]
  bool touchy = false;                    // some kind has effects or kills
  bool generated = false;
  std::vector<std::size_t> connect;   // entities that must reach each other
  std::vector<std::uint8_t> avoided;  // per kind number
};

/// Entities of one spec, which follow each other and are alike.
struct TagRun {
  std::size_t first = 0, stop = 0;
  Form form = Form::disc;
  bool zone = false, free = false, shot = false;
  TagSet tags{};        // that they can bear
  bool change = false;  // each has its own of these
  std::int32_t side = -1;
};

struct ReturnData {
  std::uint32_t after = 0;  // ticks; 0 for never
  bool elsewhere = false;
};

/// One world of blocks as an episode begins it.
struct BlockLayout {
  std::vector<std::uint8_t> kinds;  // [layer][row][column] kind number, 0 for none
  std::uint32_t top = 1;            // no block lies at or above this layer
  std::uint64_t mark = 0;           // identifies the layout
};

struct BlocksPlan {
  float size = 1.0f;
  Vec3 origin;
  std::int32_t columns = 0, rows = 0, layers = 0;
  std::size_t first_kind = 0;          // entity of kind 1
  std::vector<std::uint8_t> solid;     // per kind number
  std::vector<float> hardness, worth;  // likewise; hardness in seconds
  bool felt = false;                   // some kind that is not solid has effects or kills
  std::shared_ptr<const std::vector<BlockLayout>> layouts;
  std::size_t count() const {
    return static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows) *
           static_cast<std::size_t>(layers);
  }
};

struct DiggerData {
  std::size_t body = 0;
  std::size_t dig_input = 0, place_input = nowhere;  // of the input array
  float reach = 0.0f, eye = 0.0f, power = 0.0f;      // power: hardness per tick
  std::uint8_t places = 0;                           // kind number
  std::ptrdiff_t stock = -1;                         // meter
  std::uint32_t every = 0;                           // ticks
  float steep_pitch = 0.0f;  // radians above level; looking further down is steep
  std::uint32_t steep_most = 0;
};

/// What gives an arena height.
struct HeightsPlan {
  bool used = false;
  float gravity = 0.0f;  // m/s per tick
  float lowest = 0.0f, ceiling = 0.0f, floor_level = 0.0f;
  std::size_t floor = nowhere;             // entity
  std::shared_ptr<const Terrain> terrain;  // ground and meshes; null without them
};

struct ArenaPlan {
  ArenaSpec spec;
  std::vector<std::string> tags, sides, meter_names;
  std::vector<Entity> entities;
  std::vector<std::string> paths;  // per entity: key path below the game
  std::size_t bodies = 0, shots = 0, zones = 0, items = 0;
  std::size_t first_zone = 0, first_item = 0, posed = 0;

  float dt = 0.0f;
  std::vector<std::uint8_t> tag_of;                    // per entity, as an episode begins
  bool tags_change = false;                            // rules can give bodies others
  std::vector<TagSet> may_bear;                        // per body, with its own
  std::vector<std::int32_t> side_of;                   // per entity, -1 for none
  std::vector<ShapeData> shapes;                       // per posed entity
  std::vector<float> bounds;                           // per posed entity, of its shape
  std::vector<float> half_length, half_width, radius;  // likewise
  std::vector<float> tall;   // likewise, from foot to top; `boundless` for zones without end
  std::vector<TagRun> runs;  // of all posed entities
  std::vector<std::uint8_t>
      at_start;                   // per posed entity: there when an episode begins (shots are not)
  std::vector<std::size_t> home;  // per posed entity: slot of its home pose, or nowhere
  std::vector<ReturnData> returns;       // per posed entity
  std::vector<Touchy> touchy;            // per entity
  std::vector<BodyData> body;            // per body
  std::vector<Surface> surface;          // per entity
  std::vector<std::size_t> free_bodies;  // moved by forces and contacts
  Vec current;                           // m/s
  std::vector<std::size_t> adrift;       // free bodies that feel the current
  std::vector<std::size_t> active;  // free bodies and steppers: they meet zones, items and cells
  std::vector<std::size_t> active_index;  // per body, or nowhere
  std::vector<std::size_t> free_index;    // per body, or nowhere
  std::vector<MoverData> movers;
  std::vector<StepperData> steppers;
  std::vector<RailData> rails;
  std::vector<CarriedData> carried;
  std::vector<TailData> tails;
  std::vector<std::size_t> tail_of;  // per body, whose piece it is or nowhere; empty without tails
  std::vector<WandererData> wanderers;
  std::vector<MeterData> meters;
  std::vector<std::vector<std::int32_t>> meter_of;  // [active][meter name] -> meter, or -1
  std::vector<LauncherData> launchers;
  std::vector<ItemData> item;  // per item
  std::vector<RiverData> rivers;
  std::vector<CausewayData> causeways;
  std::vector<std::vector<std::string>> input_names;  // per body
  std::vector<WallPiece> pieces;
  std::size_t first_wall = 0, walls = 0;
  bool walls_open = false;  // some can be taken out
  CellPlan cells;
  HeightsPlan heights;
  BlocksPlan blocks;
  std::vector<DiggerData> diggers;
  std::vector<std::size_t> returning;      // entities that come back
  std::vector<std::size_t> placing_order;  // entities to place, in order
  std::vector<TagSet> away_rules;          // per posed entity: what it keeps away from
  std::size_t homes = 0, inputs = 0, closest = 0, knots = 0;

  std::vector<StateField> fields;
  StateOffsets at;
  std::size_t state_bytes = 0;

  StateArrays arrays(std::byte* state) const { return {state, at}; }
  const Placement& placement_of(std::size_t entity) const;
  bool has_cells() const { return cells.columns > 0; }
  bool has_blocks() const { return blocks.columns > 0; }
};

/// `like`: a plan whose worlds of blocks and triangles are taken over where the specs of these are
/// equal.
ArenaPlan compile_arena(const ArenaSpec& spec, const ArenaPlan* like = nullptr);

/// Reading needs no write access; the arrays view is shared between both.
inline StateArrays reading_of(const ArenaPlan& plan, const std::byte* state) {
  return plan.arrays(const_cast<std::byte*>(state));
}

/// The tag that an entity bears now.
inline std::size_t tag_now(const ArenaPlan& plan, const StateArrays& s, std::size_t entity) {
  return plan.tags_change && entity < plan.bodies ? s.tag_now[entity] : plan.tag_of[entity];
}
/// All tags that an entity can come to bear.
inline TagSet tags_ever(const ArenaPlan& plan, std::size_t entity) {
  return plan.tags_change && entity < plan.bodies ? plan.may_bear[entity]
                                                  : TagSet::of(plan.tag_of[entity]);
}

/// Whether a body goes through another, which is then no obstacle: a piece of a tail.
inline bool goes_through(const ArenaPlan& plan, const StateArrays& s, std::size_t body,
                         std::size_t other) {
  if (plan.tail_of.empty() || other >= plan.bodies || plan.tail_of[other] == nowhere) return false;
  const TailData& tail = plan.tails[plan.tail_of[other]];
  return tail.lets_pass.holds(tag_now(plan, s, body)) ||
         (tail.leader == body && other - tail.first < tail.close);
}

/// Whether a piece of a wall is there.
inline bool stands(const ArenaPlan& plan, const StateArrays& s, const WallPiece& piece) {
  return !plan.walls_open || s.opened[piece.entity - plan.first_wall] == 0;
}

/// Whether a body is there with its middle in a zone.
bool is_inside(const ArenaPlan& plan, const StateArrays& s, std::size_t body, std::size_t zone);

/// All variants of an arena, each in all phases: as an episode begins it, then phase by phase. The
/// first is the spec as it is written if nothing varies.
struct ArenaPlans {
  ArenaSpec spec;
  std::vector<ArenaPlan> variants;
  std::uint32_t phases = 1;  // that each variant has, with the one that it begins in
};

struct Contact {
  std::size_t a, b;  // entities; b may be a wall or a cell kind
  Vec normal, arm_a, arm_b;
  float depth, approach;
  float normal_mass, tangent_mass, bounce_speed, grip;
  float normal_impulse, tangent_impulse, push_impulse;
};

}  // namespace zithercraft::arena_internal
