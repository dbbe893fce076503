#include <algorithm>

#include "arena/generate/placement.hpp"
#include "arena/physics/physics.hpp"
#include "zithercraft/base/exact.hpp"

// Tails follow their leaders' paths exactly: on cells a piece goes where the one before it was, and
// elsewhere pieces lie along the points that the leader went through.

namespace zithercraft::arena_internal {
namespace {

class TailMover {
 public:
  TailMover(const ArenaPlan& plan, StateArrays& s, const TailData& tail)
      : plan_(plan), s_(s), tail_(tail), state_(s.tails[&tail - plan.tails.data()]) {}

  void follow() {
    if (s_.present[tail_.leader] == 0) return;
    const Knot here{s_.x[tail_.leader], s_.y[tail_.leader],
                    plan_.heights.used ? s_.z[tail_.leader] : 0.0f};
    tail_.stepper != nowhere ? step(here) : draw_along(here);
  }

 private:
  // The knot that the leader left `ago` knots before the newest.
  Knot& knot(std::uint32_t ago) const {
    const auto ring = static_cast<std::uint32_t>(tail_.knots);
    return s_.path[tail_.first_knot + (state_.newest + ring - ago) % ring];
  }

  void add(const Knot& here) {
    state_.newest = (state_.newest + 1) % static_cast<std::uint32_t>(tail_.knots);
    state_.knots = std::min(state_.knots + 1, static_cast<std::uint32_t>(tail_.knots));
    knot(0) = here;
  }

  void step(const Knot& here) {
    const Knot left = knot(0);
    if (left.x == here.x && left.y == here.y) return;
    add(here);
    if (grows(plan_, s_, tail_)) s_.present[tail_.first + state_.out++] = 1;
    if (state_.out == 0) return;
    for (std::size_t i = tail_.first + state_.out - 1; i > tail_.first; --i) {
      s_.x[i] = s_.x[i - 1];
      s_.y[i] = s_.y[i - 1];
      s_.heading[i] = s_.heading[i - 1];
      s_.cos[i] = s_.cos[i - 1];
      s_.sin[i] = s_.sin[i - 1];
    }
    face(tail_.first, left, {here.x - left.x, here.y - left.y});
  }

  void draw_along(const Knot& here) {
    if (distance(here, knot(0)) >= tail_.knot_every) add(here);
    const std::size_t wanted = wanted_pieces(s_, tail_);
    std::size_t out = 0;
    float gone = 0.0f;  // metres along the path, from the leader back to `from`
    Knot from = here;
    for (std::uint32_t ago = 0; ago < state_.knots && out < wanted; ++ago) {
      const Knot to = knot(ago);
      const float size = distance(from, to);
      for (; out < wanted; ++out) {
        const float due = tail_.spacing * static_cast<float>(out + 1);
        if (gone + size < due) break;
        lay(tail_.first + out, from, to, (due - gone) / size, out < state_.out);
      }
      gone += size;
      from = to;
    }
    for (std::size_t k = out; k < state_.out; ++k) take_out(plan_, s_, tail_.first + k);
    state_.out = static_cast<std::uint32_t>(out);
  }

  void lay(std::size_t piece, const Knot& from, const Knot& to, float share, bool was_out) {
    const Knot at{from.x + share * (to.x - from.x), from.y + share * (to.y - from.y),
                  from.z + share * (to.z - from.z)};
    const float per_second = was_out ? 1.0f / plan_.dt : 0.0f;
    s_.vx[piece] = per_second * (at.x - s_.x[piece]);
    s_.vy[piece] = per_second * (at.y - s_.y[piece]);
    if (plan_.heights.used) {
      s_.vz[piece] = per_second * (at.z - s_.z[piece]);
      s_.z[piece] = at.z;
    }
    s_.present[piece] = 1;
    face(piece, at, {from.x - to.x, from.y - to.y});
  }

  void face(std::size_t piece, const Knot& at, Vec ahead) {
    set_pose(s_, piece, at.x, at.y,
             exact::atan2(static_cast<double>(ahead.y), static_cast<double>(ahead.x)));
  }

  static float distance(const Knot& a, const Knot& b) {
    return length(Vec3{a.x - b.x, a.y - b.y, a.z - b.z});
  }

  const ArenaPlan& plan_;
  StateArrays& s_;
  const TailData& tail_;
  TailState& state_;
};

}  // namespace

std::size_t wanted_pieces(const StateArrays& s, const TailData& tail) {
  if (s.present[tail.leader] == 0) return 0;
  const float most = static_cast<float>(tail.pieces);
  return static_cast<std::size_t>(std::clamp(s.meters[tail.meter], 0.0f, most));
}

bool grows(const ArenaPlan& plan, const StateArrays& s, const TailData& tail) {
  return s.tails[&tail - plan.tails.data()].out < wanted_pieces(s, tail);
}

void shorten_tail(const ArenaPlan& plan, StateArrays& s, const TailData& tail) {
  TailState& state = s.tails[&tail - plan.tails.data()];
  const auto wanted = static_cast<std::uint32_t>(wanted_pieces(s, tail));
  while (state.out > wanted) take_out(plan, s, tail.first + --state.out);
}

void cut_tail(const ArenaPlan& plan, StateArrays& s, std::size_t piece) {
  const TailData& tail = plan.tails[plan.tail_of[piece]];
  const MeterData& meter = plan.meters[tail.meter];
  s.meters[tail.meter] = std::clamp(static_cast<float>(piece - tail.first), meter.low, meter.high);
  shorten_tail(plan, s, tail);
}

void roll_up_tails(const ArenaPlan& plan, StateArrays& s, std::size_t leader) {
  for (const TailData& tail : plan.tails) {
    if (tail.leader != leader) continue;
    TailState& state = s.tails[&tail - plan.tails.data()];
    while (state.out > 0) take_out(plan, s, tail.first + --state.out);
    state = {.out = 0, .knots = 1, .newest = 0};
    s.path[tail.first_knot] = {s.x[leader], s.y[leader], plan.heights.used ? s.z[leader] : 0.0f};
  }
}

void lay_tails(const Tick& t) {
  for (const TailData& tail : t.plan.tails) TailMover(t.plan, t.s, tail).follow();
}

}  // namespace zithercraft::arena_internal
