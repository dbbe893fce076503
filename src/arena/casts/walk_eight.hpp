#pragma once

// Rays that step from cell to cell of a grid, or from block to block, eight side by side: the
// method of J. Amanatides and A. Woo, "A fast voxel traversal algorithm for ray tracing" (1987).
// Only the look at the cell itself is done one by one.

#include <array>
#include <bit>
#include <span>

#include "arena/eight.hpp"

namespace zithercraft::arena_internal {

/// Eight rays from one point: arrays of eight numbers each.
struct RaysOfEight {
  std::array<const float*, 3> d;  // unit directions; the third is not read on a plane
  float* best;                    // metres
  std::int32_t* who;
};

/// A grid of two or three axes, in cells.
template <std::size_t Axes>
struct WalkedGrid {
  std::array<float, Axes> origin;         // of the rays
  std::array<std::int32_t, Axes> count;   // cells along each axis
  std::array<std::int32_t, Axes> stride;  // from a cell's number to the next one's
  float size;                             // metres along a cell
};

template <std::size_t Axes>
class EightWalks {
 public:
  EightWalks(const WalkedGrid<Axes>& grid, const RaysOfEight& rays)
      : size_(grid.size), rays_(rays) {
    F8 enter = all(0.0f);
    leave_ = load(rays.best) * all(1.0f / grid.size);
    for (std::size_t a = 0; a < Axes; ++a)
      bound(axis_[a], grid.origin[a], rays.d[a], grid.count[a], enter);
    at_ = all(0);
    for (std::size_t a = 0; a < Axes; ++a)
      begin(axis_[a], rays.d[a], enter, grid.count[a], grid.stride[a]);
    t_ = enter;
    on_way_ = t_ < leave_;
    active_ = bytes_of(on_way_);
  }

  bool active() const { return active_ != 0; }

  /// `flag(number)` is not 0 where a ray may end; `stop(number)` is the entity at which it does, or
  /// -1.
  template <class Flag, class Stop>
  ZITHERCRAFT_INLINE void look(const Flag& flag, const Stop& stop) {
    std::uint32_t number[8];
    const I8 numbers = on_way_ ? at_ : all(0);
    std::memcpy(number, &numbers, sizeof number);
    std::uint64_t met = 0;
    for (std::size_t k = 0; k < 8; ++k)
      met |= static_cast<std::uint64_t>(flag(number[k])) << (8 * k);
    met &= active_;
    while (met != 0) {
      const auto k = static_cast<std::size_t>(std::countr_zero(met)) / 8;
      met &= ~(std::uint64_t{255} << (8 * k));
      const std::int32_t entity = stop(number[k]);
      if (entity < 0) continue;
      rays_.best[k] = t_[k] * size_;
      rays_.who[k] = entity;
      leave_[k] = -1.0f;  // it goes no farther
    }
  }

  ZITHERCRAFT_INLINE void step() {
    if constexpr (Axes == 2) {
      const I8 along = axis_[0].next < axis_[1].next;
      t_ = along ? axis_[0].next : axis_[1].next;
      go(axis_[0], along);
      go(axis_[1], ~along);
    } else {
      const I8 first = (axis_[0].next < axis_[1].next) & (axis_[0].next < axis_[2].next),
               second = (~first) & (axis_[1].next < axis_[2].next);
      t_ = first ? axis_[0].next : second ? axis_[1].next : axis_[2].next;
      go(axis_[0], first);
      go(axis_[1], second);
      go(axis_[2], ~(first | second));
    }
    on_way_ = t_ < leave_;
    active_ = bytes_of(on_way_);
  }

 private:
  // Planes between cells are kept as whole numbers, so that the last one a ray crosses is met at
  // the very length at which the ray leaves the grid: nothing beyond is ever looked at.
  struct Axis {
    F8 o, inverse, step, plane, next;
    I8 stride;
  };

  ZITHERCRAFT_INLINE void bound(Axis& a, float o, const float* d, std::int32_t count, F8& enter) {
    a.o = all(o);
    a.inverse = all(1.0f) / off_zero(load(d));
    const F8 low = (all(0.0f) - a.o) * a.inverse,
             high = (all(static_cast<float>(count)) - a.o) * a.inverse;
    enter = higher(enter, lower(low, high));
    leave_ = lower(leave_, higher(low, high));
  }

  // The cell in which the rays enter the grid, and the plane they cross next.
  ZITHERCRAFT_INLINE void begin(Axis& a, const float* d, F8 enter, std::int32_t count,
                                std::int32_t stride) {
    const F8 direction = load(d), zero = all(0.0f), one = all(1.0f);
    const F8 at = lower(higher(a.o + enter * direction, zero), all(static_cast<float>(count - 1)));
    const I8 ahead = direction >= zero, cell = __builtin_convertvector(at, I8);
    at_ = at_ + cell * all(stride);
    a.step = ahead ? one : -one;
    a.plane = __builtin_convertvector(cell, F8) + (ahead ? one : zero);
    a.next = (a.plane - a.o) * a.inverse;
    a.stride = ahead ? all(stride) : all(-stride);
  }

  ZITHERCRAFT_INLINE void go(Axis& a, I8 along) {
    a.plane = a.plane + (along ? a.step : all(0.0f));
    a.next = (a.plane - a.o) * a.inverse;
    at_ = at_ + (a.stride & along);
  }

  float size_;
  const RaysOfEight& rays_;
  std::array<Axis, Axes> axis_;
  F8 t_, leave_;
  I8 at_, on_way_;
  std::uint64_t active_ = 0;  // a byte for each ray, all its bits set or none
};

/// Replaces the hits of all rays that lie farther than the first cell at which they end. Two eights
/// go at a time: while one waits for its memory, the other computes.
template <std::size_t Axes, class Flag, class Stop>
void walk_eights(const WalkedGrid<Axes>& grid, std::span<const RaysOfEight> rays, const Flag& flag,
                 const Stop& stop) {
  for (std::size_t i = 0; i < rays.size(); i += 2) {
    EightWalks<Axes> a(grid, rays[i]);
    if (i + 1 < rays.size()) {
      EightWalks<Axes> b(grid, rays[i + 1]);
      while (a.active() && b.active()) {
        a.look(flag, stop);
        b.look(flag, stop);
        a.step();
        b.step();
      }
      while (b.active()) {
        b.look(flag, stop);
        b.step();
      }
    }
    while (a.active()) {
      a.look(flag, stop);
      a.step();
    }
  }
}

}  // namespace zithercraft::arena_internal
