#include "arena/physics/standing.hpp"

#include "arena/blocks.hpp"
#include "arena/casts/cast_cells.hpp"
#include "arena/physics/physics.hpp"

// Up and down: bodies fall, land, stand, are lifted up steps and stopped by what is overhead.
// Motion over the plane has been solved before; here each body's foot is set, so that nothing is
// fallen through at any speed.

namespace zithercraft::arena_internal {
namespace {

constexpr float touching = 0.002f;  // metres between a foot and what it stands on
// Metres by which footprints overlap before one holds the other.
constexpr float least_cover = 0.01f;
constexpr float bounce_from = 0.5f;  // m/s below which nothing bounces

class Settler {
 public:
  Settler(const Tick& t, std::size_t body)
      : t_(t), s_(t.s), plan_(t.plan), i_(body), data_(plan_.body[body]) {
    here_ = {s_.x[i_], s_.y[i_]};
    core_ = core_of(plan_.shapes[i_], s_.pose(i_));
    tall_ = plan_.tall[i_];
    ball_ = plan_.shapes[i_].form == Form::ball;
  }

  void settle() {
    const float from = s_.z[i_], wanted = from + s_.vz[i_] * plan_.dt;
    const std::uint32_t stood_on = s_.stands_on[i_];
    const bool rising = s_.vz[i_] > 0.0f;
    find_ground(from);
    find_overhead(from);
    // A walker keeps its feet on ground that falls away by no more than its step height.
    const float down = stood_on != 0 && !rising
                           ? (data_.walks ? step_of(plan_, i_) : sinking(stood_on - 1))
                           : 0.0f;
    const bool lands = best_.entity >= 0 && best_.level >= std::min(wanted, from) - down - touching;
    if (lands && best_.level + tall_ > overhead_ && best_.level > from + touching) {
      stay_back();  // there is no room up there
    } else if (rising) {
      // A jump continues while ground lifts it.
      rise_or_fall(lands ? std::max(wanted, best_.level) : wanted);
    } else if (lands && wanted <= best_.level + down + touching) {
      land();
    } else {
      rise_or_fall(wanted);
    }
    if (s_.z[i_] < plan_.heights.lowest) kill(t_, i_, -1);
  }

 private:
  void consider(float level, std::size_t entity, float most) {
    if (level > most || level <= best_.level) return;
    best_ = {level, static_cast<std::int32_t>(entity), {}, 0.0f};
  }

  void find_ground(float from) {
    const float lift = step_of(plan_, i_);
    // Ground rises under a moving body, but no steeper than what does not stop it.
    const float rise = std::max(1.0f, data_.steep) * length(here_ - t_.memory.from[i_]);
    best_ = footing_at(plan_, here_, from + lift + rise);
    if (best_.entity < 0) get_out_of_ground(from);
    for (std::size_t b = 0; b < plan_.bodies; ++b) {
      if (b == i_ || s_.present[b] == 0 || goes_through(plan_, s_, i_, b)) continue;
      const Vec d = Vec{s_.x[b], s_.y[b]} - here_;
      const float reach = plan_.bounds[i_] + plan_.bounds[b];
      if (dot(d, d) > reach * reach) continue;
      const float most = from + lift + std::max(0.0f, s_.vz[b]) * plan_.dt;
      consider(level_over(b), b, most);
    }
    if (plan_.has_cells()) find_cells(from + lift);
    if (plan_.has_blocks()) find_blocks(from + lift);
  }

  // Uneven ground is solid below: who got into it comes out on top.
  void get_out_of_ground(float from) {
    if (!plan_.heights.terrain) return;
    const Triangle* above = plan_.heights.terrain->overhead_at(here_, from);
    if (above != nullptr && plan_.entities[above->entity].kind == EntityKind::ground)
      best_ = {above->level_at(here_), static_cast<std::int32_t>(above->entity), above->gradient,
               above->slope};
  }

  // The level of this body's foot if it lay on another, or `-boundless` if it is not over it.
  float level_over(std::size_t b) const {
    const float top = s_.z[b] + plan_.tall[b];
    if (plan_.shapes[b].form == Form::ball) {
      // On a ball: where the outlines meet at this distance.
      const Vec d = Vec{s_.x[b], s_.y[b]} - here_;
      const float radius = plan_.radius[b] + (ball_ ? plan_.radius[i_] : 0.0f);
      const float square = radius * radius - (ball_ ? dot(d, d) : 0.0f);
      if (!ball_ &&
          gap_between(core_, core_of(plan_.shapes[b], s_.pose(b))).distance > -least_cover)
        return -boundless;
      if (square <= 0.0f) return -boundless;
      return s_.z[b] + plan_.radius[b] + std::sqrt(square) - (ball_ ? plan_.radius[i_] : 0.0f);
    }
    const Core other = core_of(plan_.shapes[b], s_.pose(b));
    if (!ball_) return gap_between(core_, other).distance <= -least_cover ? top : -boundless;
    return over_edge(top, other);
  }

