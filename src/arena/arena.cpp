#include "zithercraft/arena/arena.hpp"

#include <algorithm>
#include <cstring>
#include <limits>
#include <utility>

#include "arena/blocks.hpp"
#include "arena/casts/cast.hpp"
#include "arena/casts/cast_cells.hpp"
#include "arena/compile/vary.hpp"
#include "arena/generate/placement.hpp"
#include "arena/physics/physics.hpp"
#include "arena/scratch.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft {
using namespace arena_internal;
namespace {

std::vector<Point> polygon(const ShapeData& shape, const Pose& pose) {
  constexpr int round_corners = 32;
  std::vector<Point> local;
  if (shape.form == Form::outline) {
    for (std::size_t i = 0; i < shape.corners; ++i)
      local.push_back(
          {static_cast<double>(shape.local[i].x), static_cast<double>(shape.local[i].y)});
  } else if (shape.form == Form::box) {
    const double l = shape.half_length, w = shape.half_width;
    local = {{-l, -w}, {l, -w}, {l, w}, {-l, w}};
  } else {
    for (int i = 0; i < round_corners; ++i) {
      const auto [sin, cos] = exact::sin_cos(exact::pi * (2 * i + 1) / round_corners);
      const double shift = cos > 0 ? shape.half_length : -shape.half_length;
      local.push_back({static_cast<double>(shape.radius * cos) + shift,
                       static_cast<double>(shape.radius * sin)});
    }
  }
  for (auto& [x, y] : local) {
    const double lx = x, ly = y, c = pose.cos, s = pose.sin;
    x = static_cast<double>(pose.x) + c * lx - s * ly;
    y = static_cast<double>(pose.y) + s * lx + c * ly;
  }
  return local;
}

}  // namespace

std::string in_words(Seen seen) {
  constexpr std::array ways{"", "ahead", "left", "behind", "right"};
  constexpr std::array rises{"", "above", "below"};
  std::string words = ways[static_cast<std::size_t>(seen.way)];
  const std::string rise = rises[static_cast<std::size_t>(seen.rise)];
  return words + (words.empty() || rise.empty() ? "" : " ") + rise;
}

std::string_view name_of(EventKind kind) noexcept {
  switch (kind) {
    case EventKind::touch: return "touch";
    case EventKind::part: return "part";
    case EventKind::enter: return "enter";
    case EventKind::inside: return "inside";
    case EventKind::leave: return "leave";
    case EventKind::collect: return "collect";
    case EventKind::launch: return "launch";
    case EventKind::hit: return "hit";
    case EventKind::pass: return "pass";
    case EventKind::empty: return "empty";
    case EventKind::full: return "full";
    case EventKind::die: return "die";
    case EventKind::back: return "back";
    case EventKind::gate: return "gate";
    case EventKind::dig: return "dig";
    case EventKind::place: return "place";
    case EventKind::custom: return "custom";
    case EventKind::success: return "success";
    case EventKind::failure: return "failure";
    case EventKind::cutoff: return "cutoff";
  }
  return "unknown";
}

ArenaScratch::ArenaScratch() : memory_(std::make_unique<Memory>()) {
  memory_->contacts.reserve(256);
  memory_->placed.reserve(256);
}
ArenaScratch::~ArenaScratch() = default;
ArenaScratch::ArenaScratch(ArenaScratch&&) noexcept = default;
ArenaScratch& ArenaScratch::operator=(ArenaScratch&&) noexcept = default;

Arena::Arena(const ArenaSpec& spec) : plans_(compile_variants(spec)) {}

const ArenaPlan& Arena::plan_of(const std::byte* state) const noexcept {
  const auto& variants = plans_->variants;
  if (variants.size() == 1) return variants.front();
  const std::uint32_t v = reinterpret_cast<const StateHeader*>(state)->variant;
  return variants[std::min<std::size_t>(v, variants.size() - 1)];
}

const ArenaSpec& Arena::spec() const noexcept { return plans_->spec; }
std::span<const Entity> Arena::entities() const noexcept { return plans_->variants[0].entities; }
EntityRange Arena::bodies() const noexcept { return {0, plans_->variants[0].bodies}; }
EntityRange Arena::zones() const noexcept {
  return {plans_->variants[0].first_zone, plans_->variants[0].zones};
}
EntityRange Arena::posed() const noexcept { return {0, plans_->variants[0].posed}; }
std::span<const std::string> Arena::tags() const noexcept { return plans_->variants[0].tags; }

