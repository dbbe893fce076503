#include <algorithm>

#include "arena/casts/cast_cells.hpp"
#include "arena/generate/placement.hpp"
#include "arena/physics/physics.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/random.hpp"

// All steppers move at once: everyone says where they want to go, then wishes that cannot be are
// taken back one after the other until those that are left agree. Columns of steppers can so walk
// behind each other without gaps.

namespace zithercraft::arena_internal {
namespace {

constexpr std::int32_t not_bumped = -1, bumped_border = -2;

class Moves {
 public:
  explicit Moves(const Tick& t) : t_(t), plan_(t.plan), cells_(t.plan.cells), m_(t.memory) {}

  void run() {
    const std::size_t n = plan_.steppers.size();
    m_.wish.resize(n);
    m_.own.resize(n);
    m_.bumped.assign(n, not_bumped);
    m_.pusher.assign(n, -1);
    m_.occupant.resize(cells_.cells());
    m_.contenders.resize(cells_.cells());
    for (std::size_t i = 0; i < n; ++i) wish(i);
    if (share()) {
      if (!plan_.tails.empty()) {
        look_for_pieces();
        while (stop_at_pieces()) {
        }
      }
      settle();
      return;
    }
    for (std::size_t i = 0; i < n; ++i)
      if (here(i)) m_.occupant[own(i)] = static_cast<std::int32_t>(i) + 1;
    for (std::size_t i = 0; i < n; ++i) push(i);
    if (!plan_.tails.empty()) look_for_pieces();
    take_back();
    for (std::size_t i = 0; i < n; ++i)
      if (here(i)) m_.occupant[own(i)] = 0;
    settle();
  }

 private:
  bool share() const { return plan_.spec.cells->meeting == Meeting::all; }
  bool here(std::size_t i) const { return t_.s.present[plan_.steppers[i].body] != 0; }
  std::size_t own(std::size_t i) const { return static_cast<std::size_t>(m_.own[i]); }
  std::size_t wished(std::size_t i) const { return static_cast<std::size_t>(m_.wish[i]); }
  bool moves(std::size_t i) const { return m_.wish[i] != m_.own[i]; }

  // The entity that blocks a cell, or one of the marks.
  std::int32_t blocker(std::int32_t column, std::int32_t row) const {
    if (column < 0 || row < 0 || column >= cells_.columns || row >= cells_.rows)
      return bumped_border;
    const std::size_t cell = cell_number(cells_, column, row);
    for (std::size_t layer = cells_.layers; layer-- > 0;) {
      const std::uint8_t kind = t_.s.cells[layer * cells_.cells() + cell];
      if (cells_.solid[kind] != 0) return static_cast<std::int32_t>(cells_.first_kind + kind - 1);
    }
    return not_bumped;
  }

  void wish(std::size_t i) {
    const StepperData& stepper = plan_.steppers[i];
    const std::size_t body = stepper.body;
    const CellBox at =
        cells_within(cells_, {t_.s.x[body], t_.s.y[body]}, {t_.s.x[body], t_.s.y[body]});
    const std::int32_t column = std::max(0, std::min(at.column0, cells_.columns - 1));
    const std::int32_t row = std::max(0, std::min(at.row0, cells_.rows - 1));
    m_.wish[i] = m_.own[i] = static_cast<std::int32_t>(cell_number(cells_, column, row));
    if (t_.s.present[body] == 0 || t_.s.header->tick % stepper.ticks_per_move != 0) return;
    const float* inputs = t_.s.inputs + plan_.body[body].first_input;
    const auto sign = [&](int k) { return inputs[k] > 0.5f ? 1 : inputs[k] < -0.5f ? -1 : 0; };
    if (const int turn = sign(0); turn != 0)
      face(body, static_cast<double>(t_.s.heading[body]) + 0.5 * exact::pi * turn);
    const int east_of_heading = t_.s.cos[body] > 0.5f ? 1 : t_.s.cos[body] < -0.5f ? -1 : 0;
    const int north_of_heading = t_.s.sin[body] > 0.5f ? 1 : t_.s.sin[body] < -0.5f ? -1 : 0;
    int east = 0, north = 0;
    if (const int ahead = sign(1); ahead != 0) {
      east = ahead * east_of_heading;
      north = ahead * north_of_heading;
    } else if (const int left = sign(2); left != 0) {
      east = -left * north_of_heading;
      north = left * east_of_heading;
    } else if (east = sign(3); east == 0) {
      north = sign(4);
    }
    if (east == 0 && north == 0) return;
    if (stepper.faces_move && sign(1) == 0 && sign(2) == 0)
      face(body, exact::atan2(static_cast<double>(north), static_cast<double>(east)));
    m_.bumped[i] = blocker(column + east, row + north);
    if (m_.bumped[i] == not_bumped)
      m_.wish[i] = static_cast<std::int32_t>(cell_number(cells_, column + east, row + north));
  }