  // A ball over an edge hangs the lower the farther its middle lies beyond it.
  float over_edge(float top, const Core& other) const {
    Core middle;
    middle.corners = 1;
    middle.corner[0] = here_;
    const float beyond = std::max(0.0f, gap_between(middle, other).distance), r = plan_.radius[i_];
    return beyond < r - least_cover ? top + std::sqrt(r * r - beyond * beyond) - r : -boundless;
  }

  void find_cells(float most) {
    const CellPlan& cells = plan_.cells;
    const float bound = plan_.bounds[i_];
    const CellBox box = cells_within(cells, here_ - Vec{bound, bound}, here_ + Vec{bound, bound});
    for (std::int32_t row = box.row0; row <= box.row1; ++row)
      for (std::int32_t column = box.column0; column <= box.column1; ++column)
        for (std::size_t layer = 0; layer < cells.layers; ++layer) {
          const std::uint8_t kind =
              s_.cells[layer * cells.cells() + cell_number(cells, column, row)];
          if (cells.solid[kind] == 0 || cells.top[kind] > most || cells.top[kind] <= best_.level)
            continue;
          const Vec low =
              cells.origin + cells.size * Vec{static_cast<float>(column), static_cast<float>(row)};
          const Core square = core_of_cells(low, low + Vec{cells.size, cells.size});
          if (ball_) {
            consider(over_edge(cells.top[kind], square), cells.first_kind + kind - 1, most);
          } else if (covers(square)) {
            consider(cells.top[kind], cells.first_kind + kind - 1, most);
          }
        }
  }

  template <class Use>
  void each_column(const Use& use) const {
    const BlocksPlan& blocks = plan_.blocks;
    const float bound = plan_.bounds[i_];
    const BlockBox box = blocks_within(blocks, {here_.x - bound, here_.y - bound, -boundless},
                                       {here_.x + bound, here_.y + bound, boundless});
    for (std::int32_t row = box.row0; row <= box.row1; ++row)
      for (std::int32_t column = box.column0; column <= box.column1; ++column) use(column, row);
  }

  bool covers(const Core& square) const {
    return gap_between(core_, square).distance <= -least_cover;
  }

  void find_blocks(float most) {
    const BlocksPlan& blocks = plan_.blocks;
    each_column([&](std::int32_t column, std::int32_t row) {
      // A top may be at `most` to rounding.
      const float above = (most + 1e-4f - blocks.origin.z) / blocks.size;
      auto layer = static_cast<std::int32_t>(
                       std::floor(std::clamp(above, 0.0f, static_cast<float>(blocks.layers)))) -
                   1;
      while (layer >= 0 && !is_solid(blocks, s_, column, row, layer)) --layer;
      const float top = level_of(blocks, layer + 1);
      if (layer < 0 || top <= best_.level) return;
      const std::size_t entity =
          blocks.first_kind + s_.blocks[block_number(blocks, column, row, layer)] - 1;
      const Core square = core_of_column(blocks, column, row);
      if (ball_) {
        consider(over_edge(top, square), entity, most);
      } else if (covers(square)) {
        consider(top, entity, boundless);
      }
    });
  }

  void find_blocks_overhead(float head) {
    const BlocksPlan& blocks = plan_.blocks;
    each_column([&](std::int32_t column, std::int32_t row) {
      const float above = (head - blocks.origin.z) / blocks.size;
      auto layer = static_cast<std::int32_t>(
          std::ceil(std::clamp(above, 0.0f, static_cast<float>(blocks.layers))));
      while (layer < blocks.layers && level_of(blocks, layer) < overhead_ &&
             !is_solid(blocks, s_, column, row, layer))
        ++layer;
      if (layer >= blocks.layers || level_of(blocks, layer) >= overhead_ ||
          !covers(core_of_column(blocks, column, row)))
        return;
      overhead_ = level_of(blocks, layer);
      overhead_entity_ = static_cast<std::int32_t>(
          blocks.first_kind + s_.blocks[block_number(blocks, column, row, layer)] - 1);
    });
  }

