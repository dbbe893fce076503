#include "game/cutoffs.hpp"

#include <algorithm>
#include <bit>
#include <cmath>

namespace zithercraft::game_internal {
namespace {

bool strayed(const TooFarPlan& rule, const Arena& arena, const std::byte* state,
             std::span<const std::uint64_t> memory) {
  for (std::size_t i = 0; i < rule.of.size(); ++i) {
    const EntityId body = rule.of[i];
    if (!arena.present(state, body) || !bears({arena, state}, body, rule.bears)) continue;
    const Pose at = arena.pose(state, body);
    if (rule.from) {
      const NearestHit hit = arena.nearest(state, at.x, at.y, TagSet::of(*rule.from), body,
                                           at.z + 0.5f * arena.height_of(body, state));
      if (hit.entity && hit.distance > rule.beyond) return true;
      continue;
    }
    const double x = static_cast<double>(at.x) - std::bit_cast<double>(memory[rule.memory + 2 * i]);
    const double y =
        static_cast<double>(at.y) - std::bit_cast<double>(memory[rule.memory + 2 * i + 1]);
    if (std::sqrt(x * x + y * y) > static_cast<double>(rule.beyond)) return true;
  }
  return false;
}

bool stalled(const StallPlan& rule, const ArenaView& view, std::uint32_t steps,
             std::span<const Event> events, std::span<std::uint64_t> memory) {
  const auto meant = [&](EntityId entity) {
    return std::find(rule.of.begin(), rule.of.end(), entity) != rule.of.end() &&
           bears(view, entity, rule.bears);
  };
  std::uint64_t& last = memory[rule.memory];
  for (const Event& event : events) {
    if (event.kind != rule.since || (!meant(event.who) && !meant(event.whom))) continue;
    const EntityId other = meant(event.who) ? event.whom : event.who;
    const bool tagged = other && rule.tags.holds(view.tag_of(other));
    if (rule.any_thing || tagged) last = steps;
  }
  return steps - last >= rule.steps;
}

bool repeated(const CutoffsPlan& cutoffs, const Arena& arena, const std::byte* state,
              std::uint32_t steps, std::span<std::uint64_t> memory) {
  const auto seen = memory.subspan(cutoffs.repeats_memory, cutoffs.within);
  const std::uint64_t now = arena.hash_without_clock(state);
  seen[steps % cutoffs.within] = now;
  return static_cast<std::size_t>(std::count(seen.begin(), seen.end(), now)) >= cutoffs.repeats;
}

}  // namespace

void begin_cutoffs(const GamePlan& plan, const std::byte* state, std::span<std::uint64_t> memory) {
  for (const TooFarPlan& rule : plan.cutoffs.too_far) {
    if (rule.from) continue;
    for (std::size_t i = 0; i < rule.of.size(); ++i) {
      const Pose at = plan.arena.pose(state, rule.of[i]);
      memory[rule.memory + 2 * i] = std::bit_cast<std::uint64_t>(static_cast<double>(at.x));
      memory[rule.memory + 2 * i + 1] = std::bit_cast<std::uint64_t>(static_cast<double>(at.y));
    }
  }
  if (plan.cutoffs.repeats > 0) repeated(plan.cutoffs, plan.arena, state, 0, memory);
}

EndedBy cut_off(const GamePlan& plan, const std::byte* state, std::uint32_t steps,
                std::span<const Event> events, std::span<std::uint64_t> memory) {
  const CutoffsPlan& cutoffs = plan.cutoffs;
  EndedBy by = EndedBy::nothing;
  // All are asked, since all must remember.
  if (cutoffs.repeats > 0 && repeated(cutoffs, plan.arena, state, steps, memory))
    by = EndedBy::repeats;
  for (const StallPlan& rule : cutoffs.stalls)
    if (stalled(rule, {plan.arena, state}, steps, events, memory)) by = EndedBy::stall;
  for (const TooFarPlan& rule : cutoffs.too_far)
    if (strayed(rule, plan.arena, state, memory)) by = EndedBy::too_far;
  return steps >= static_cast<std::uint32_t>(plan.spec.cutoffs.steps) ? EndedBy::time : by;
}

}  // namespace zithercraft::game_internal