std::size_t Arena::tag(std::string_view name, const std::string& where) const {
  const auto& known = plans_->variants[0].tags;
  for (std::size_t t = 0; t < known.size(); ++t)
    if (known[t] == name) return t;
  throw Error(ErrorKind::spec, "nothing in the arena bears the tag '" + std::string(name) + "'",
              where, advice(name, known));
}

std::vector<EntityId> Arena::bodies_named(std::string_view name) const {
  std::vector<EntityId> found;
  for (const EntityId body : bodies())
    if (entity(body).name == name) found.push_back(body);
  return found;
}

std::span<const std::string> Arena::inputs_of(EntityId body) const {
  return plans_->variants[0].input_names[body.index()];
}
std::int32_t Arena::side_of(EntityId entity) const noexcept {
  return plans_->variants[0].side_of[entity.index()];
}

std::vector<std::string> Arena::meters_of(EntityId body) const {
  const ArenaPlan& plan = plans_->variants[0];
  std::vector<std::string> names;
  for (const MeterData& meter : plan.meters)
    if (meter.body == body.index()) names.push_back(plan.meter_names[meter.name]);
  return names;
}

bool Arena::in_tail(EntityId posed) const noexcept {
  const auto& of = plans_->variants[0].tail_of;
  return posed.index() < of.size() && of[posed.index()] != nowhere;
}

bool Arena::returns(EntityId posed) const noexcept {
  return plans_->variants[0].returns[posed.index()].after > 0;
}

bool Arena::wanders(EntityId body) const noexcept {
  const auto& all = plans_->variants[0].wanderers;
  return std::any_of(all.begin(), all.end(),
                     [&](const WandererData& w) { return w.body == body.index(); });
}

std::size_t Arena::state_bytes() const noexcept { return plans_->variants[0].state_bytes; }
std::vector<StateField> Arena::state_fields() const { return plans_->variants[0].fields; }

void Arena::begin(std::byte* state, std::uint64_t seed, std::uint32_t lane, std::uint32_t episode,
                  ArenaScratch& scratch) const {
  // Blocks are left as they are: they come last, and bring themselves back to where they began.
  const ArenaPlan& any = plans_->variants[0];
  std::memset(state, 0, any.has_blocks() ? any.at.block_mark : any.state_bytes);
  const auto variants = static_cast<std::uint32_t>(plans_->variants.size()) / plans_->phases;
  const std::uint32_t variant =
      plans_->phases *
      (variants == 1 ? 0 : RandomStream(seed, lane, episode, Purpose::vary).below(variants));
  const ArenaPlan& plan = plans_->variants[variant];
  StateArrays s = plan.arrays(state);
  *s.header = {seed, lane, episode, 0, variant};
  if (plan.has_blocks()) begin_blocks(plan, s);
  if (plan.tags_change) std::copy_n(plan.tag_of.begin(), plan.bodies, s.tag_now);
  place_everything(plan, s, *scratch.memory_);
  for (std::size_t e = 0; e < plan.posed; ++e)
    if (plan.home[e] != nowhere) {
      s.home[plan.home[e]] = {s.x[e], s.y[e], s.heading[e]};
      if (plan.heights.used) s.home_z[plan.home[e]] = s.z[e];
    }
  for (const std::size_t body : plan.free_bodies) set_off(plan, s, body);
  for (const TailData& tail : plan.tails) roll_up_tails(plan, s, tail.leader);
  for (std::size_t m = 0; m < plan.meters.size(); ++m) s.meters[m] = plan.meters[m].start;
}

void Arena::rekey(std::byte* state, std::uint64_t seed, std::uint32_t lane,
                  std::uint32_t episode) const noexcept {
  auto& header = *reinterpret_cast<StateHeader*>(state);
  header = {seed, lane, episode, header.tick, header.variant};
}

void Arena::tick(std::byte* state, ArenaScratch& scratch, std::vector<Event>& events,
                 EventMask wanted) const {
  const ArenaPlan& plan = plan_of(state);
  StateArrays s = plan.arrays(state);
  EventSink sink(plan, s, events, wanted);
  step_physics({plan, s, *scratch.memory_, sink});
}

