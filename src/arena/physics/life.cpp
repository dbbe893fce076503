#include <algorithm>

#include "arena/generate/placement.hpp"
#include "arena/physics/physics.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::arena_internal {

void change_meter(const Tick& t, std::size_t number, float by) {
  const MeterData& meter = t.plan.meters[number];
  float& value = t.s.meters[number];
  const float before = value;
  value = std::clamp(value + by, meter.low, meter.high);
  if (value < before)
    for (const TailData& tail : t.plan.tails)
      if (tail.meter == number) shorten_tail(t.plan, t.s, tail);
  const bool emptied = value == meter.low && before > meter.low,
             filled = value == meter.high && before < meter.high;
  if (!emptied && !filled) return;
  std::size_t first = number;  // the meters of a body follow each other
  while (first > 0 && t.plan.meters[first - 1].body == meter.body) --first;
  t.events.push_at(meter.body, emptied ? EventKind::empty : EventKind::full, EntityId(meter.body),
                   {}, value, static_cast<std::int32_t>(number - first));
  if (emptied && meter.vital) kill(t, meter.body, {});
}

void affect(const Tick& t, std::size_t body, std::size_t source, Dose dose) {
  const Touchy& touchy = t.plan.touchy[source];
  const std::size_t active = t.plan.active_index[body];
  if (!touchy.any() || active == nowhere || t.s.present[body] == 0) return;
  for (const EffectData& effect : touchy.effects) {
    const std::int32_t meter = t.plan.meter_of[active][effect.meter_name];
    if (meter < 0) continue;
    float change = dose == Dose::once ? effect.amount : effect.per_tick;
    if (effect.by) {
      const std::int32_t by = t.plan.meter_of[active][*effect.by];
      change *= by >= 0 ? t.s.meters[by] : 0.0f;
    }
    t.memory.meter_change[static_cast<std::size_t>(meter)] += change;
  }
  if (dose == Dose::once && touchy.kills.holds(tag_now(t.plan, t.s, body)))
    kill(t, body, EntityId(source));
}

void kill(const Tick& t, std::size_t body, EntityId killer) {
  StateArrays& s = t.s;
  if (s.present[body] == 0) return;
  t.events.push_at(body, EventKind::die, EntityId(body), killer);
  take_out(t.plan, s, body);
  if (t.plan.returns[body].after > 0) s.back_at[body] = s.header->tick + t.plan.returns[body].after;
}

void take_out(const ArenaPlan& plan, StateArrays& s, std::size_t posed) {
  s.present[posed] = 0;
  if (posed < plan.bodies + plan.shots) s.vx[posed] = s.vy[posed] = s.turn[posed] = 0.0f;
  if (plan.heights.used && posed < plan.bodies + plan.shots) s.vz[posed] = 0.0f;
  if (posed >= plan.bodies) return;
  roll_up_tails(plan, s, posed);
  if (plan.heights.used) s.stands_on[posed] = 0;
  if (const std::size_t active = plan.active_index[posed]; active != nowhere)
    std::fill_n(s.inside + active * plan.zones, plan.zones, std::uint8_t{0});
}

void set_off(const ArenaPlan& plan, StateArrays& s, std::size_t body) {
  if (body >= plan.bodies || plan.body[body].start_speed == 0.0f) return;
  s.vx[body] = plan.body[body].start_speed * s.cos[body];
  s.vy[body] = plan.body[body].start_speed * s.sin[body];
}

void report_back(const ArenaPlan& plan, StateArrays& s, std::size_t posed, EventSink& events) {
  s.present[posed] = 1;
  s.back_at[posed] = 0;
  set_off(plan, s, posed);
  roll_up_tails(plan, s, posed);
  for (std::size_t m = 0; m < plan.meters.size(); ++m)
    if (plan.meters[m].body == posed) s.meters[m] = plan.meters[m].start;
  events.push_at(posed, EventKind::back, EntityId(posed), {});
}

void run_meters(const Tick& t) {
  for (std::size_t m = 0; m < t.plan.meters.size(); ++m)
    if (t.s.present[t.plan.meters[m].body] != 0)
      change_meter(t, m, t.memory.meter_change[m] + t.plan.meters[m].change);
}

void bring_back(const Tick& t) {
  StateArrays& s = t.s;
  for (const std::size_t e : t.plan.returning) {
    if (s.present[e] != 0 || s.back_at[e] == 0 || s.header->tick < s.back_at[e]) continue;
    if (t.plan.returns[e].elsewhere) {
      RandomStream random(s.header->seed, s.header->lane, s.header->episode, Purpose::come_back);
      random.jump(s.header->tick, static_cast<std::uint32_t>(e));
      if (!place_again(t.plan, s, e, random, t.memory)) continue;  // tried again in the next tick
    } else {
      const Home& home = s.home[t.plan.home[e]];
      if (!home_is_free(t.plan, s, e)) continue;
      set_pose(s, e, home.x, home.y, static_cast<double>(home.heading));
      if (t.plan.heights.used) s.z[e] = s.home_z[t.plan.home[e]];
    }
    report_back(t.plan, s, e, t.events);
  }
}

}  // namespace zithercraft::arena_internal
