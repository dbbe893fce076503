#include <algorithm>

#include "arena/casts/cast_cells.hpp"
#include "arena/physics/physics.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::arena_internal {
namespace {

constexpr float arrived = 0.5f;  // metres from a point of the route at which the next is gone for

class Guide {
 public:
  Guide(const Tick& tick, std::size_t number)
      : t_(tick), w_(tick.plan.wanderers[number]), state_(tick.s.wander[number]), i_(w_.body) {}

  void guide() {
    const Vec direction = wanted();
    float* inputs = t_.s.inputs + t_.plan.body[i_].first_input;
    if (w_.flies) {
      float plane[3];
      walk(direction, plane);
      inputs[0] = plane[0];
      inputs[1] = plane[1];
      inputs[3] = plane[2];
    } else if (w_.steps) {
      step(direction, inputs);
    } else {
      walk(direction, inputs);
    }
  }

 private:
  Vec here() const { return {t_.s.x[i_], t_.s.y[i_]}; }

  // The nearest present body of a list that is in sight, or `nowhere`.
  std::size_t noticed(const std::vector<std::size_t>& list, TagSet tags) const {
    std::size_t best = nowhere;
    float square = w_.sight * w_.sight;
    for (const std::size_t b : list) {
      const Vec d = Vec{t_.s.x[b], t_.s.y[b]} - here();
      if (t_.s.present[b] == 0 || dot(d, d) > square) continue;
      if (t_.plan.tags_change && !tags.holds(tag_now(t_.plan, t_.s, b))) continue;
      square = dot(d, d);
      best = b;
    }
    return best;
  }

  static Vec unit(Vec d) {
    const float size = length(d);
    return size > 1e-6f ? (1.0f / size) * d : Vec{};
  }

  Vec wanted() {
    if (const std::size_t hunter = noticed(w_.hunters, w_.flees); hunter != nowhere)
      return unit(here() - Vec{t_.s.x[hunter], t_.s.y[hunter]});
    if (is_hostile(w_, state_))
      if (const std::size_t prey = noticed(w_.prey, w_.chases); prey != nowhere)
        return unit(Vec{t_.s.x[prey], t_.s.y[prey]} - here());
    if (!w_.route.empty()) return along_route();
    return roam();
  }

  Vec along_route() {
    const std::uint32_t switched = state_.leg & WanderState::switched;
    const std::size_t leg = (state_.leg & ~WanderState::switched) % w_.route.size();
    Vec d = w_.route[leg] - here();
    const float near = w_.steps ? 0.5f * t_.plan.cells.size + 1e-3f : arrived;
    if (dot(d, d) <= near * near) {
      const std::size_t next = (leg + 1) % w_.route.size();
      state_.leg = static_cast<std::uint32_t>(next) | switched;
      d = w_.route[next] - here();
    }
    return unit(d);
  }

  Vec roam() {
    RandomStream random(t_.s.header->seed, t_.s.header->lane, t_.s.header->episode,
                        Purpose::wander);
    random.jump(t_.s.header->tick, static_cast<std::uint32_t>(i_));
    const bool lost = state_.east == 0.0f && state_.north == 0.0f;
    if (lost || random.uniform() < w_.change_chance || blocked({state_.east, state_.north})) {
      const auto [sin, cos] =
          w_.steps ? exact::sin_cos(0.5 * exact::pi * static_cast<double>(random.below(4)))
                   : exact::sin_cos(2.0 * exact::pi * static_cast<double>(random.uniform()));
      state_.east = cos;
      state_.north = sin;
    }
    return {state_.east, state_.north};
  }

  bool blocked(Vec direction) const {
    if (w_.steps)
      return !open(direction.x > 0.5f    ? 1
                   : direction.x < -0.5f ? -1
                                         : 0,
                   direction.y > 0.5f    ? 1
                   : direction.y < -0.5f ? -1
                                         : 0);
    const std::uint8_t* touched = t_.s.touching + t_.plan.free_index[i_] * t_.plan.entities.size();
    return std::any_of(touched, touched + t_.plan.entities.size(),
                       [](std::uint8_t flag) { return flag != 0; });
  }

  bool open(std::int32_t east, std::int32_t north) const {
    const CellPlan& cells = t_.plan.cells;
    const CellBox at = cells_within(cells, here(), here());
    const std::int32_t column = at.column0 + east, row = at.row0 + north;
    return column >= 0 && row >= 0 && column < cells.columns && row < cells.rows &&
           !solid_at(cells, t_.s.cells, cell_number(cells, column, row));
  }

  void walk(Vec d, float* inputs) const {
    const float c = t_.s.cos[i_], s = t_.s.sin[i_];
    inputs[0] = c * d.x + s * d.y;
    inputs[1] = c * d.y - s * d.x;
    inputs[2] =
        std::clamp(3.0f * inputs[1] + (inputs[0] < 0.0f ? (inputs[1] < 0.0f ? -1.0f : 1.0f) : 0.0f),
                   -1.0f, 1.0f);
  }

  // Straight on along the longer axis, or along the other where that is walled off.
  void step(Vec d, float* inputs) const {
    const std::int32_t east = d.x > 1e-3f    ? 1
                              : d.x < -1e-3f ? -1
                                             : 0,
                       north = d.y > 1e-3f    ? 1
                               : d.y < -1e-3f ? -1
                                              : 0;
    const bool along = std::fabs(d.x) >= std::fabs(d.y);
    bool take_east = along && east != 0;
    if (take_east && !open(east, 0) && north != 0 && open(0, north)) take_east = false;
    if (!take_east && north != 0 && !open(0, north) && east != 0 && open(east, 0)) take_east = true;
    std::fill_n(inputs, 5, 0.0f);
    inputs[take_east ? 3 : 4] = static_cast<float>(take_east ? east : north);
  }

  const Tick& t_;
  const WandererData& w_;
  WanderState& state_;
  std::size_t i_;
};

}  // namespace

void guide_wanderers(const Tick& t) {
  for (std::size_t w = 0; w < t.plan.wanderers.size(); ++w)
    if (t.s.present[t.plan.wanderers[w].body] != 0) Guide(t, w).guide();
}

}  // namespace zithercraft::arena_internal