std::span<float> Arena::inputs(std::byte* state, EntityId body) const {
  const std::size_t i = body.index();
  const ArenaPlan& plan = plans_->variants[0];
  return {plan.arrays(state).inputs + plan.body[i].first_input, plan.input_names[i].size()};
}

bool Arena::has_height() const noexcept { return plans_->variants[0].heights.used; }
float Arena::height_of(EntityId posed, const std::byte* state) const noexcept {
  const float tall = (state == nullptr ? plans_->variants[0] : plan_of(state)).tall[posed.index()];
  return tall == boundless ? std::numeric_limits<float>::infinity() : tall;
}
bool Arena::is_ball(EntityId posed) const noexcept {
  const std::size_t i = posed.index();
  const ArenaPlan& plan = plans_->variants[0];
  return plan.shapes[i].form == Form::ball ||
         (has_height() && plan.entities[i].kind == EntityKind::shot);
}
EntityId Arena::stands_on(const std::byte* state, EntityId body) const noexcept {
  if (!has_height()) return {};
  const std::uint32_t on = reading_of(plans_->variants[0], state).stands_on[body.index()];
  return EntityId::of(static_cast<std::int32_t>(on) - 1);
}

std::uint32_t Arena::ticks(const std::byte* state) const noexcept {
  return reinterpret_cast<const StateHeader*>(state)->tick;
}
Pose Arena::pose(const std::byte* state, EntityId posed) const noexcept {
  const std::size_t i = posed.index();
  const ArenaPlan& plan = plans_->variants[0];
  const StateArrays s = reading_of(plan, state);
  Pose pose = s.pose(i);
  if (plan.heights.used) {
    pose.z = s.z[i];
    pose.pitch = i < plan.bodies ? s.pitch[i] : 0.0f;
  }
  return pose;
}
bool Arena::present(const std::byte* state, EntityId thing) const noexcept {
  const ArenaPlan& plan = plans_->variants[0];
  const StateArrays s = reading_of(plan, state);
  if (thing.index() < plan.posed) return s.present[thing.index()] != 0;
  return !opens(thing) || s.opened[thing.index() - plan.first_wall] == 0;
}

std::size_t Arena::tag_of(const std::byte* state, EntityId entity) const noexcept {
  const ArenaPlan& plan = plans_->variants[0];
  return tag_now(plan, reading_of(plan, state), entity.index());
}

bool Arena::tags_change() const noexcept { return plans_->variants[0].tags_change; }

TagSet Arena::tags_ever(EntityId entity) const noexcept {
  return arena_internal::tags_ever(plans_->variants[0], entity.index());
}

bool Arena::opens(EntityId entity) const noexcept {
  const ArenaPlan& plan = plans_->variants[0];
  const Entity& e = plan.entities[entity.index()];
  return e.kind == EntityKind::wall && plan.spec.walls[e.spec_index].opens;
}

void Arena::set_present(std::byte* state, EntityId posed, bool present) const noexcept {
  const ArenaPlan& plan = plans_->variants[0];
  StateArrays s = plan.arrays(state);
  s.present[posed.index()] = present ? 1 : 0;
  roll_up_tails(plan, s, posed.index());
}

Velocity Arena::velocity(const std::byte* state, EntityId body) const noexcept {
  const std::size_t i = body.index();
  const ArenaPlan& plan = plans_->variants[0];
  const StateArrays s = reading_of(plan, state);
  return {s.vx[i], s.vy[i], s.turn[i], plan.heights.used ? s.vz[i] : 0.0f};
}

void Arena::put(std::byte* state, EntityId posed, float x, float y, double heading,
                float z) const noexcept {
  const std::size_t i = posed.index();
  const ArenaPlan& plan = plans_->variants[0];
  StateArrays s = plan.arrays(state);
  set_pose(s, i, x, y, heading);
  const bool moves = i < plan.bodies + plan.shots;
  if (moves) s.vx[i] = s.vy[i] = s.turn[i] = 0.0f;
  if (plan.heights.used) {
    s.z[i] = z;
    if (moves) s.vz[i] = 0.0f;
    if (i < plan.bodies) s.stands_on[i] = 0;
  }
  roll_up_tails(plan, s, i);
}

