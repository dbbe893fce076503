#include <algorithm>
#include <array>
#include <utility>

#include "arena/blocks.hpp"
#include "arena/casts/cast_cells.hpp"
#include "arena/physics/physics.hpp"
#include "arena/physics/standing.hpp"

// Sequential impulses with split push-out: E. Catto, "Iterative dynamics with temporal coherence"
// (2005), solved in the plane. Everything is float arithmetic in a fixed order.

namespace zithercraft::arena_internal {
namespace {

constexpr int solver_rounds = 10;
constexpr float allowed_overlap =
    0.005f;                          // metres left alone, so that resting contacts keep touching
constexpr float push_share = 0.2f;   // share of the overlap undone per tick
constexpr float bounce_from = 0.5f;  // m/s of approach below which nothing bounces

// Velocity arrays seen through a choice of "real" or "push" velocities; fixed things stand still.
struct Motions {
  float *x, *y, *turn;
};

Vec velocity_at(const Motions& m, const ArenaPlan& plan, std::size_t entity, Vec arm) {
  if (entity >= plan.bodies) return {};
  return {m.x[entity] - m.turn[entity] * arm.y, m.y[entity] + m.turn[entity] * arm.x};
}

void apply(const Motions& m, const ArenaPlan& plan, const Contact& c, Vec impulse) {
  const auto push = [&](std::size_t entity, Vec arm, float sign) {
    if (entity >= plan.bodies) return;
    const BodyData& body = plan.body[entity];
    if (body.inverse_mass == 0.0f) return;
    m.x[entity] += sign * body.inverse_mass * impulse.x;
    m.y[entity] += sign * body.inverse_mass * impulse.y;
    m.turn[entity] += sign * body.inverse_inertia * cross(arm, impulse);
  };
  push(c.a, c.arm_a, -1.0f);
  push(c.b, c.arm_b, 1.0f);
}

float inverse_mass_along(const ArenaPlan& plan, std::size_t entity, Vec arm, Vec direction) {
  if (entity >= plan.bodies) return 0.0f;
  const float lever = cross(arm, direction);
  return plan.body[entity].inverse_mass + plan.body[entity].inverse_inertia * lever * lever;
}

class ContactSolver {
 public:
  explicit ContactSolver(const Tick& t)
      : plan_(t.plan),
        s_(t.s),
        contacts_(t.memory.contacts),
        near_(t.memory.triangles),
        real_{s_.vx, s_.vy, s_.turn},
        push_{t.memory.push_x.data(), t.memory.push_y.data(), t.memory.push_turn.data()} {}

  void find() {
    contacts_.clear();
    for (const std::size_t a : plan_.free_bodies) {
      if (s_.present[a] == 0) continue;
      core_ready_ = false;
      band_ = stopped_band(plan_, s_, a);
      meet_bodies(a);
      for (const WallPiece& piece : plan_.pieces)
        if (stands(plan_, s_, piece)) meet_wall(a, piece);
      if (plan_.has_cells()) meet_cells(a);
      if (plan_.heights.terrain) meet_terrain(a);
      if (plan_.has_blocks()) meet_blocks(a);
    }
  }

  void solve() {
    if (contacts_.empty()) return;
    for (int round = 0; round < solver_rounds; ++round)
      for (Contact& c : contacts_) {
        solve_normal(c);
        solve_tangent(c);
        solve_overlap(c);
      }
  }

 private:
  const Core& core(std::size_t a) {
    if (!core_ready_) core_ = core_of(plan_.shapes[a], s_.pose(a));
    core_ready_ = true;
    return core_;
  }

  void meet_bodies(std::size_t a) {
    constexpr std::size_t at_once = 64;
    std::array<std::int32_t, at_once> close;
    const float x = s_.x[a], y = s_.y[a], bound = plan_.bounds[a];
    for (std::size_t first = 0; first < plan_.bodies; first += at_once) {
      const std::size_t stop = std::min(plan_.bodies, first + at_once);
      std::int32_t any = 0;
      for (std::size_t b = first; b < stop; ++b) {
        const float dx = s_.x[b] - x, dy = s_.y[b] - y, reach = bound + plan_.bounds[b];
        close[b - first] = dx * dx + dy * dy <= reach * reach ? 1 : 0;
        any += close[b - first];
      }
      if (any == 0) continue;
      for (std::size_t b = first; b < stop; ++b) {
        if (close[b - first] == 0 || b == a || s_.present[b] == 0) continue;
        if (goes_through(plan_, s_, a, b)) continue;
        // That pair was met from the other side.
        if (b < a && plan_.body[b].inverse_mass != 0.0f) continue;
        Manifold manifold;
        if (plan_.heights.used) {
          if (meet_beside(a, b, manifold)) add(a, b, {s_.x[b], s_.y[b]}, manifold);
          continue;
        }
        if (collide(core(a), core_of(plan_.shapes[b], s_.pose(b)), manifold))
          add(a, b, {s_.x[b], s_.y[b]}, manifold);
      }
    }
  }

