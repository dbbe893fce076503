#include "zithercraft/arena/arena.hpp"

#include <cstring>
#include <utility>

#include "cast.hpp"
#include "physics.hpp"
#include "placement.hpp"
#include "plan.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft {
namespace {

// Reading needs no write access; the arrays view is shared between both.
StateArrays reading(const ArenaPlan& plan, const std::byte* state) {
  return plan.arrays(const_cast<std::byte*>(state));
}

std::vector<Point> polygon(const ShapeData& shape, const Pose& pose) {
  constexpr int round_corners = 32;
  std::vector<Point> local;
  if (shape.corners == 4) {
    const double l = shape.half_length, w = shape.half_width;
    local = {{-l, -w}, {l, -w}, {l, w}, {-l, w}};
  } else {
    for (int i = 0; i < round_corners; ++i) {
      const auto [sin, cos] = exact::sin_cos(exact::pi * (2 * i + 1) / round_corners);
      const double shift = cos > 0 ? shape.half_length : -shape.half_length;
      local.push_back({static_cast<double>(shape.radius * cos) + shift, static_cast<double>(shape.radius * sin)});
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

std::string_view name_of(EventKind kind) noexcept {
  switch (kind) {
    case EventKind::touch: return "touch";
    case EventKind::part: return "part";
    case EventKind::enter: return "enter";
    case EventKind::leave: return "leave";
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

Arena::Arena(const ArenaSpec& spec) : plan_(std::make_shared<const ArenaPlan>(compile_arena(spec))) {}

const ArenaSpec& Arena::spec() const noexcept { return plan_->spec; }
std::span<const Entity> Arena::entities() const noexcept { return plan_->entities; }
std::size_t Arena::body_count() const noexcept { return plan_->bodies; }
std::size_t Arena::zone_count() const noexcept { return plan_->zones; }
std::span<const std::string> Arena::tags() const noexcept { return plan_->tags; }

std::size_t Arena::tag(std::string_view name, const std::string& where) const {
  for (std::size_t t = 0; t < plan_->tags.size(); ++t)
    if (plan_->tags[t] == name) return t;
  throw Error(Fault::spec, "no body, zone or wall bears the tag '" + std::string(name) + "'", where,
              advice(name, plan_->tags));
}

std::vector<std::size_t> Arena::bodies_named(std::string_view name) const {
  std::vector<std::size_t> found;
  for (std::size_t b = 0; b < plan_->bodies; ++b)
    if (plan_->entities[b].name == name) found.push_back(b);
  return found;
}

std::span<const std::string> Arena::inputs_of(std::size_t body) const { return plan_->input_names[body]; }
std::size_t Arena::state_bytes() const noexcept { return plan_->state_bytes; }
std::vector<StateField> Arena::state_fields() const { return plan_->fields; }

void Arena::begin(std::byte* state, std::uint64_t seed, std::uint32_t lane, std::uint32_t episode,
                  ArenaScratch& scratch) const {
  std::memset(state, 0, plan_->state_bytes);
  StateArrays s = plan_->arrays(state);
  *s.header = {seed, lane, episode, 0, 0};
  RandomStream random(seed, lane, episode, Purpose::place);
  place_everything(*plan_, s, random, scratch.memory_->placed);
}

void Arena::tick(std::byte* state, ArenaScratch& scratch, std::vector<Event>& events) const {
  StateArrays s = plan_->arrays(state);
  step_physics(*plan_, s, *scratch.memory_, events);
}

std::span<float> Arena::inputs(std::byte* state, std::size_t body) const {
  return {plan_->arrays(state).inputs + plan_->body[body].first_input, plan_->input_names[body].size()};
}

std::uint32_t Arena::ticks(const std::byte* state) const noexcept { return reading(*plan_, state).header->tick; }
Pose Arena::pose(const std::byte* state, std::size_t i) const noexcept { return reading(*plan_, state).pose(i); }

Velocity Arena::velocity(const std::byte* state, std::size_t body) const noexcept {
  const StateArrays s = reading(*plan_, state);
  return {s.vx[body], s.vy[body], s.turn[body]};
}

void Arena::put(std::byte* state, std::size_t i, float x, float y, double heading) const noexcept {
  const StateArrays s = plan_->arrays(state);
  const double wrapped = exact::wrap_angle(heading);
  const auto [sin, cos] = exact::sin_cos(wrapped);
  s.x[i] = x;
  s.y[i] = y;
  s.heading[i] = static_cast<float>(wrapped);
  s.cos[i] = cos;
  s.sin[i] = sin;
  if (i < plan_->bodies) s.vx[i] = s.vy[i] = s.turn[i] = 0.0f;
}

void Arena::set_velocity(std::byte* state, std::size_t body, Velocity velocity) const noexcept {
  const StateArrays s = plan_->arrays(state);
  s.vx[body] = velocity.x;
  s.vy[body] = velocity.y;
  s.turn[body] = velocity.turn;
}

bool Arena::inside(const std::byte* state, std::size_t body, std::size_t zone) const noexcept {
  const StateArrays s = reading(*plan_, state);
  return contains(plan_->shapes[zone], s.pose(zone), {s.x[body], s.y[body]});
}

void Arena::cast(const std::byte* state, const RayFanQuery& rays, std::span<float> distance,
                 std::span<std::int32_t> entity) const {
  cast_rays(*plan_, reading(*plan_, state), rays, distance, entity);
}

std::uint64_t Arena::hash(const std::byte* state) const noexcept { return hash_bytes({state, plan_->state_bytes}); }

std::vector<Point> Arena::outline(const std::byte* state, std::size_t entity) const {
  const Entity& e = plan_->entities[entity];
  if (e.kind != EntityKind::wall) return polygon(plan_->shapes[entity], reading(*plan_, state).pose(entity));
  const WallSpec& wall = plan_->spec.walls[e.spec_index];
  std::vector<Point> chain = wall.points;
  if (wall.closed) chain.push_back(chain.front());
  return chain;
}

}  // namespace zithercraft