void Arena::set_velocity(std::byte* state, EntityId body, Velocity velocity) const noexcept {
  const std::size_t i = body.index();
  const ArenaPlan& plan = plans_->variants[0];
  const StateArrays s = plan.arrays(state);
  if (plan.heights.used) s.vz[i] = velocity.z;
  s.vx[i] = velocity.x;
  s.vy[i] = velocity.y;
  s.turn[i] = velocity.turn;
}

bool Arena::inside(const std::byte* state, EntityId body, EntityId zone) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  const StateArrays s = reading_of(plan, state);
  return is_inside(plan, s, body.index(), zone.index());
}

namespace {

std::size_t meter_number(const ArenaPlan& plan, std::size_t body, std::string_view name) {
  std::vector<std::string> names;
  for (std::size_t m = 0; m < plan.meters.size(); ++m) {
    if (plan.meters[m].body != body) continue;
    names.push_back(plan.meter_names[plan.meters[m].name]);
    if (names.back() == name) return m;
  }
  throw Error(ErrorKind::spec,
              "'" + plan.entities[body].name + "' has no meter '" + std::string(name) + "'",
              plan.paths[body] + ".meters", names.empty() ? "give it one" : advice(name, names));
}

}  // namespace

std::size_t Arena::meter_number(EntityId body, std::string_view name) const {
  return zithercraft::meter_number(plans_->variants[0], body.index(), name);
}

float Arena::meter(const std::byte* state, std::size_t number) const noexcept {
  return reading_of(plans_->variants[0], state).meters[number];
}

float Arena::meter(const std::byte* state, EntityId body, std::string_view name) const {
  return meter(state, meter_number(body, name));
}

void Arena::set_meter(std::byte* state, EntityId body, std::string_view name, float value) const {
  const ArenaPlan& plan = plan_of(state);
  const std::size_t m = meter_number(body, name);
  StateArrays s = plan.arrays(state);
  s.meters[m] = std::clamp(value, plan.meters[m].low, plan.meters[m].high);
  for (const TailData& tail : plan.tails)
    if (tail.meter == m) shorten_tail(plan, s, tail);
}

void Arena::cast(const std::byte* state, const RayFanQuery& rays, std::span<float> distance,
                 std::span<EntityId> entity) const {
  const ArenaPlan& plan = plan_of(state);
  const StateArrays s = reading_of(plan, state);
  plan.heights.used ? cast_in_space(plan, s, rays, distance, numbers_of(entity))
                    : cast_rays(plan, s, rays, distance, numbers_of(entity));
}

void Arena::cast(const std::byte* state, const RayBatchQuery& rays, std::span<float> distance,
                 std::span<EntityId> entity) const {
  const auto part = [](std::span<const float> of, std::size_t first, std::size_t count) {
    return of.empty() ? of : of.subspan(first, count);
  };
  const auto level = [&](std::size_t i) { return rays.z.empty() ? 0.0f : rays.z[i]; };
  for (std::size_t first = 0; first < rays.x.size();) {
    std::size_t stop = first + 1;  // rays that follow each other from one point are a fan
    while (stop < rays.x.size() && rays.x[stop] == rays.x[first] && rays.y[stop] == rays.y[first] &&
           level(stop) == level(first))
      ++stop;
    const std::size_t count = stop - first;
    cast(state,
         RayFanQuery{.x = rays.x[first],
                     .y = rays.y[first],
                     .z = level(first),
                     .direction_x = rays.direction_x.subspan(first, count),
                     .direction_y = rays.direction_y.subspan(first, count),
                     .direction_z = part(rays.direction_z, first, count),
                     .reach = rays.reach,
                     .thickness = rays.thickness,
                     .tags = rays.tags,
                     .exclude = rays.exclude,
                     .exclude_side = rays.exclude_side},
         distance.subspan(first, count), entity.subspan(first, count));
    first = stop;
  }
}