  // Bodies that stand on each other do not push each other aside. Balls are as wide as they are at
  // the level at which they come closest to the other.
  bool meet_beside(std::size_t a, std::size_t b, Manifold& manifold) {
    const Band on_b = band_of(plan_, s_, b);
    const bool ball_a = plan_.shapes[a].form == Form::ball,
               ball_b = plan_.shapes[b].form == Form::ball;
    if (!ball_a && !ball_b) {
      if (band_.low >= on_b.high || on_b.low + step_of(plan_, b) >= band_.high) return false;
      return collide(core(a), core_of(plan_.shapes[b], s_.pose(b)), manifold);
    }
    const Band on_a = band_of(plan_, s_, a);
    Core wide_a = core(a), wide_b = core_of(plan_.shapes[b], s_.pose(b));
    float off = 0.0f, radius = 0.0f;  // between the levels of the middles; sum of the radii
    if (ball_a && ball_b) {
      off = 0.5f * (on_a.low + on_a.high) - 0.5f * (on_b.low + on_b.high);
      radius = plan_.radius[a] + plan_.radius[b];
    } else {
      const Band other = ball_a ? on_b : on_a;
      const float middle = ball_a ? 0.5f * (on_a.low + on_a.high) : 0.5f * (on_b.low + on_b.high);
      off = middle - std::clamp(middle, other.low, other.high);
      radius = ball_a ? plan_.radius[a] : plan_.radius[b];
    }
    if (std::fabs(off) >= radius) return false;
    const float share = std::sqrt(1.0f - off * off / (radius * radius));
    if (ball_a) wide_a.radius *= share;
    if (ball_b) wide_b.radius *= share;
    if (off != 0.0f) {  // one lies over the other: that is no pushing aside
      Core middle_a = wide_a, middle_b = wide_b;
      middle_a.radius = ball_a ? 0.0f : middle_a.radius;
      middle_b.radius = ball_b ? 0.0f : middle_b.radius;
      if (gap_between(middle_a, middle_b).distance <= 0.0f) return false;
    }
    return collide(wide_a, wide_b, manifold);
  }

  // A column counts once, by the lowest of its blocks that is in the way.
  void meet_blocks(std::size_t a) {
    const BlocksPlan& blocks = plan_.blocks;
    const float bound = plan_.bounds[a];
    const BlockBox box = blocks_within(blocks, {s_.x[a] - bound, s_.y[a] - bound, band_.low},
                                       {s_.x[a] + bound, s_.y[a] + bound, band_.high});
    const auto in_way = [&](std::int32_t column, std::int32_t row) {
      return solid_layer(blocks, s_, column, row, band_);
    };
    for (std::int32_t row = box.row0; row <= box.row1; ++row)
      for (std::int32_t column = box.column0; column <= box.column1; ++column) {
        const std::int32_t layer = in_way(column, row);
        Manifold manifold;
        if (layer < 0 || !collide(core(a), core_of_column(blocks, column, row), manifold)) continue;
        if (covered(column, row, manifold.normal,
                    [&](std::int32_t c, std::int32_t r) { return in_way(c, r) >= 0; }))
          continue;
        add(a, blocks.first_kind + s_.blocks[block_number(blocks, column, row, layer)] - 1, {},
            manifold);
      }
  }

  void meet_terrain(std::size_t a) {
    const Vec here{s_.x[a], s_.y[a]}, reach{plan_.bounds[a], plan_.bounds[a]};
    plan_.heights.terrain->near(here - reach, here + reach, near_);
    std::array<Vec, 8> corners;
    for (const std::uint32_t number : near_) {
      const Triangle& triangle = plan_.heights.terrain->triangles()[number];
      const std::size_t count =
          stopping_slice(triangle, band_, plan_.bounds[a], plan_.body[a].steep, corners);
      Manifold manifold;
      if (count >= 2 && collide(core(a), core_of_polygon(corners.data(), count), manifold))
        add(a, triangle.entity, {}, manifold);
    }
  }

  void meet_wall(std::size_t a, const WallPiece& piece) {
    if (!overlap(band_, {piece.low, piece.high})) return;
    const float reach = plan_.shapes[a].bound;
    const float x = s_.x[a], y = s_.y[a];
    if (x + reach < std::min(piece.from.x, piece.to.x) ||
        x - reach > std::max(piece.from.x, piece.to.x) ||
        y + reach < std::min(piece.from.y, piece.to.y) ||
        y - reach > std::max(piece.from.y, piece.to.y))
      return;
    Manifold manifold;
    if (collide(core(a), piece.core, manifold)) add(a, piece.entity, {}, manifold);
  }