  void face(std::size_t body, double heading) {
    set_pose(t_.s, body, t_.s.x[body], t_.s.y[body], heading);
    // Exactly along the axes, whatever the turns before.
    t_.s.cos[body] = std::round(t_.s.cos[body]);
    t_.s.sin[body] = std::round(t_.s.sin[body]);
  }

  void push(std::size_t i) {
    if (!plan_.steppers[i].pushes || !moves(i)) return;
    const std::int32_t in_way = m_.occupant[wished(i)] - 1;
    if (in_way < 0) return;
    const auto other = static_cast<std::size_t>(in_way);
    if (!plan_.steppers[other].pushable || moves(other)) return;
    const std::int32_t column =
        m_.wish[i] % cells_.columns + (m_.wish[i] % cells_.columns - m_.own[i] % cells_.columns);
    const std::int32_t row =
        m_.wish[i] / cells_.columns + (m_.wish[i] / cells_.columns - m_.own[i] / cells_.columns);
    if (blocker(column, row) != not_bumped) return;
    m_.wish[other] = static_cast<std::int32_t>(cell_number(cells_, column, row));
    m_.pusher[other] = static_cast<std::int32_t>(i);
  }

  void take_back() {
    const std::size_t n = plan_.steppers.size();
    for (bool changed = true; changed;) {
      changed = false;
      for (std::size_t i = 0; i < n; ++i)
        if (moves(i)) ++m_.contenders[wished(i)];
      for (std::size_t i = 0; i < n; ++i)
        if (moves(i) && m_.contenders[wished(i)] > 1 && !wins(i))
          m_.dropped.push_back({i, in_the_way(i)});
      for (std::size_t i = 0; i < n; ++i)
        if (moves(i)) m_.contenders[wished(i)] = 0;
      for (const auto& [i, other] : m_.dropped) changed = cancel(i, other) || changed;
      m_.dropped.clear();
      for (std::size_t i = 0; i < n; ++i) {
        if (!moves(i)) continue;
        const std::int32_t pusher = m_.pusher[i];
        if (pusher >= 0 && !moves(static_cast<std::size_t>(pusher))) {
          changed = cancel(i, pusher) || changed;
          continue;
        }
        const std::int32_t in_way = m_.occupant[wished(i)] - 1;
        if (in_way < 0) continue;
        const auto other = static_cast<std::size_t>(in_way);
        const bool stays = !moves(other);
        const bool swaps =
            moves(other) && m_.wish[other] == m_.own[i] && !plan_.spec.cells->swapping;
        if (stays || swaps) changed = cancel(i, in_way) || changed;
      }
      if (!plan_.tails.empty()) changed = stop_at_pieces() || changed;
    }
  }

  // The pieces of tails that lie where steppers want to go.
  void look_for_pieces() {
    const std::size_t n = plan_.steppers.size();
    m_.piece.assign(n, -1);
    const float half = 0.5f * cells_.size;
    for (std::size_t i = 0; i < n; ++i) {
      if (!moves(i)) continue;
      const Vec to = middle_of(cells_, wished(i));
      for (std::size_t k = 0; k < plan_.tails.size(); ++k) {
        const std::size_t first = plan_.tails[k].first;
        if (goes_through(plan_, t_.s, plan_.steppers[i].body, first)) continue;
        for (std::size_t p = first; p < first + t_.s.tails[k].out; ++p)
          if (std::fabs(t_.s.x[p] - to.x) < half && std::fabs(t_.s.y[p] - to.y) < half)
            m_.piece[i] = static_cast<std::int32_t>(p);
      }
    }
  }