bool Arena::line_of_sight(const std::byte* state, Place from, Place to, TagSet tags,
                          EntityId exclude) const {
  const Vec3 a{static_cast<float>(from.x), static_cast<float>(from.y), static_cast<float>(from.z)};
  const Vec3 d =
      Vec3{static_cast<float>(to.x), static_cast<float>(to.y), static_cast<float>(to.z)} - a;
  const float reach = length(d);
  if (reach < 1e-6f) return true;
  const Vec3 direction = (1.0f / reach) * d;
  float distance = reach;
  EntityId entity;
  cast(state,
       RayFanQuery{.x = a.x,
                   .y = a.y,
                   .z = a.z,
                   .direction_x = {&direction.x, 1},
                   .direction_y = {&direction.y, 1},
                   .direction_z = {&direction.z, 1},
                   .reach = reach,
                   .tags = tags,
                   .exclude = exclude},
       {&distance, 1}, {&entity, 1});
  return !entity;
}

std::size_t Arena::cell_columns() const noexcept {
  return static_cast<std::size_t>(plans_->variants[0].cells.columns);
}
std::size_t Arena::cell_rows() const noexcept {
  return static_cast<std::size_t>(plans_->variants[0].cells.rows);
}

EntityId Arena::cell_at(const std::byte* state, std::size_t column,
                        std::size_t row) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  const CellPlan& cells = plan.cells;
  const StateArrays s = reading_of(plan, state);
  const std::size_t cell = row * static_cast<std::size_t>(cells.columns) + column;
  for (std::size_t layer = cells.layers; layer-- > 0;)
    if (const std::uint8_t kind = s.cells[layer * cells.cells() + cell]; kind != 0)
      return EntityId(cells.first_kind + kind - 1);
  return {};
}

Arena::BlockCount Arena::block_count() const noexcept {
  const BlocksPlan& blocks = plans_->variants[0].blocks;
  return {static_cast<std::size_t>(blocks.columns), static_cast<std::size_t>(blocks.rows),
          static_cast<std::size_t>(blocks.layers)};
}

EntityId Arena::block_at(const std::byte* state, std::size_t column, std::size_t row,
                         std::size_t layer) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  const BlocksPlan& blocks = plan.blocks;
  const std::uint8_t kind =
      reading_of(plan, state)
          .blocks[block_number(blocks, static_cast<std::int32_t>(column),
                               static_cast<std::int32_t>(row), static_cast<std::int32_t>(layer))];
  return kind == 0 ? EntityId() : EntityId(blocks.first_kind + kind - 1);
}

void Arena::set_block(std::byte* state, std::size_t column, std::size_t row, std::size_t layer,
                      EntityId kind) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  const BlocksPlan& blocks = plan.blocks;
  const StateArrays s = plan.arrays(state);
  const std::size_t number =
      block_number(blocks, static_cast<std::int32_t>(column), static_cast<std::int32_t>(row),
                   static_cast<std::int32_t>(layer));
  put_block(
      blocks, s, number,
      kind ? static_cast<std::uint8_t>(kind.index() - blocks.first_kind + 1) : std::uint8_t{0});
}

std::uint64_t Arena::hash(const std::byte* state) const noexcept {
  return hash_bytes({state, state_bytes()});
}

std::vector<Point> Arena::outline(const std::byte* state, EntityId entity) const {
  const std::size_t i = entity.index();
  const ArenaPlan& plan = plan_of(state);
  const Entity& e = plan.entities[i];
  if (i >= plan.posed && e.kind != EntityKind::wall) return {};
  if (e.kind != EntityKind::wall) return polygon(plan.shapes[i], reading_of(plan, state).pose(i));
  const WallSpec& wall = plan.spec.walls[e.spec_index];
  std::vector<Point> chain = wall.points;
  if (wall.closed) chain.push_back(chain.front());
  return chain;
}

std::vector<ArenaTriangle> Arena::triangles() const {
  std::vector<ArenaTriangle> list;
  const HeightsPlan& heights = plans_->variants[0].heights;
  if (!heights.terrain) return list;
  for (const Triangle& triangle : heights.terrain->triangles()) {
    ArenaTriangle& out = list.emplace_back();
    out.entity = EntityId(triangle.entity);
    for (std::size_t k = 0; k < 3; ++k)
      out.corner[k] = {static_cast<double>(triangle.corner[k].x),
                       static_cast<double>(triangle.corner[k].y),
                       static_cast<double>(triangle.corner[k].z)};
  }
  return list;
}

}  // namespace zithercraft
