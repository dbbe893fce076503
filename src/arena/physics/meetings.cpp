#include <algorithm>
#include <utility>

#include "arena/blocks.hpp"
#include "arena/casts/cast_cells.hpp"
#include "arena/physics/physics.hpp"
#include "arena/physics/standing.hpp"

namespace zithercraft::arena_internal {
namespace {

void tell(const Tick& t, EventKind kind, std::size_t who, std::size_t whom, float strength = 0.0f) {
  t.events.push_at(who, kind, EntityId(who), EntityId(whom), strength);
}

bool touchy(const ArenaPlan& plan, std::size_t a, std::size_t b) {
  return plan.touchy[b].any() || (a < plan.bodies && plan.touchy[a].any());
}

// Both who meet may do something to the other.
void affect_both(const Tick& t, std::size_t a, std::size_t b, Dose dose) {
  affect(t, a, b, dose);
  if (b < t.plan.bodies) affect(t, b, a, dose);
}

// What has no pose is where it is touched: beside the body, or over or under it.
void touch(const Tick& t, std::size_t body, std::size_t e) {
  if (!t.events.wants(EventKind::touch)) return;
  Event event = event_at(t.plan, t.s, body, EventKind::touch, EntityId(body), EntityId(e),
                         t.memory.approach[e], 0);
  if (e >= t.plan.posed) {
    const Vec arm = t.memory.arm[e];
    event.by_who.way = way_to(t.s, body, Vec{t.s.x[body], t.s.y[body]} + arm);
    if (event.by_who.way == Way::none)
      event.by_who.rise =
          t.plan.heights.used && t.s.stands_on[body] != e + 1 ? Rise::above : Rise::below;
  }
  t.events.push(event);
}

}  // namespace

// Compares who touches whom now with the flags of the tick before.
void report_touches(const Tick& t) {
  const ArenaPlan& plan = t.plan;
  StateArrays& s = t.s;
  auto& approach = t.memory.approach;
  auto& arm = t.memory.arm;
  const std::size_t entities = plan.entities.size();
  approach.resize(entities);
  arm.resize(entities);
  // Contacts are listed body by body, in the order of the bodies.
  std::size_t next = 0, next_stood = 0;
  const auto& contacts = t.memory.contacts;
  const auto& stood = t.memory.stood;  // left empty by flat arenas
  for (std::size_t f = 0; f < plan.free_bodies.size(); ++f) {
    const std::size_t body = plan.free_bodies[f];
    std::uint8_t* flags = s.touching + f * entities;
    const bool any = (next < contacts.size() && contacts[next].a == body) ||
                     (next_stood < stood.size() && stood[next_stood].body == body);
    if (!any && std::find(flags, flags + entities, 1) == flags + entities) continue;
    std::fill(approach.begin(), approach.end(), -1.0f);
    for (; next < contacts.size() && contacts[next].a == body; ++next) {
      const Contact& contact = contacts[next];
      if (approach[contact.b] < 0.0f) arm[contact.b] = contact.arm_a;
      approach[contact.b] = std::max({approach[contact.b], 0.0f, contact.approach});
    }
    for (; next_stood < stood.size() && stood[next_stood].body == body; ++next_stood) {
      const auto& [on_it, entity, speed] = stood[next_stood];
      if (approach[entity] < 0.0f) arm[entity] = {};
      approach[entity] = std::max(approach[entity], speed);
    }
    for (std::size_t e = 0; e < entities; ++e) {
      const bool now = approach[e] >= 0.0f;
      if (now && touchy(plan, body, e)) affect_both(t, body, e, Dose::lasting);
      if (now == (flags[e] != 0)) continue;
      flags[e] = now ? 1 : 0;
      if (now) {
        touch(t, body, e);
      } else {
        tell(t, EventKind::part, body, e);
      }
      if (now && touchy(plan, body, e)) affect_both(t, body, e, Dose::once);
    }
  }
}

void report_zones(const Tick& t) {
  const ArenaPlan& plan = t.plan;
  StateArrays& s = t.s;
  for (std::size_t k = 0; k < plan.active.size(); ++k) {
    const std::size_t body = plan.active[k];
    for (std::size_t z = 0; z < plan.zones; ++z) {
      const std::size_t zone = plan.first_zone + z;
      std::uint8_t& flag = s.inside[k * plan.zones + z];
      const bool now = is_inside(plan, s, body, zone);
      if (now != (flag != 0)) {
        flag = now ? 1 : 0;
        tell(t, now ? EventKind::enter : EventKind::leave, body, zone);
        if (now) affect(t, body, zone, Dose::once);
      } else if (now && plan.spec.zones[z].reports_inside) {
        tell(t, EventKind::inside, body, zone);
      }
      if (now) affect(t, body, zone, Dose::lasting);
    }
  }
}

namespace {

bool reaches(const ArenaPlan& plan, const StateArrays& s, std::size_t body, std::size_t item) {
  if (!plan.item[item - plan.first_item].collectors.holds(tag_now(plan, s, body))) return false;
  const Vec d{s.x[item] - s.x[body], s.y[item] - s.y[body]};
  const float reach = plan.bounds[body] + plan.bounds[item];
  return dot(d, d) <= reach * reach && overlap(band_of(plan, s, body), band_of(plan, s, item)) &&
         gap_between(core_of(plan.shapes[body], s.pose(body)),
                     core_of(plan.shapes[item], s.pose(item)))
                 .distance <= 0.0f;
}

void collect(const Tick& t, std::size_t body, std::size_t item, float share) {
  tell(t, EventKind::collect, body, item, share);
  affect(t, body, item, Dose::once);
}

// Whether enough are at an item that takes several; then all of them collect it.
bool collected_together(const Tick& t, std::size_t item, const ItemData& data) {
  const auto is_at = [&](std::size_t body) {
    return t.s.present[body] != 0 && reaches(t.plan, t.s, body, item);
  };
  const auto count =
      static_cast<std::size_t>(std::count_if(t.plan.active.begin(), t.plan.active.end(), is_at));
  if (count < data.together) return false;
  for (const std::size_t body : t.plan.active)
    if (is_at(body)) collect(t, body, item, data.worth / static_cast<float>(count));
  return true;
}

}  // namespace

void collect_items(const Tick& t) {
  const ArenaPlan& plan = t.plan;
  StateArrays& s = t.s;
  if (plan.items == 0) return;
  constexpr std::size_t at_once = 64;
  for (const std::size_t body : plan.active) {
    if (s.present[body] == 0) continue;
    const float x = s.x[body], y = s.y[body], bound = plan.bounds[body];
    for (std::size_t first = plan.first_item; first < plan.posed; first += at_once) {
      const std::size_t stop = std::min(plan.posed, first + at_once);
      std::int32_t any = 0;
      for (std::size_t i = first; i < stop; ++i) {
        const float dx = s.x[i] - x, dy = s.y[i] - y, reach = bound + plan.bounds[i];
        any += dx * dx + dy * dy <= reach * reach ? 1 : 0;
      }
      if (any == 0) continue;
      for (std::size_t i = first; i < stop && s.present[body] != 0; ++i) {
        if (s.present[i] == 0 || !reaches(plan, s, body, i)) continue;
        const ItemData& item = plan.item[i - plan.first_item];
        if (item.together > 1) {
          if (!collected_together(t, i, item)) continue;
        } else {
          collect(t, body, i, item.worth);
        }
        s.present[i] = 0;
        if (plan.returns[i].after > 0) s.back_at[i] = s.header->tick + plan.returns[i].after;
      }
    }
  }
}

// What the cell under a body's centre does to it: once when it comes onto it, and as long as it
// stays.
void feel_cells(const Tick& t) {
  const ArenaPlan& plan = t.plan;
  const CellPlan& cells = plan.cells;
  StateArrays& s = t.s;
  if (!cells.touchy) return;
  for (std::size_t k = 0; k < plan.active.size(); ++k) {
    const std::size_t body = plan.active[k];
    const Vec here{s.x[body], s.y[body]};
    const CellBox at = cells_within(cells, here, here);
    // Over the map is not on it.
    const bool over = plan.heights.used && s.z[body] > plan.heights.floor_level + 0.1f;
    const bool on_map =
        s.present[body] != 0 && !over && at.column0 <= at.column1 && at.row0 <= at.row1;
    const std::size_t cell = on_map ? cell_number(cells, at.column0, at.row0) : 0;
    const auto mark = on_map ? static_cast<std::uint32_t>(cell + 1) : 0;
    const bool moved = s.on_cell[k] != mark;
    const std::uint32_t before = s.on_cell[k];
    s.on_cell[k] = mark;
    if (!on_map) continue;
    for (std::size_t layer = 0; layer < cells.layers; ++layer) {
      const std::uint8_t kind = s.cells[layer * cells.cells() + cell];
      if (kind == 0) continue;
      const std::size_t entity = cells.first_kind + kind - 1;
      // Going from one cell to the next of the same kind is no new meeting.
      const bool same = before != 0 && s.cells[layer * cells.cells() + before - 1] == kind;
      if (moved && !same) affect(t, body, entity, Dose::once);
      affect(t, body, entity, Dose::lasting);
    }
  }
}

// What the block around a body's middle does to it, if it is not solid.
void feel_blocks(const Tick& t) {
  const BlocksPlan& blocks = t.plan.blocks;
  StateArrays& s = t.s;
  if (!blocks.felt) return;
  for (std::size_t k = 0; k < t.plan.active.size(); ++k) {
    const std::size_t body = t.plan.active[k];
    const Vec3 middle{s.x[body], s.y[body], s.z[body] + 0.5f * t.plan.tall[body]};
    const BlockBox at = blocks_within(blocks, middle, middle);
    const bool there = s.present[body] != 0 && at.column0 <= at.column1 && at.row0 <= at.row1 &&
                       at.layer0 <= at.layer1;
    const std::uint8_t kind =
        there ? s.blocks[block_number(blocks, at.column0, at.row0, at.layer0)] : std::uint8_t{0};
    const std::uint8_t before = std::exchange(s.in_block[k], kind);
    if (kind == 0) continue;
    if (kind != before) affect(t, body, blocks.first_kind + kind - 1, Dose::once);
    affect(t, body, blocks.first_kind + kind - 1, Dose::lasting);
  }
}

}  // namespace zithercraft::arena_internal