  void meet_cells(std::size_t a) {
    const CellPlan& cells = plan_.cells;
    const float bound = plan_.bounds[a];
    const Vec here{s_.x[a], s_.y[a]};
    const CellBox box = cells_within(cells, here - Vec{bound, bound}, here + Vec{bound, bound});
    for (std::int32_t row = box.row0; row <= box.row1; ++row)
      for (std::int32_t column = box.column0; column <= box.column1; ++column) {
        if (!solid(column, row)) continue;
        const Vec low =
            cells.origin + cells.size * Vec{static_cast<float>(column), static_cast<float>(row)};
        Manifold manifold;
        if (!collide(core(a), core_of_cells(low, low + Vec{cells.size, cells.size}), manifold))
          continue;
        if (covered(column, row, manifold.normal,
                    [&](std::int32_t c, std::int32_t r) { return solid(c, r); }))
          continue;
        add(a, entity_of(cell_number(cells, column, row)), {}, manifold);
      }
  }

  bool solid(std::int32_t column, std::int32_t row) const {
    const CellPlan& cells = plan_.cells;
    return column >= 0 && row >= 0 && column < cells.columns && row < cells.rows &&
           (plan_.heights.used
                ? solid_above(cells, s_.cells, cell_number(cells, column, row), band_.low)
                : solid_at(cells, s_.cells, cell_number(cells, column, row)));
  }

  // Whether the side or corner that was met is covered by a neighbour: bodies must not catch on
  // seams between cells.
  template <class Solid>
  static bool covered(std::int32_t column, std::int32_t row, Vec normal, const Solid& solid) {
    const std::int32_t to_x = normal.x > 0.0f ? -1 : 1, to_y = normal.y > 0.0f ? -1 : 1;
    const bool sideways = std::fabs(normal.x) > 0.02f, upright = std::fabs(normal.y) > 0.02f;
    return (sideways && solid(column + to_x, row)) || (upright && solid(column, row + to_y));
  }

  std::size_t entity_of(std::size_t cell) const {
    const CellPlan& cells = plan_.cells;
    for (std::size_t layer = cells.layers; layer-- > 0;) {
      const std::uint8_t kind = s_.cells[layer * cells.cells() + cell];
      if (cells.solid[kind] != 0) return cells.first_kind + kind - 1;
    }
    return cells.first_kind;
  }

  void add(std::size_t a, std::size_t b, Vec centre_b, const Manifold& manifold) {
    const Surface &on_a = plan_.surface[a], &on_b = plan_.surface[b];
    for (std::size_t p = 0; p < manifold.points; ++p) {
      Contact c{};
      c.a = a;
      c.b = b;
      c.normal = manifold.normal;
      c.arm_a = manifold.point[p] - Vec{s_.x[a], s_.y[a]};
      c.arm_b = manifold.point[p] - centre_b;
      c.depth = manifold.depth[p];
      const Vec tangent{-c.normal.y, c.normal.x};
      const auto mass = [&](Vec direction) {
        return 1.0f / (inverse_mass_along(plan_, a, c.arm_a, direction) +
                       inverse_mass_along(plan_, b, c.arm_b, direction));
      };
      c.normal_mass = mass(c.normal);
      c.tangent_mass = mass(tangent);
      c.approach = -dot(relative(real_, c), c.normal);
      c.bounce_speed =
          c.approach > bounce_from ? std::max(on_a.bounce, on_b.bounce) * c.approach : 0.0f;
      c.grip = std::sqrt(on_a.grip * on_b.grip);
      contacts_.push_back(c);
    }
  }

  Vec relative(const Motions& m, const Contact& c) const {
    return velocity_at(m, plan_, c.b, c.arm_b) - velocity_at(m, plan_, c.a, c.arm_a);
  }

  void solve_normal(Contact& c) {
    const float wanted =
        c.normal_impulse + c.normal_mass * (c.bounce_speed - dot(relative(real_, c), c.normal));
    const float total = std::max(0.0f, wanted);
    apply(real_, plan_, c, (total - std::exchange(c.normal_impulse, total)) * c.normal);
  }

  void solve_tangent(Contact& c) {
    const Vec tangent{-c.normal.y, c.normal.x};
    const float most = c.grip * c.normal_impulse;
    const float wanted = c.tangent_impulse - c.tangent_mass * dot(relative(real_, c), tangent);
    const float total = std::clamp(wanted, -most, most);
    apply(real_, plan_, c, (total - std::exchange(c.tangent_impulse, total)) * tangent);
  }

  void solve_overlap(Contact& c) {
    const float speed = push_share / plan_.dt * std::max(0.0f, c.depth - allowed_overlap);
    const float wanted =
        c.push_impulse + c.normal_mass * (speed - dot(relative(push_, c), c.normal));
    const float total = std::max(0.0f, wanted);
    apply(push_, plan_, c, (total - std::exchange(c.push_impulse, total)) * c.normal);
  }

  const ArenaPlan& plan_;
  StateArrays& s_;
  std::vector<Contact>& contacts_;
  std::vector<std::uint32_t>& near_;
  Band band_;  // in which the body at hand is stopped
  Motions real_, push_;
  Core core_;
  bool core_ready_ = false;
};

}  // namespace

void solve_contacts(const Tick& t) {
  ContactSolver solver(t);
  solver.find();
  solver.solve();
}

}  // namespace zithercraft::arena_internal
