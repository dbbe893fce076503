#include "game/sense.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>

#include "game/controls.hpp"
#include "game/lane_block.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"

namespace zithercraft::game_internal {
namespace {

// What the senses of one seat have in common.
struct Looking {
  const GamePlan& plan;
  const SeatView& seat;
  const SeatMemory& memory;
  SenseRoom& room;
};

void sense(const FanPlan& fan, const Looking& at, std::span<float> out) {
  const float inverse_reach = 1.0f / fan.reach;
  if (!fan.seen_alone.empty()) {
    for (std::size_t tag = 0; tag < fan.seen_alone.size(); ++tag) {
      cast_fan(fan, at.plan, at.seat, fan.seen_alone[tag], at.room);
      for (std::size_t i = 0; i < fan.rays; ++i)
        out[i * fan.seen_alone.size() + tag] = at.room.ray_distance[i] * inverse_reach;
    }
    return;
  }
  cast_fan(fan, at.plan, at.seat, fan.tags, at.room);
  float* next = out.data();
  for (std::size_t i = 0; i < fan.rays; ++i, next += fan.flags + 1) {
    std::fill_n(next, fan.flags, 0.0f);
    if (const EntityId hit = at.room.ray_entity[i]) {
      next[fan.flag_of(at.seat.view(), hit)] = 1.0f;
    } else if (fan.miss) {
      next[fan.flags - 1] = 1.0f;
    }
    next[fan.flags] = at.room.ray_distance[i] * inverse_reach;
  }
}

Bearing nearest_of(const CompassPlan& compass, const SeatView& seat) {
  Bearing best;
  for (const EntityId thing : compass.things[seat.number()]) {
    if (!seat.view().present(thing) || !bears(seat.view(), thing, compass.bears)) continue;
    const Bearing to = seat.bearing_to(thing);
    if (!best.entity || to.distance < best.distance) best = to;
  }
  return best;
}

// Which of the equal sectors around the heading holds a direction; sector 0 is straight ahead.
std::size_t sector(float ahead, float left, std::size_t sectors) {
  constexpr float eighth = 0.41421356f;  // tangent of half an eighth of a turn
  const float a = std::fabs(ahead), l = std::fabs(left);
  std::size_t eight = 0;
  if (sectors == 4) {
    if (l > a) return left > 0.0f ? 1 : 3;
    return ahead >= 0.0f ? 0 : 2;
  }
  if (l <= eighth * a) {
    eight = ahead >= 0.0f ? 0 : 4;
  } else if (a < eighth * l) {
    eight = left > 0.0f ? 2 : 6;
  } else if (ahead > 0.0f) {
    eight = left > 0.0f ? 1 : 7;
  } else {
    eight = left > 0.0f ? 3 : 5;
  }
  return eight;
}

void sense(const CompassPlan& compass, const Looking& at, std::span<float> out) {
  Bearing to = !compass.things.empty() ? nearest_of(compass, at.seat)
               : compass.paired        ? at.seat.paired(compass.tag)
                                       : at.seat.nearest(compass.tag);
  const std::size_t ways = compass.bearings == Bearings::angle  ? 2
                           : compass.bearings == Bearings::four ? 4
                                                                : 8;
  if (compass.along_path && to.entity) to = at.seat.path_to(to.entity);
  std::fill(out.begin(), out.end(), 0.0f);
  out[ways] = 1.0f;
  if (!to.entity) return;  // nothing to point at: no direction, and the farthest distance
  if (compass.high) out[ways + 1] = to.up;
  if (compass.bearings == Bearings::angle) {
    out[0] = to.ahead;
    out[1] = to.left;
  } else {
    out[sector(to.ahead, to.left, ways)] = 1.0f;
  }
  out[ways] = std::min(1.0f, to.distance * compass.inverse_reach);
  if (compass.inverse_top_speed == 0.0f || !at.plan.arena.bodies().holds(to.entity)) return;
  const Pose own = at.seat.pose();
  const Velocity v = at.seat.view().velocity(to.entity), moving = at.seat.velocity();
  const float x = v.x - moving.x, y = v.y - moving.y;
  const std::size_t next = ways + 1 + (compass.high ? 1 : 0);
  out[next] = std::clamp((own.cos * x + own.sin * y) * compass.inverse_top_speed, -1.0f, 1.0f);
  out[next + 1] = std::clamp((own.cos * y - own.sin * x) * compass.inverse_top_speed, -1.0f, 1.0f);
}

// Whether the last target of another seat is this one.
bool is_target_of(const Looking& at, EntityId other) {
  if (other.index() >= at.plan.seat_of.size()) return false;
  const auto [role, seat] = at.plan.seat_of[other.index()];
  if (role < 0) return false;
  const auto targets =
      targets_of(at.plan.role_plans[static_cast<std::size_t>(role)],
                 const_cast<std::byte*>(at.memory.block), static_cast<std::size_t>(seat));
  const auto own = static_cast<std::uint32_t>(at.seat.body().index() + 1);
  return std::find(targets.begin(), targets.end(), own) != targets.end();
}

void sense(const CrowdPlan& crowd, const Looking& at, std::span<float> out) {
  const Arena& arena = at.plan.arena;
  const std::byte* state = at.seat.arena_state();
  const Pose own = at.seat.pose();
  const Velocity moving = at.seat.velocity();
  const std::size_t shown = list_crowd(crowd, at.seat, at.room);
  std::fill(out.begin(), out.end(), 0.0f);
  for (std::size_t i = 0; i < shown; ++i) {
    const EntityId other = at.room.others[i].second;
    const Bearing to = at.seat.bearing_to(other);
    float* next = out.data() + i * crowd.columns_each();
    next[0] = 1.0f;
    next[1] = to.ahead;
    next[2] = to.left;
    next[3] = to.distance * crowd.inverse_reach;
    const Velocity v = arena.bodies().holds(other) ? arena.velocity(state, other) : Velocity{};
    const float x = v.x - moving.x, y = v.y - moving.y;
    next[4] = std::clamp((own.cos * x + own.sin * y) * crowd.inverse_top_speed, -1.0f, 1.0f);
    next[5] = std::clamp((own.cos * y - own.sin * x) * crowd.inverse_top_speed, -1.0f, 1.0f);
    if (crowd.flags > 0) next[6 + crowd.flag_of(at.seat.view(), other)] = 1.0f;
    next += 6 + crowd.flags;
    for (const auto& meter : crowd.meters) {
      const CrowdPlan::Reading reading =
          other.index() < meter.size() ? meter[other.index()] : CrowdPlan::Reading{};
      *next++ = reading.number
                    ? (arena.meter(state, *reading.number) - reading.low) * reading.inverse_range
                    : 0.0f;
    }
    if (!crowd.own_side.empty()) *next++ = static_cast<float>(crowd.own_side[other.index()]);
    if (crowd.target) *next = is_target_of(at, other) ? 1.0f : 0.0f;
  }
}

void sense(const OwnMotionPlan& own, const Looking& at, std::span<float> out) {
  const Pose pose = at.seat.pose();
  const Velocity v = at.seat.velocity();
  constexpr float per_right_angle = 0.6366197723675814f;
  const auto share = [](float value, float inverse) {
    return std::clamp(value * inverse, -1.0f, 1.0f);
  };
  for (std::size_t i = 0; i < own.parts.size(); ++i) {
    switch (own.parts[i]) {
      case 0: out[i] = share(pose.cos * v.x + pose.sin * v.y, own.inverse_top_speed); break;
      case 1: out[i] = share(pose.cos * v.y - pose.sin * v.x, own.inverse_top_speed); break;
      case 2: out[i] = share(v.turn, own.inverse_top_turn_rate); break;
      case 3: out[i] = share(v.z, own.inverse_top_speed); break;
      case 4: out[i] = pose.pitch * per_right_angle; break;
      default: out[i] = at.seat.view().stands_on(at.seat.body()) ? 1.0f : 0.0f;
    }
  }
}

void sense(const OwnStatePlan& own, const Looking& at, std::span<float> out) {
  const Pose pose = at.seat.pose();
  float* next = out.data();
  if (own.parts.heading) {
    *next++ = pose.cos;
    *next++ = pose.sin;
  }
  if (own.parts.quarter) {
    std::fill_n(next, 4, 0.0f);
    next[sector(pose.cos, pose.sin, 4)] = 1.0f;
    next += 4;
  }
  if (own.parts.level) *next++ = std::clamp(pose.z * own.inverse_level, -1.0f, 1.0f);
  if (own.parts.controls) {
    const auto& controls = at.seat.role().controls;
    for (std::size_t c = 0; c < controls.size(); ++c) {
      if (!controls[c].is_choice()) {
        *next++ = at.memory.given[c];
        continue;
      }
      std::fill_n(next, controls[c].options.size(), 0.0f);
      next[static_cast<std::size_t>(at.memory.given[c])] = 1.0f;
      next += controls[c].options.size();
    }
  }
  if (own.parts.phase) {
    const std::size_t phases = at.plan.spec.arena.phases.size();
    std::fill_n(next, phases, 0.0f);
    if (const std::uint32_t phase = at.plan.arena.phase(at.seat.arena_state()); phase > 0)
      next[phase - 1] = 1.0f;
    next += phases;
  }
  if (own.parts.time_left)
    *next = std::max(0.0f, 1.0f - static_cast<float>(at.seat.steps()) * own.inverse_steps);
}

void sense(const GaugesPlan& gauges, const Looking& at, std::span<float> out) {
  const auto& numbers = gauges.numbers[at.seat.number()];
  for (std::size_t i = 0; i < numbers.size(); ++i) {
    const float value = at.seat.view().meter(numbers[i]);
    out[i] = (value - gauges.low[i]) * gauges.inverse_range[i];
  }
}

void sense(const WindowPlan& window, const Looking& at, std::span<float> out) {
  const auto cells = std::span(at.room.cells).first(window.cells());
  const Arena& arena = at.plan.arena;
  if (window.blocks) {
    arena.block_window(at.seat.arena_state(), at.seat.body(), window.ahead, window.behind,
                       window.left, window.right, window.above, window.below, window.beyond, cells);
  } else {
    arena.window(at.seat.arena_state(), at.seat.body(), window.ahead, window.behind, window.left,
                 window.right, window.beyond, cells);
  }
  float* next = out.data();
  for (const TagSet cell : cells)
    for (const std::size_t tag : window.tags) *next++ = static_cast<float>(cell.holds(tag));
}

void sense(const HazardsPlan& hazards, const Looking& at, std::span<float> out) {
  cast_fan(hazards.fan, at.plan, at.seat, hazards.fan.tags, at.room);
  for (std::size_t i = 0; i < hazards.fan.rays; ++i) out[i] = at.room.ray_entity[i] ? 1.0f : 0.0f;
}

void sense(const CameraPlan& camera, const Looking& at, std::span<float> out) {
  if (camera.whole()) return take_picture(camera, at.plan, at.seat, at.room, out);
  const auto pixels = std::span(at.room.pixels).first(camera.pixels());
  take_picture(camera, at.plan, at.seat, at.room, pixels);
  const std::size_t n = camera.channels, k = camera.reduce;
  const float share = 1.0f / static_cast<float>(k * k);
  for (std::size_t row = 0; row < camera.out_height; ++row)
    for (std::size_t column = 0; column < camera.out_width; ++column)
      for (std::size_t c = 0; c < n; ++c) {
        float sum = 0.0f;
        for (std::size_t y = 0; y < k; ++y)
          for (std::size_t x = 0; x < k; ++x)
            sum +=
                pixels[((camera.top + row * k + y) * camera.width + camera.left + column * k + x) *
                           n +
                       c];
        out[(row * camera.out_width + column) * n + c] = sum * share;
      }
}

void sense(const CustomSensePlan& custom, const Looking& at, std::span<float> out) {
  if (at.plan.spec.custom) {
    std::copy_n(at.room.told.begin() + static_cast<std::ptrdiff_t>(custom.told_from), out.size(),
                out.begin());
    return;
  }
  std::fill(out.begin(), out.end(), 0.0f);
  if (custom.function) custom.function(at.seat, out);
}

// Red, green and blue as the eye weighs them (ITU-R BT.601), in 256ths.
constexpr std::array<std::uint32_t, 3> luma{77, 150, 29};

void sense(const PicturePlan& picture, const Looking& at, std::span<float> out) {
  const auto bytes = std::span(at.room.bytes).first(picture.bytes());
  at.memory.custom->picture(at.memory.role, at.seat.number(), picture.number, bytes);
  const std::size_t n = picture.channels, k = picture.reduce, given = picture.given;
  const bool weigh = given > n;
  const float share = 1.0f / (255.0f * (weigh ? 256.0f : 1.0f) * static_cast<float>(k * k));
  for (std::size_t row = 0; row < picture.out_height; ++row)
    for (std::size_t column = 0; column < picture.out_width; ++column)
      for (std::size_t c = 0; c < n; ++c) {
        std::uint32_t sum = 0;
        for (std::size_t y = 0; y < k; ++y)
          for (std::size_t x = 0; x < k; ++x) {
            const std::uint8_t* const pixel =
                bytes.data() +
                ((picture.top + row * k + y) * picture.width + picture.left + column * k + x) *
                    given;
            sum += weigh ? luma[0] * pixel[0] + luma[1] * pixel[1] + luma[2] * pixel[2] : pixel[c];
          }
        out[(row * picture.out_width + column) * n + c] = static_cast<float>(sum) * share;
      }
}

bool is_allowed(const AllowedPlan& need, const SeatView& seat, const SeatMemory& memory) {
  if (!need.by_game) return allowed(need, seat);
  return memory.custom->allowed(memory.role, seat.number(), need.control, need.option);
}

template <class Plan, class Size>
std::size_t largest(const GamePlan& plan, const Size& size) {
  std::size_t most = 0;
  for (const RolePlan& role : plan.role_plans)
    for (const SensePart& part : role.senses)
      if (const auto* what = std::get_if<Plan>(&part.what)) most = std::max(most, size(*what));
  return most;
}

}  // namespace

SenseRoom::SenseRoom(const GamePlan& plan) {
  const auto rays_of = [](const FanPlan& fan) { return fan.rays; };
  const std::size_t rays =
      std::max({largest<FanPlan>(plan, rays_of),
                largest<HazardsPlan>(plan, [&](const HazardsPlan& d) { return rays_of(d.fan); }),
                largest<CameraPlan>(plan, [](const CameraPlan& c) { return c.width; })});
  for (auto* list : {&ray_x, &ray_y, &ray_z, &ray_distance}) list->resize(rays);
  ray_entity.resize(rays);
  cells.resize(largest<WindowPlan>(plan, [](const WindowPlan& w) { return w.cells(); }));
  pixels.resize(
      largest<CameraPlan>(plan, [](const CameraPlan& c) { return c.whole() ? 0 : c.pixels(); }));
  others.reserve(plan.arena.posed().size());
  order.reserve(plan.arena.posed().size());
  bytes.resize(largest<PicturePlan>(plan, [](const PicturePlan& p) { return p.bytes(); }));
  for (const RolePlan& role : plan.role_plans)
    told.resize(std::max(told.size(), role.told_columns));
}

namespace {

// The first so many by distance, then by entity. The bits of distances, which are not negative, are
// in the order of their values, so that one whole number is compared for each pair.
void sort_first(std::vector<std::pair<float, EntityId>>& list, std::size_t first,
                std::vector<std::uint64_t>& order) {
  order.resize(list.size());
  for (std::size_t i = 0; i < list.size(); ++i)
    order[i] = std::uint64_t{std::bit_cast<std::uint32_t>(list[i].first)} << 32u |
               static_cast<std::uint32_t>(list[i].second.index());
  const auto end = order.begin() + static_cast<std::ptrdiff_t>(first);
  if (end != order.end()) std::nth_element(order.begin(), end, order.end());
  std::sort(order.begin(), end);
  for (std::size_t i = 0; i < first; ++i)
    list[i] = {std::bit_cast<float>(static_cast<std::uint32_t>(order[i] >> 32u)),
               EntityId(static_cast<std::uint32_t>(order[i]))};
}

}  // namespace

std::size_t list_crowd(const CrowdPlan& crowd, const SeatView& seat, SenseRoom& room) {
  auto& near = room.others;
  near.clear();
  seat.game().arena().find_near(seat.arena_state(), seat.body(), crowd.others[seat.number()],
                                crowd.reach, near);
  if (!crowd.tags.empty())
    std::erase_if(near, [&](const auto& other) {
      return !crowd.tags.holds(seat.view().tag_of(other.second));
    });
  const std::size_t listed = std::min(crowd.nearest, near.size());
  sort_first(near, listed, room.order);
  return listed;
}

void cast_fan(const FanPlan& fan, const GamePlan& plan, const SeatView& seat, TagSet tags,
              SenseRoom& room) {
  const Pose pose = seat.pose();
  if (fan.up.empty()) {
    for (std::size_t i = 0; i < fan.rays; ++i) {
      room.ray_x[i] = pose.cos * fan.cos[i] - pose.sin * fan.sin[i];
      room.ray_y[i] = pose.sin * fan.cos[i] + pose.cos * fan.sin[i];
    }
  } else {
    const auto [sin, cos] =
        exact::sin_cos(fan.follows_pitch ? static_cast<double>(pose.pitch) : 0.0);
    for (std::size_t i = 0; i < fan.rays; ++i) {
      const float ahead = fan.cos[i] * cos - fan.up[i] * sin;
      room.ray_x[i] = pose.cos * ahead - pose.sin * fan.sin[i];
      room.ray_y[i] = pose.sin * ahead + pose.cos * fan.sin[i];
      room.ray_z[i] = fan.cos[i] * sin + fan.up[i] * cos;
    }
  }
  const RayFanQuery rays{.x = pose.x,
                         .y = pose.y,
                         .z = pose.z + fan.eye,
                         .direction_x = std::span(room.ray_x).first(fan.rays),
                         .direction_y = std::span(room.ray_y).first(fan.rays),
                         .direction_z = std::span(room.ray_z).first(fan.up.size()),
                         .reach = fan.reach,
                         .thickness = fan.thickness,
                         .tags = tags,
                         .exclude = seat.body(),
                         .exclude_side = fan.own_side ? -1 : plan.arena.side_of(seat.body())};
  seat.view().cast(rays, std::span(room.ray_distance).first(fan.rays),
                   std::span(room.ray_entity).first(fan.rays));
}

namespace {

// By the exponents' bits, several numbers at a time.
bool all_finite(std::span<const float> numbers) {
  constexpr std::uint32_t exponent = 0x7f800000;
  std::uint32_t largest = 0;
  for (const float number : numbers)
    largest = std::max(largest, std::bit_cast<std::uint32_t>(number) & exponent);
  return largest < exponent;
}

}  // namespace

void sense_seat(const GamePlan& plan, const RolePlan& role, const SeatView& seat,
                const SeatMemory& memory, SenseRoom& room, std::span<float> row) {
  const bool present = seat.present();
  const Looking at{plan, seat, memory, room};
  if (present && plan.spec.custom)
    memory.custom->observe(memory.role, seat.number(),
                           std::span(room.told).first(role.told_columns));
  for (std::size_t number = 0; number < role.senses.size(); ++number) {
    const SensePart& part = role.senses[number];
    const auto now = row.subspan(part.first_column, part.columns);
    if (present) {
      std::visit([&](const auto& kind) { sense(kind, at, now); }, part.what);
      if (part.disturbed()) disturb(part, number, seat, row);
    } else {  // a seat that has left the arena senses nothing
      std::fill(now.begin(), now.end(), 0.0f);
    }
    const auto kept = memory.kept.subspan(part.kept, part.history * part.columns);
    std::copy(kept.begin(), kept.end(),
              row.begin() + static_cast<std::ptrdiff_t>(part.first_column + part.columns));
  }
  for (const AllowedPlan& need : role.conditions)
    row[need.column] = present && is_allowed(need, seat, memory) ? 1.0f : 0.0f;
  if (all_finite(row)) return;
  for (std::size_t i = 0; i < row.size(); ++i)
    if (!std::isfinite(row[i]))
      throw Error(ErrorKind::numbers,
                  "the column '" + seat.role().columns[i].name + "' is not a finite number",
                  "role '" + seat.role().name + "'",
                  "look for forces or speeds without bound in the game");
}

}  // namespace zithercraft::game_internal
