#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "arena/blocks.hpp"
#include "arena/casts/cast_cells.hpp"
#include "arena/eight.hpp"
#include "arena/physics/standing.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/text.hpp"

// Questions about what lies where, other than casts.

namespace zithercraft {
using namespace arena_internal;
namespace {

// Where a window keeps a cell of a row, counted from its first.
std::size_t place_in(std::int32_t row, std::int32_t wide, std::int32_t column) {
  return static_cast<std::size_t>(row) * static_cast<std::size_t>(wide) +
         static_cast<std::size_t>(column);
}

// The axis nearest to where a body heads.
struct Quarter {
  std::int32_t x, y;
};
Quarter nearest_quarter(const StateArrays& s, std::size_t body) {
  if (std::fabs(s.cos[body]) >= std::fabs(s.sin[body])) return {s.cos[body] >= 0.0f ? 1 : -1, 0};
  return {0, s.sin[body] >= 0.0f ? 1 : -1};
}

}  // namespace

bool arena_internal::is_inside(const ArenaPlan& plan, const StateArrays& s, std::size_t body,
                               std::size_t zone) {
  if (s.present[body] == 0 || !contains(plan.shapes[zone], s.pose(zone), {s.x[body], s.y[body]}))
    return false;
  if (!plan.heights.used) return true;
  const Band band = band_of(plan, s, zone);
  const float middle = s.z[body] + 0.5f * plan.tall[body];
  if (plan.shapes[zone].form != Form::ball) return middle >= band.low && middle <= band.high;
  const Vec d{s.x[body] - s.x[zone], s.y[body] - s.y[zone]};
  const float up = middle - s.z[zone] - plan.radius[zone];
  return dot(d, d) + up * up <= plan.radius[zone] * plan.radius[zone];
}

NearestHit Arena::nearest(const std::byte* state, float x, float y, TagSet tags, EntityId exclude,
                          float z) const {
  const ArenaPlan& plan = plan_of(state);
  const StateArrays s = reading_of(plan, state);
  const F8 ox = all(x), oy = all(y);
  const I8 next = I8{0, 1, 2, 3, 4, 5, 6, 7}, looked_through = all(exclude.number());
  F8 best = all(std::numeric_limits<float>::infinity());
  I8 who = all(std::int32_t{-1});
  for (const TagRun& run : plan.runs) {
    if (!tags.meets(run.tags) || run.shot) continue;
    const I8 stop = all(static_cast<std::int32_t>(run.stop));
    for (std::size_t i = run.first; i < run.stop;
         i += 8) {  // the arrays continue behind the last thing
      const F8 dx = load(s.x + i) - ox, dy = load(s.y + i) - oy;
      F8 square = dx * dx + dy * dy;
      if (plan.heights.used) {
        // Zones without end are as near as they are over the plane.
        const F8 tall = load(plan.tall.data() + i);
        const F8 dz = tall < all(boundless) ? load(s.z + i) + all(0.5f) * tall - all(z) : all(0.0f);
        square = square + dz * dz;
      }
      const I8 number = all(static_cast<std::int32_t>(i)) + next;
      I8 nearer =
          (square < best) & flags(s.present + i) & (number < stop) & (number != looked_through);
      if (run.change && any(nearer))
        for (std::size_t k = 0; k < 8; ++k)
          if (nearer[k] != 0 && !tags.holds(tag_now(plan, s, i + k))) nearer[k] = 0;
      best = nearer ? square : best;
      who = nearer ? number : who;
    }
  }
  std::size_t k = 0;  // of equally near ones the first
  for (std::size_t i = 1; i < 8; ++i)
    if (best[i] < best[k] || (best[i] == best[k] && who[i] >= 0 && who[i] < who[k])) k = i;
  if (who[k] < 0) return {};
  const auto e = static_cast<std::size_t>(who[k]);
  const Band band = band_of(plan, s, e);
  return {EntityId(e), std::sqrt(best[k]), s.x[e], s.y[e],
          plan.tall[e] < boundless ? 0.5f * (band.low + band.high) : z};
}

namespace {

template <class Wanted>
void overlapped_cells(const ArenaPlan& plan, const StateArrays& s, const Core& core,
                      const Pose& pose, float bound, Band band, const Wanted& wanted,
                      std::vector<EntityId>& found) {
  std::array<bool, 256> met{};
  const CellPlan& cells = plan.cells;
  const Vec reach{bound, bound}, here{pose.x, pose.y};
  const CellBox box = cells_within(cells, here - reach, here + reach);
  for (std::int32_t row = box.row0; row <= box.row1; ++row)
    for (std::int32_t column = box.column0; column <= box.column1; ++column) {
      const Vec low =
          cells.origin + cells.size * Vec{static_cast<float>(column), static_cast<float>(row)};
      const Core cell = core_of_cells(low, low + Vec{cells.size, cells.size});
      if (gap_between(core, cell).distance > 0.0f) continue;
      for (std::size_t layer = 0; layer < cells.layers; ++layer)
        if (const std::uint8_t kind =
                s.cells[layer * cells.cells() + cell_number(cells, column, row)];
            cells.top[kind] > band.low)
          met[kind] = true;
    }
  for (std::size_t kind = 1; kind < cells.solid.size(); ++kind)
    if (met[kind] && wanted(cells.first_kind + kind - 1))
      found.emplace_back(cells.first_kind + kind - 1);
}

template <class Wanted>
void overlapped_blocks(const ArenaPlan& plan, const StateArrays& s, const Core& core,
                       const Pose& pose, float bound, Band band, const Wanted& wanted,
                       std::vector<EntityId>& found) {
  const BlocksPlan& blocks = plan.blocks;
  std::array<bool, 256> met{};
  const BlockBox box = blocks_within(blocks, {pose.x - bound, pose.y - bound, band.low},
                                     {pose.x + bound, pose.y + bound, band.high});
  for (std::int32_t row = box.row0; row <= box.row1; ++row)
    for (std::int32_t column = box.column0; column <= box.column1; ++column) {
      if (gap_between(core, core_of_column(blocks, column, row)).distance > 0.0f) continue;
      for (std::int32_t layer = box.layer0; layer <= box.layer1; ++layer)
        met[s.blocks[block_number(blocks, column, row, layer)]] = true;
    }
  for (std::size_t kind = 1; kind < blocks.solid.size(); ++kind)
    if (met[kind] && wanted(blocks.first_kind + kind - 1))
      found.emplace_back(blocks.first_kind + kind - 1);
}

template <class Wanted>
void overlapped_terrain(const ArenaPlan& plan, const Core& core, const Pose& pose, float bound,
                        Band band, const Wanted& wanted, std::vector<EntityId>& found) {
  std::vector<std::uint32_t> near;
  const Vec reach{bound, bound}, here{pose.x, pose.y};
  plan.heights.terrain->near(here - reach, here + reach, near);
  std::vector<EntityId> met;
  std::array<Vec, 8> corners;
  for (const std::uint32_t number : near) {
    const Triangle& triangle = plan.heights.terrain->triangles()[number];
    if (!wanted(triangle.entity)) continue;
    const std::size_t count = slice(triangle, band.low, band.high, corners);
    if (count >= 2 && gap_between(core, core_of_polygon(corners.data(), count)).distance <= 0.0f)
      met.emplace_back(triangle.entity);
  }
  std::sort(met.begin(), met.end());
  found.insert(found.end(), met.begin(), std::unique(met.begin(), met.end()));
}

}  // namespace

void Arena::overlaps(const std::byte* state, const Shape& shape, Place at, double heading,
                     TagSet tags, std::vector<EntityId>& found, double height) const {
  const ArenaPlan& plan = plan_of(state);
  const StateArrays s = reading_of(plan, state);
  const ShapeData data = shape_data(shape);
  const auto [sin, cos] = exact::sin_cos(exact::wrap_angle(heading));
  const Pose pose{static_cast<float>(at.x), static_cast<float>(at.y), static_cast<float>(heading),
                  cos, sin};
  const Core core = core_of(data, pose);
  const float foot = static_cast<float>(at.z);
  const Band band = !plan.heights.used
                        ? Band{}
                        : Band{foot, foot + (data.form == Form::ball ? 2.0f * data.radius
                                                                     : static_cast<float>(height))};
  const auto wanted = [&](std::size_t e) { return tags.holds(tag_now(plan, s, e)); };
  for (std::size_t e = 0; e < plan.posed; ++e) {
    const float dx = s.x[e] - pose.x, dy = s.y[e] - pose.y, far = data.bound + plan.bounds[e];
    if (!wanted(e) || s.present[e] == 0 || dx * dx + dy * dy > far * far) continue;
    if (!overlap(band, band_of(plan, s, e))) continue;
    if (gap_between(core, core_of(plan.shapes[e], s.pose(e))).distance <= 0.0f)
      found.emplace_back(e);
  }
  for (std::size_t p = 0; p < plan.pieces.size(); ++p) {
    const WallPiece& piece = plan.pieces[p];
    if (!stands(plan, s, piece) || !wanted(piece.entity) ||
        (!found.empty() && found.back() == EntityId(piece.entity)))
      continue;
    if (!overlap(band, {piece.low, piece.high})) continue;
    if (gap_between(core, piece.core).distance <= 0.0f) found.emplace_back(piece.entity);
  }
  if (plan.has_cells()) overlapped_cells(plan, s, core, pose, data.bound, band, wanted, found);
  if (!plan.heights.used) return;
  if (const std::size_t floor = plan.heights.floor;
      floor != nowhere && wanted(floor) && overlap(band, {-boundless, plan.heights.floor_level}))
    found.emplace_back(floor);
  if (plan.has_blocks()) overlapped_blocks(plan, s, core, pose, data.bound, band, wanted, found);
  if (plan.heights.terrain) overlapped_terrain(plan, core, pose, data.bound, band, wanted, found);
}

void Arena::window(const std::byte* state, EntityId looker, std::size_t ahead, std::size_t behind,
                   std::size_t left, std::size_t right, TagSet beyond,
                   std::span<TagSet> tags) const {
  const ArenaPlan& plan = plan_of(state);
  const CellPlan& cells = plan.cells;
  const StateArrays s = reading_of(plan, state);
  const std::size_t body = looker.index();
  const Vec here{s.x[body], s.y[body]}, own = (1.0f / cells.size) * (here - cells.origin);
  const auto along = [](float v) {
    return static_cast<std::int32_t>(std::floor(std::clamp(v, -1e6f, 1e6f)));
  };
  const std::int32_t column0 = along(own.x), row0 = along(own.y);
  const auto [ax, ay] = nearest_quarter(s, body);
  const auto wide = static_cast<std::int32_t>(left + 1 + right),
             high = static_cast<std::int32_t>(ahead + 1 + behind);
  const auto far = static_cast<std::int32_t>(ahead), to_left = static_cast<std::int32_t>(left);
  for (std::int32_t r = 0; r < high; ++r)
    for (std::int32_t c = 0; c < wide; ++c) {
      const std::int32_t forward = far - r, leftward = to_left - c;
      const std::int32_t column = column0 + forward * ax - leftward * ay,
                         row = row0 + forward * ay + leftward * ax;
      TagSet& out = tags[place_in(r, wide, c)];
      if (column < 0 || row < 0 || column >= cells.columns || row >= cells.rows) {
        out = beyond;
        continue;
      }
      out = TagSet();
      const std::size_t cell = cell_number(cells, column, row);
      for (std::size_t layer = 0; layer < cells.layers; ++layer)
        if (const std::uint8_t kind = s.cells[layer * cells.cells() + cell]; kind != 0)
          out |= TagSet::of(plan.tag_of[cells.first_kind + kind - 1]);
    }
  // What stands there. Things whose centre lies near are sorted into the window.
  const F8 scale = all(1.0f / cells.size), x0 = all(cells.origin.x), y0 = all(cells.origin.y);
  const F8 own_x = all(own.x), own_y = all(own.y),
           reach = all(static_cast<float>(std::max(wide, high)) + 1.0f);
  for (std::size_t first = 0; first < plan.posed; first += 8) {
    const F8 x = (load(s.x + first) - x0) * scale, y = (load(s.y + first) - y0) * scale;
    const I8 near =
        (size_of(x - own_x) <= reach) & (size_of(y - own_y) <= reach) & flags(s.present + first);
    if (!any(near)) continue;
    for (std::size_t k = 0; k < 8 && first + k < plan.posed; ++k) {
      if (near[k] == 0 || first + k == body) continue;
      const std::int32_t dx = static_cast<std::int32_t>(std::floor(x[k])) - column0;
      const std::int32_t dy = static_cast<std::int32_t>(std::floor(y[k])) - row0;
      const std::int32_t r = far - (dx * ax + dy * ay), c = to_left - (dy * ax - dx * ay);
      if (r >= 0 && c >= 0 && r < high && c < wide)
        tags[place_in(r, wide, c)] |= TagSet::of(tag_now(plan, s, first + k));
    }
  }
}

void Arena::block_window(const std::byte* state, EntityId looker, std::size_t ahead,
                         std::size_t behind, std::size_t left, std::size_t right, std::size_t above,
                         std::size_t below, TagSet beyond, std::span<TagSet> tags) const {
  const ArenaPlan& plan = plan_of(state);
  const BlocksPlan& blocks = plan.blocks;
  const StateArrays s = reading_of(plan, state);
  const std::size_t body = looker.index();
  const auto along = [&](float v) {
    return static_cast<std::int32_t>(std::floor(std::clamp(v / blocks.size, -1e6f, 1e6f)));
  };
  constexpr float into = 1e-3f;  // metres: a body that stands on a block is above it
  const auto column_of = [&](std::size_t e) { return along(s.x[e] - blocks.origin.x); };
  const auto row_of = [&](std::size_t e) { return along(s.y[e] - blocks.origin.y); };
  const auto layer_of = [&](std::size_t e) { return along(s.z[e] + into - blocks.origin.z); };
  const std::int32_t column0 = column_of(body), row0 = row_of(body), layer0 = layer_of(body);
  const Quarter q = nearest_quarter(s, body);
  const auto wide = static_cast<std::int32_t>(left + 1 + right),
             deep = static_cast<std::int32_t>(ahead + 1 + behind);
  const auto far = static_cast<std::int32_t>(ahead), to_left = static_cast<std::int32_t>(left);
  const auto top = static_cast<std::int32_t>(above),
             high = static_cast<std::int32_t>(above + 1 + below);
  std::size_t next = 0;
  for (std::int32_t k = 0; k < high; ++k)
    for (std::int32_t r = 0; r < deep; ++r)
      for (std::int32_t c = 0; c < wide; ++c) {
        const std::int32_t forward = far - r, leftward = to_left - c, layer = layer0 + top - k;
        const std::int32_t column = column0 + forward * q.x - leftward * q.y,
                           row = row0 + forward * q.y + leftward * q.x;
        TagSet& out = tags[next++];
        out = beyond;
        if (column < 0 || row < 0 || layer < 0 || column >= blocks.columns || row >= blocks.rows ||
            layer >= blocks.layers)
          continue;
        const std::uint8_t kind = s.blocks[block_number(blocks, column, row, layer)];
        out = kind == 0 ? TagSet() : TagSet::of(plan.tag_of[blocks.first_kind + kind - 1]);
      }
  for (std::size_t e = 0; e < plan.posed; ++e) {
    if (s.present[e] == 0 || e == body) continue;
    const std::int32_t dx = column_of(e) - column0, dy = row_of(e) - row0,
                       k = top - (layer_of(e) - layer0);
    const std::int32_t r = far - (dx * q.x + dy * q.y), c = to_left - (dy * q.x - dx * q.y);
    if (r >= 0 && c >= 0 && k >= 0 && r < deep && c < wide && k < high)
      tags[place_in(k * deep + r, wide, c)] |= TagSet::of(tag_now(plan, s, e));
  }
}

bool Arena::touches(const std::byte* state, EntityId body, TagSet tags) const noexcept {
  const ArenaPlan& plan = plan_of(state);
  const std::size_t free = plan.free_index[body.index()], entities = plan.entities.size();
  const StateArrays s = reading_of(plan, state);
  const std::uint8_t* flags = s.touching;
  const auto meant = [&](std::size_t entity) { return tags.holds(tag_now(plan, s, entity)); };
  // What touches is written down with one of the two, or with both.
  if (free != nowhere)
    for (std::size_t e = 0; e < entities; ++e)
      if (flags[free * entities + e] != 0 && meant(e)) return true;
  for (std::size_t f = 0; f < plan.free_bodies.size(); ++f)
    if (flags[f * entities + body.index()] != 0 && meant(plan.free_bodies[f])) return true;
  return false;
}

TagSet Arena::kills(EntityId entity) const noexcept {
  return plans_->variants[0].touchy[entity.index()].kills;
}

std::size_t Arena::launcher_number(EntityId body, std::string_view name,
                                   const std::string& where) const {
  const ArenaPlan& plan = plans_->variants[0];
  const auto& specs = plan.spec.bodies[entity(body).spec_index].launchers;
  std::vector<std::string> names;
  for (std::size_t l = 0; l < plan.launchers.size(); ++l) {
    if (plan.launchers[l].body != body.index()) continue;
    names.push_back(specs[names.size()].name);
    if (names.back() == name) return l;
  }
  throw Error(ErrorKind::spec,
              "'" + entity(body).name + "' has no launcher '" + std::string(name) + "'", where,
              names.empty() ? "give it one" : advice(name, names));
}

bool Arena::reloaded(const std::byte* state, std::size_t launcher) const noexcept {
  const StateArrays s = reading_of(plans_->variants[0], state);
  return s.header->tick >= s.ready_at[launcher];
}

TagSet Arena::targets_of(std::size_t launcher) const noexcept {
  return plans_->variants[0].launchers[launcher].targets;
}

float Arena::cell_size() const noexcept {
  return cell_columns() == 0 ? 0.0f : plans_->variants[0].cells.size;
}

Place Arena::middle() const noexcept {
  const ArenaPlan& plan = plans_->variants[0];
  const auto half = [](float origin, float size, std::int32_t count) {
    return static_cast<double>(origin + 0.5f * size * static_cast<float>(count));
  };
  if (plan.has_cells())
    return {half(plan.cells.origin.x, plan.cells.size, plan.cells.columns),
            half(plan.cells.origin.y, plan.cells.size, plan.cells.rows), 0.0};
  if (plan.has_blocks())
    return {half(plan.blocks.origin.x, plan.blocks.size, plan.blocks.columns),
            half(plan.blocks.origin.y, plan.blocks.size, plan.blocks.rows), 0.0};
  return {};
}

std::uint64_t Arena::hash_without_clock(const std::byte* state) const noexcept {
  return hash_bytes({state + sizeof(StateHeader), state_bytes() - sizeof(StateHeader)});
}

void Arena::find_near(const std::byte* state, EntityId body, std::span<const EntityId> among,
                      float reach, std::vector<std::pair<float, EntityId>>& found) const {
  const ArenaPlan& plan = plan_of(state);
  const StateArrays s = reading_of(plan, state);
  const std::size_t own = body.index();
  const float x = s.x[own], y = s.y[own];
  const bool high = plan.heights.used;
  const float middle = high ? s.z[own] + 0.5f * plan.tall[own] : 0.0f;
  // Written for all, and kept for those who are near: whether one is cannot be foreseen.
  const std::size_t before = found.size();
  found.resize(before + among.size());
  auto* next = found.data() + before;
  for (const EntityId other : among) {
    const std::size_t i = other.index();
    const float dx = s.x[i] - x, dy = s.y[i] - y;
    const float dz = high ? s.z[i] + 0.5f * plan.tall[i] - middle : 0.0f;
    const float distance = std::sqrt(dx * dx + dy * dy + dz * dz);
    *next = {distance, other};
    next += s.present[i] != 0 && distance <= reach ? 1 : 0;
  }
  found.resize(static_cast<std::size_t>(next - found.data()));
}

}  // namespace zithercraft