  // Nobody steps on a piece that stays, nor behind a leader that draws its tail after it.
  bool stop_at_pieces() {
    bool changed = false;
    for (std::size_t i = 0; i < plan_.steppers.size(); ++i) {
      if (!moves(i)) continue;
      std::int32_t piece = m_.piece[i];
      if (piece < 0 || makes_room(static_cast<std::size_t>(piece))) piece = piece_drawn_after(i);
      if (piece < 0) continue;
      m_.bumped[i] = piece;
      m_.wish[i] = m_.own[i];
      changed = true;
    }
    return changed;
  }

  // Whether it is the last piece of a tail that moves on without growing.
  bool makes_room(std::size_t piece) const {
    const std::size_t k = plan_.tail_of[piece];
    const TailData& tail = plan_.tails[k];
    return tail.stepper != nowhere && moves(tail.stepper) &&
           piece + 1 == tail.first + t_.s.tails[k].out && !grows(plan_, t_.s, tail);
  }

  // The first piece that will lie on the wanted cell, since its leader is leaving it; or -1.
  std::int32_t piece_drawn_after(std::size_t i) const {
    for (std::size_t k = 0; k < plan_.tails.size(); ++k) {
      const TailData& tail = plan_.tails[k];
      if (tail.stepper == nowhere || tail.stepper == i || !moves(tail.stepper) ||
          m_.own[tail.stepper] != m_.wish[i] ||
          (t_.s.tails[k].out == 0 && !grows(plan_, t_.s, tail)) ||
          goes_through(plan_, t_.s, plan_.steppers[i].body, tail.first))
        continue;
      return static_cast<std::int32_t>(tail.first);
    }
    return -1;
  }

  // Of those that want one cell the one that draws the smallest number enters, if any may.
  bool wins(std::size_t i) const {
    if (plan_.spec.cells->meeting == Meeting::none) return false;
    for (std::size_t other = 0; other < plan_.steppers.size(); ++other)
      if (other != i && moves(other) && m_.wish[other] == m_.wish[i] &&
          std::pair(lot(other), other) < std::pair(lot(i), i))
        return false;
    return true;
  }
  std::uint32_t lot(std::size_t i) const {
    RandomStream random(t_.s.header->seed, t_.s.header->lane, t_.s.header->episode, Purpose::meet);
    random.jump(t_.s.header->tick, static_cast<std::uint32_t>(plan_.steppers[i].body));
    return random.bits();
  }

  // The stepper on the wanted cell, or else another that wants it.
  std::int32_t in_the_way(std::size_t i) const {
    if (const std::int32_t stands = m_.occupant[wished(i)] - 1; stands >= 0) return stands;
    for (std::size_t other = 0; other < plan_.steppers.size(); ++other)
      if (other != i && m_.wish[other] == m_.wish[i]) return static_cast<std::int32_t>(other);
    return -1;
  }

  bool cancel(std::size_t i, std::int32_t by) {
    if (!moves(i)) return false;
    m_.bumped[i] = static_cast<std::int32_t>(plan_.steppers[static_cast<std::size_t>(by)].body);
    m_.wish[i] = m_.own[i];
    return true;
  }

  void settle() {
    for (std::size_t i = 0; i < plan_.steppers.size(); ++i) {
      const std::size_t body = plan_.steppers[i].body;
      if (m_.bumped[i] != not_bumped) {
        const std::int32_t whom = m_.bumped[i] == bumped_border ? -1 : m_.bumped[i];
        t_.events.push_at(body, EventKind::touch, EntityId(body), EntityId::of(whom), 1.0f);
        if (whom >= 0) {
          affect(t_, body, static_cast<std::size_t>(whom), Dose::once);
          if (static_cast<std::size_t>(whom) < plan_.bodies)
            affect(t_, static_cast<std::size_t>(whom), body, Dose::once);
        }
      }
      if (!moves(i)) continue;
      const Vec to = middle_of(cells_, wished(i));
      t_.s.x[body] = to.x;
      t_.s.y[body] = to.y;
    }
  }

  const Tick& t_;
  const ArenaPlan& plan_;
  const CellPlan& cells_;
  ArenaScratch::Memory& m_;
};

}  // namespace

void move_steppers(const Tick& t) {
  if (!t.plan.steppers.empty()) Moves(t).run();
}

}  // namespace zithercraft::arena_internal