  // The lowest underside above its head, and whose it is.
  void find_overhead(float from) {
    const float head = from + tall_ - touching;
    overhead_ = plan_.heights.ceiling;
    overhead_entity_ = -1;
    if (plan_.heights.terrain)
      if (const Triangle* roof = plan_.heights.terrain->overhead_at(here_, head); roof != nullptr) {
        const float level = roof->level_at(here_);
        if (level < overhead_) {
          overhead_ = level;
          overhead_entity_ = static_cast<std::int32_t>(roof->entity);
        }
      }
    for (std::size_t b = 0; b < plan_.bodies; ++b) {
      if (b == i_ || s_.present[b] == 0 || s_.z[b] < head || s_.z[b] >= overhead_) continue;
      if (goes_through(plan_, s_, i_, b)) continue;
      const Vec d = Vec{s_.x[b], s_.y[b]} - here_;
      const float reach = plan_.bounds[i_] + plan_.bounds[b];
      if (dot(d, d) > reach * reach) continue;
      if (gap_between(core_, core_of(plan_.shapes[b], s_.pose(b))).distance > -least_cover)
        continue;
      overhead_ = s_.z[b];
      overhead_entity_ = static_cast<std::int32_t>(b);
    }
    if (plan_.has_blocks()) find_blocks_overhead(head);
  }

  // How far the thing it stood on went down in this tick.
  float sinking(std::size_t entity) const {
    return entity < plan_.bodies ? std::max(0.0f, -s_.vz[entity] * plan_.dt) : 0.0f;
  }

  void stay_back() {
    s_.x[i_] = t_.memory.from[i_].x;
    s_.y[i_] = t_.memory.from[i_].y;
    s_.vx[i_] = s_.vy[i_] = 0.0f;
    s_.vz[i_] = std::min(0.0f, s_.vz[i_]);
  }

  void land() {
    const auto entity = static_cast<std::size_t>(best_.entity);
    const float upwards = entity < plan_.bodies ? s_.vz[entity] : 0.0f;
    const float fell = upwards + impact(best_.level);
    s_.z[i_] = best_.level;
    const float bounce = std::max(plan_.surface[i_].bounce, plan_.surface[entity].bounce);
    const bool bounces = bounce > 0.0f && fell > bounce_from;
    if (!bounces && !data_.walks && best_.slope > 0.0f) {
      go_along();
    } else {
      s_.vz[i_] = bounces ? upwards + bounce * fell : upwards;
    }
    // Ground too steep for its legs is slid down.
    const bool slides = data_.walks && best_.slope > data_.steep;
    if (slides) slide();
    s_.stands_on[i_] = bounces || slides ? 0 : static_cast<std::uint32_t>(entity + 1);
    report(best_.entity, fell);
  }

  // How fast it was when it got there, downwards: gravity worked on it only until then, so no
  // energy is won.
  float impact(float level) const {
    const float pulled = data_.floats ? 0.0f : plan_.heights.gravity;
    const float before = s_.vz[i_] + pulled, drop = std::max(0.0f, t_.memory.from_z[i_] - level);
    if (before > 0.0f) return -s_.vz[i_];
    return std::sqrt(before * before + 2.0f * pulled / plan_.dt * drop);
  }

  // A body that does not walk keeps the part of its velocity along the slope. What gravity did to
  // it while it stood there is left out: rubbing sees to that.
  void go_along() {
    const Vec g = best_.gradient;
    const float pulled = s_.stands_on[i_] != 0 ? plan_.heights.gravity : 0.0f;
    const float into = s_.vz[i_] + pulled - dot(g, Vec{s_.vx[i_], s_.vy[i_]});
    s_.vz[i_] += pulled;
    if (into >= 0.0f) return;
    const float share = into / (1.0f + dot(g, g));
    s_.vx[i_] += share * g.x;
    s_.vy[i_] += share * g.y;
    s_.vz[i_] -= share;
  }

  void slide() {
    const float share = plan_.heights.gravity / (1.0f + dot(best_.gradient, best_.gradient));
    s_.vx[i_] -= share * best_.gradient.x;
    s_.vy[i_] -= share * best_.gradient.y;
  }

  void rise_or_fall(float wanted) {
    s_.stands_on[i_] = 0;
    s_.z[i_] = wanted;
    if (wanted + tall_ <= overhead_) return;
    if (s_.vz[i_] > 0.0f) {
      report(overhead_entity_, s_.vz[i_]);
      s_.vz[i_] = 0.0f;
    }
    s_.z[i_] = std::max(overhead_ - tall_, std::min(t_.memory.from_z[i_], wanted));
  }

