#include "arena/physics/causeway.hpp"

#include <algorithm>
#include <cmath>

#include "arena/physics/sink.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::arena_internal {
namespace {

class CausewayBuilder {
 public:
  CausewayBuilder(const ArenaPlan& plan, StateArrays& s, std::size_t which)
      : plan_(plan), s_(s), data_(plan.causeways[which]), which_(which), state_(s.causeway[which]) {
    for (std::size_t k = 0; k < which; ++k) first_stone_ += plan.causeways[k].stones;
  }

  void begin() {
    state_ = {};
    for (std::size_t stone = 0; stone < data_.stones; ++stone) set_up(stone);
  }

  void extend(EventSink& events) {
    const float x = s_.x[data_.follows], before = x - s_.vx[data_.follows] * plan_.dt;
    const float half = 0.5f * static_cast<float>(data_.spec.stone[0]);
    for (std::size_t stone = 0; stone < data_.stones; ++stone) {
      const std::size_t body = data_.first_body + stone;
      const float begins = s_.x[body] - half;
      if (platform(stone) > 1 && before < begins && x >= begins)
        events.push_at(data_.follows, EventKind::gate, EntityId(data_.follows), EntityId(body),
                       static_cast<float>(platform(stone) - 1));
      if (s_.x[body] + half < x - static_cast<float>(data_.spec.behind)) set_up(stone);
    }
  }

 private:
  std::uint32_t& platform(std::size_t stone) const { return s_.platform[first_stone_ + stone]; }

  // The next stone after the newest. What it is like follows from its number alone.
  void set_up(std::size_t stone) {
    const Causeway& spec = data_.spec;
    RandomStream random(s_.header->seed, s_.header->lane, s_.header->episode, Purpose::river);
    random.jump(0x80000000u + static_cast<std::uint32_t>(which_), state_.made);
    double x = -spec.behind, level = spec.levels[0];  // of the top
    platform(stone) = 0;
    if (state_.made > 0) {
      const std::size_t newest = data_.first_body + state_.newest;
      x = static_cast<double>(s_.x[newest]) + spec.stone[0];
      level = static_cast<double>(s_.z[newest]) + spec.thickness;
    }
    const bool whole = spec.ends && x - 0.5 * spec.stone[0] >= *spec.ends && state_.made > 0;
    if (state_.left == 0 && !whole) {
      platform(stone) = ++state_.platforms;
      const auto spread = static_cast<std::uint32_t>(spec.stones[1] - spec.stones[0] + 1);
      state_.left = static_cast<std::uint32_t>(spec.stones[0]) + random.below(spread);
      if (state_.made > 0) {
        double rise = random.between(spec.rise[0], spec.rise[1]);
        if (level + rise < spec.levels[0] || level + rise > spec.levels[1])
          rise = std::clamp(level - rise, spec.levels[0], spec.levels[1]) - level;
        rise = std::min(rise, spec.rise[1]);
        x += std::min(random.between(spec.gap[0], spec.gap[1]), longest_gap(data_, rise));
        level += rise;
      } else {
        // The first reaches past where the body begins.
        state_.left = static_cast<std::uint32_t>(std::ceil((spec.behind + 2.0) / spec.stone[0]));
      }
    }
    if (state_.left > 0) --state_.left;
    const std::size_t body = data_.first_body + stone;
    s_.x[body] = static_cast<float>(x);
    s_.y[body] = 0.0f;
    s_.z[body] = static_cast<float>(level - spec.thickness);
    s_.heading[body] = s_.sin[body] = 0.0f;
    s_.cos[body] = 1.0f;
    state_.newest = static_cast<std::uint32_t>(stone);
    ++state_.made;
  }

  const ArenaPlan& plan_;
  StateArrays& s_;
  const CausewayData& data_;
  std::size_t which_, first_stone_ = 0;
  CausewayState& state_;
};

}  // namespace

double highest_step(const CausewayData& causeway) {
  constexpr double spare = 0.9;
  const auto jump = static_cast<double>(causeway.jump), g = static_cast<double>(causeway.gravity);
  return g > 0.0 ? spare * jump * jump / (2.0 * g) : 1e9;
}

double longest_gap(const CausewayData& causeway, double rise) {
  const auto jump = static_cast<double>(causeway.jump), g = static_cast<double>(causeway.gravity);
  if (!(g > 0.0)) return 1e9;
  // Until it comes down to the level of the step, as fast as it can run.
  const double air = (jump + std::sqrt(std::max(0.0, jump * jump - 2.0 * g * rise))) / g;
  // What drag takes on the way, it does not win back in the air.
  const auto drag = static_cast<double>(causeway.drag);
  const double way = drag > 0.0 ? (1.0 - exact::exp(-drag * air)) / drag : air;
  return causeway.spec.ease * static_cast<double>(causeway.speed) * way;
}

void begin_causeways(const ArenaPlan& plan, StateArrays& s) {
  for (std::size_t k = 0; k < plan.causeways.size(); ++k) CausewayBuilder(plan, s, k).begin();
}

void extend_causeways(const ArenaPlan& plan, StateArrays& s, EventSink& events) {
  for (std::size_t k = 0; k < plan.causeways.size(); ++k)
    CausewayBuilder(plan, s, k).extend(events);
}

}  // namespace zithercraft::arena_internal
