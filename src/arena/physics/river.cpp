#include "arena/physics/river.hpp"

#include <algorithm>
#include <cmath>

#include "arena/physics/sink.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::arena_internal {
namespace {

constexpr double batch_depth = 2.0;  // metres, of a bank beyond the water's edge

struct Gap {
  double middle = 0.0, width = 0.0;
  std::array<double, 2> sunk{};  // how much lower the rocks stand than the tallest do
};

// Gaps follow from their numbers alone, so that nothing has to be remembered of those that are
// gone.
Gap gap_of(const River& river, const StateHeader& key, std::uint32_t which, std::int32_t number) {
  RandomStream random(key.seed, key.lane, key.episode, Purpose::river);
  random.jump(which, static_cast<std::uint32_t>(number));
  Gap gap;
  gap.width = random.between(river.gap[0], river.gap[1]);
  const double room = 0.5 * (river.width - gap.width);
  gap.middle = random.between(-room, room) * river.wander;
  for (double& sunk : gap.sunk) sunk = random.between(0.0, river.tall[1] - river.tall[0]);
  return gap;
}

void put(const ArenaPlan& plan, StateArrays& s, std::size_t body, double x, double y,
         double sunk = 0.0) {
  if (plan.heights.used) s.z[body] = plan.heights.floor_level - static_cast<float>(sunk);
  s.x[body] = static_cast<float>(x);
  s.y[body] = static_cast<float>(y);
  s.heading[body] = s.sin[body] = 0.0f;
  s.cos[body] = 1.0f;
}

double place_of(const River& river, std::int32_t number) {
  return river.first + river.spacing * static_cast<double>(number);
}

void set_up(const ArenaPlan& plan, StateArrays& s, std::size_t which, std::size_t slot,
            std::int32_t number) {
  const RiverData& data = plan.rivers[which];
  const River& river = data.spec;
  const Gap gap = gap_of(river, *s.header, static_cast<std::uint32_t>(which), number);
  const double x = place_of(river, number);
  const std::size_t rocks = data.first_body + 2 * slot,
                    banks = data.first_body + 2 * data.gates + 2 * slot;
  put(plan, s, rocks, x, gap.middle - 0.5 * gap.width - 0.5 * river.width, gap.sunk[0]);
  put(plan, s, rocks + 1, x, gap.middle + 0.5 * gap.width + 0.5 * river.width, gap.sunk[1]);
  put(plan, s, banks, x, -0.5 * river.width - 0.5 * batch_depth);
  put(plan, s, banks + 1, x, 0.5 * river.width + 0.5 * batch_depth);
}

// The weir closes the river behind the oldest bank.
void set_weir(const ArenaPlan& plan, StateArrays& s, const RiverData& data, std::int32_t oldest) {
  put(plan, s, data.first_body + 4 * data.gates,
      place_of(data.spec, oldest) - 0.5 * data.spec.spacing, 0.0);
}

std::size_t first_gate(const ArenaPlan& plan, std::size_t which) {
  std::size_t first = 0;
  for (std::size_t r = 0; r < which; ++r) first += plan.rivers[r].gates;
  return first;
}

// Gates ahead are numbered from 0; some are set up before them, so that the banks reach back to the
// start and beyond.
std::int32_t first_number(const River& river) {
  return -static_cast<std::int32_t>(std::ceil((river.first + river.behind) / river.spacing));
}

}  // namespace

std::vector<BodySpec> river_bodies(const River& river, bool high) {
  BodySpec rock{.name = river.name, .count = 2 * river.gates, .kills = river.kills};
  rock.shape = Box{.length = river.thickness, .width = river.width};
  BodySpec bank{.name = river.name + "_bank", .count = 2 * river.gates};
  if (high) {
    rock.height = river.tall[1];
    bank.height = river.tall[1];
  }
  bank.shape = Box{.length = river.spacing, .width = batch_depth};
  BodySpec weir{.name = river.name + "_weir", .tag = river.name + "_bank"};
  weir.shape = Box{.length = 0.5, .width = river.width};
  weir.height = bank.height;
  return {rock, bank, weir};
}

std::size_t river_body_count(const RiverData& river) { return 4 * river.gates + 1; }

void begin_rivers(const ArenaPlan& plan, StateArrays& s) {
  for (std::size_t r = 0; r < plan.rivers.size(); ++r) {
    const RiverData& river = plan.rivers[r];
    const std::int32_t first = first_number(river.spec);
    std::int32_t* gates = s.gate + first_gate(plan, r);
    for (std::size_t slot = 0; slot < river.gates; ++slot) {
      gates[slot] = first + static_cast<std::int32_t>(slot);
      set_up(plan, s, r, slot, gates[slot]);
      // No rocks before the first gate: they are put out of the way.
      if (gates[slot] < 0)
        for (std::size_t side = 0; side < 2; ++side)
          s.present[river.first_body + 2 * slot + side] = 0;
    }
    set_weir(plan, s, river, first);
  }
}

void flow_rivers(const ArenaPlan& plan, StateArrays& s, EventSink& events) {
  for (std::size_t r = 0; r < plan.rivers.size(); ++r) {
    const RiverData& river = plan.rivers[r];
    std::int32_t* gates = s.gate + first_gate(plan, r);
    const float x = s.x[river.follows], before = x - s.vx[river.follows] * plan.dt;
    const auto gates_end = gates + river.gates;
    for (std::size_t slot = 0; slot < river.gates; ++slot) {
      const double at = place_of(river.spec, gates[slot]);
      const auto line = static_cast<float>(at);
      if (gates[slot] >= 0 && before < line && x >= line)
        events.push_at(river.follows, EventKind::gate, EntityId(river.follows),
                       EntityId(river.first_body + 2 * slot), static_cast<float>(gates[slot] + 1));
      if (at + 0.5 * river.spec.spacing >= static_cast<double>(x) - river.spec.behind) continue;
      gates[slot] = *std::max_element(gates, gates_end) + 1;
      set_up(plan, s, r, slot, gates[slot]);
      for (std::size_t side = 0; side < 2; ++side)
        s.present[river.first_body + 2 * slot + side] = 1;
      set_weir(plan, s, river, *std::min_element(gates, gates_end));
    }
  }
}

}  // namespace zithercraft::arena_internal