  void report(std::int32_t entity, float speed) const {
    if (entity >= 0)
      t_.memory.stood.push_back({i_, static_cast<std::size_t>(entity), std::max(0.0f, speed)});
  }

  const Tick& t_;
  StateArrays& s_;
  const ArenaPlan& plan_;
  std::size_t i_;
  const BodyData& data_;
  Vec here_;
  Core core_;
  float tall_ = 0.0f;
  bool ball_ = false;
  Footing best_;
  float overhead_ = boundless;
  std::int32_t overhead_entity_ = -1;
};

// What is under its foot slows a body that does not drive itself, and pulls it along; balls roll.
void rub(const Tick& t, std::size_t i) {
  StateArrays& s = t.s;
  const ArenaPlan& plan = t.plan;
  const std::size_t entity = s.stands_on[i] - 1;
  const bool rolls = plan.shapes[i].form == Form::ball;
  float least =
      rolls ? 0.0f
            : std::sqrt(plan.surface[i].grip * plan.surface[entity].grip) * plan.heights.gravity;
  if (entity >= plan.bodies) {
    const Footing ground = footing_at(plan, {s.x[i], s.y[i]}, s.z[i] + 0.05f);
    const float square = 1.0f + dot(ground.gradient, ground.gradient);
    s.vx[i] -= plan.heights.gravity / square * ground.gradient.x;
    s.vy[i] -= plan.heights.gravity / square * ground.gradient.y;
    least /= std::sqrt(square);
  }
  const Vec along = velocity_underfoot(t, i);
  const Vec v = Vec{s.vx[i], s.vy[i]} - along;
  const float size = length(v);
  const float keep = size > least ? 1.0f - least / size : 0.0f;
  s.vx[i] = along.x + keep * v.x;
  s.vy[i] = along.y + keep * v.y;
  const float turning = 1.5f * least / plan.bounds[i];
  s.turn[i] =
      s.turn[i] > 0.0f ? std::max(0.0f, s.turn[i] - turning) : std::min(0.0f, s.turn[i] + turning);
}

}  // namespace

std::size_t stopping_slice(const Triangle& triangle, Band band, float bound, float steep,
                           std::array<Vec, 8>& corners) {
  if (triangle.slope <= steep) band.low += bound * triangle.slope + 0.05f;
  if (triangle.high <= band.low || triangle.low >= band.high) return 0;
  return slice(triangle, band.low, band.high, corners);
}

Footing footing_at(const ArenaPlan& plan, Vec p, float most) {
  Footing ground;
  if (plan.heights.floor != nowhere && plan.heights.floor_level <= most)
    ground = {plan.heights.floor_level, static_cast<std::int32_t>(plan.heights.floor), {}, 0.0f};
  if (plan.heights.terrain)
    if (const Triangle* t = plan.heights.terrain->ground_at(p, most); t != nullptr)
      if (const float level = t->level_at(p); level >= ground.level)
        ground = {level, static_cast<std::int32_t>(t->entity), t->gradient, t->slope};
  return ground;
}

Vec velocity_underfoot(const Tick& t, std::size_t body) {
  const std::size_t entity = t.s.stands_on[body] - 1;
  if (t.s.stands_on[body] == 0 || entity >= t.plan.bodies) return {};
  const float turn = t.s.turn[entity];
  return {t.s.vx[entity] - turn * (t.s.y[body] - t.s.y[entity]),
          t.s.vy[entity] + turn * (t.s.x[body] - t.s.x[entity])};
}

void pull_down(const Tick& t) {
  if (!t.plan.heights.used) return;
  t.memory.from.resize(t.plan.bodies);
  t.memory.from_z.resize(t.plan.bodies);
  t.memory.stood.clear();
  for (const std::size_t i : t.plan.free_bodies) {
    if (t.s.present[i] == 0) continue;
    t.memory.from[i] = {t.s.x[i], t.s.y[i]};
    t.memory.from_z[i] = t.s.z[i];
    if (!t.plan.body[i].floats) t.s.vz[i] -= t.plan.heights.gravity;
    if (t.s.stands_on[i] != 0 && !t.plan.body[i].drives) rub(t, i);
  }
}

void settle_bodies(const Tick& t) {
  if (!t.plan.heights.used) return;
  for (const std::size_t i : t.plan.free_bodies)
    if (t.s.present[i] != 0) Settler(t, i).settle();
}

}  // namespace zithercraft::arena_internal
