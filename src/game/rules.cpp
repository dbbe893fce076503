#include "game/rules.hpp"

#include <algorithm>
#include <bit>
#include <cmath>

#include "game/lane_block.hpp"
#include "game/triggers.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::game_internal {
namespace {

// What a rule remembers of a body for which its condition holds, beside the tick it began in.
constexpr std::uint64_t holds_not = 0, was_carried_out = ~std::uint64_t{0};

std::uint64_t bit_of(EntityId thing) { return std::uint64_t{1} << (thing.index() % 64); }

// Where it is noted that a thing waits to be brought back.
std::uint64_t& waits(const RuleLane& lane, bool anywhere, EntityId thing) {
  const std::size_t first = anywhere ? *lane.game.waiting_anywhere : *lane.game.waiting;
  return rule_memory(lane.game, lane.block)[first + thing.index() / 64];
}

void wait_no_more(const RuleLane& lane, EntityId thing) {
  if (!lane.game.waiting) return;
  for (const bool anywhere : {false, true}) waits(lane, anywhere, thing) &= ~bit_of(thing);
}

bool brought(const RuleLane& lane, bool anywhere, EntityId thing) {
  const Arena& arena = lane.game.arena;
  return anywhere ? arena.place_again(lane.block, thing, lane.scratch, lane.events)
                  : arena.bring_back(lane.block, thing, lane.events);
}

/// One rule at work.
class Carrier {
 public:
  Carrier(const RulePlan& rule, const RuleLane& lane)
      : rule_(rule),
        lane_(lane),
        view_(lane.game.arena, lane.block),
        memory_(rule_memory(lane.game, lane.block)) {}

  void run() {
    const std::uint32_t now = arena().ticks(lane_.block);
    if (rule_.on) {
      wait_for_events();
    } else if (rule_.when) {
      wait_for_bodies(now);
    } else if (!rule_.every) {
      if (now == *rule_.after) carry_out({});
    } else if (const std::uint32_t first = rule_.after.value_or(*rule_.every);
               now >= first && (now - first) % *rule_.every == 0) {
      carry_out({});
    }
  }

 private:
  const Arena& arena() const { return lane_.game.arena; }
  std::uint64_t& times() { return memory_[rule_.memory]; }

  // Events that the rule itself tells or causes are not its own cause in the same tick.
  void wait_for_events() {
    const std::size_t end = lane_.events.size();
    for (std::size_t i = lane_.first_event; i < end; ++i) {
      const Event event = lane_.events[i];
      const auto found = fit(*rule_.on, rule_.on->of, view_, event);
      if (found && counts(*rule_.on, found->other, memory_.subspan(rule_.memory + 1)))
        carry_out(rule_.on->as == Part::either ? About{found->own, found->other}
                                               : About{event.who, event.whom});
    }
  }

  void wait_for_bodies(std::uint32_t now) {
    const auto since = memory_.subspan(rule_.memory + 1);
    for (std::size_t i = 0; i < rule_.when->of.size(); ++i) {
      const EntityId body = rule_.when->of[i];
      if (!holds(*rule_.when, view_, body)) {
        since[i] = holds_not;
        continue;
      }
      if (since[i] == holds_not) since[i] = now + 1;
      if (since[i] == was_carried_out || now + 1 - since[i] < rule_.lasting) continue;
      since[i] = was_carried_out;
      carry_out({body, body});
    }
  }

  // Whom the rule is about.
  struct About {
    EntityId who{}, whom{};
  };

  void carry_out(const About& about) {
    if (rule_.most > 0 && times() >= rule_.most) return;
    if (rule_.only_while &&
        std::none_of(rule_.only_while->of.begin(), rule_.only_while->of.end(),
                     [&](EntityId body) { return holds(*rule_.only_while, view_, body); }))
      return;
    ++times();
    about_ = about;
    for (const ActionPlan& action : rule_.then)
      std::visit([&](const auto& what) { act(what); }, action);
  }

  template <class Function>
  void each(const SubjectPlan& subject, Function function) const {
    if (!subject.of.empty()) {
      for (const EntityId thing : subject.of)
        if (bears(view_, thing, subject.bears)) function(thing);
    } else if (const EntityId one = subject.as == Part::whom ? about_.whom : about_.who;
               one && (arena().posed().holds(one) || arena().opens(one))) {
      function(one);
    }
  }

  void act(const ChangeMeterPlan& change) const {
    each(change.subject, [&](EntityId body) {
      if (body.index() >= change.meters.size() || !change.meters[body.index()]) return;
      const std::size_t meter = *change.meters[body.index()];
      if (!view_.present(body)) return;
      float by = change.to ? *change.to - view_.meter(meter) : change.by;
      if (!change.by_meters.empty())
        by *= change.by_meters[body.index()] ? view_.meter(*change.by_meters[body.index()]) : 0.0f;
      arena().add_to_meter(lane_.block, meter, by, lane_.scratch, lane_.events);
    });
  }

  void act(const RemovePlan& remove) const {
    each(remove.subject, [&](EntityId thing) {
      arena().take_out(lane_.block, thing);
      wait_no_more(lane_, thing);
    });
  }
  // What was asked last counts.
  void act(const BringBackPlan& back) const {
    each(back.subject, [&](EntityId thing) {
      if (arena().in_tail(thing)) return;
      wait_no_more(lane_, thing);
      if (!brought(lane_, back.anywhere, thing))
        waits(lane_, back.anywhere, thing) |= bit_of(thing);
    });
  }

  void act(const ThrowPlan& plan) const {
    each(plan.subject, [&](EntityId body) {
      if (!arena().bodies().holds(body) || !view_.present(body) || !arena().entity(body).free)
        return;
      const Pose pose = view_.pose(body);
      double heading = static_cast<double>(plan.along.value_or(pose.heading));
      if (plan.towards) {
        const NearestHit hit =
            view_.nearest(pose.x, pose.y, TagSet::of(*plan.towards), body, pose.z);
        if (hit.entity)
          heading = exact::atan2(static_cast<double>(hit.y - pose.y),
                                 static_cast<double>(hit.x - pose.x));
      }
      if (plan.spread > 0.0f) {
        const EpisodeKey key = books(lane_.game, lane_.block).key;
        RandomStream random(derived_seed(key.seed, "throw"), key.lane, key.episode, Purpose::user);
        random.jump(arena().ticks(lane_.block), static_cast<std::uint32_t>(body.index()));
        heading +=
            static_cast<double>(plan.spread) * (2.0 * static_cast<double>(random.uniform()) - 1.0);
      }
      const auto [sin, cos] = exact::sin_cos(heading);
      arena().set_velocity(lane_.block, body,
                           {plan.speed * cos, plan.speed * sin, 0.0f, plan.rise});
    });
  }

  void act(const SetHostilePlan& plan) const {
    each(plan.subject,
         [&](EntityId body) { arena().set_hostile(lane_.block, body, plan.hostile); });
  }

  void act(const GiveTagPlan& plan) const {
    each(plan.subject, [&](EntityId body) {
      if (!arena().bodies().holds(body)) return;
      const std::size_t tag = plan.tag.value_or(arena().entity(body).tag);
      if (arena().tags_change() && arena().tags_ever(body).holds(tag))
        arena().give_tag(lane_.block, body, tag);
    });
  }
  void act(const TurnCellsPlan& turn) const {
    arena().turn_cells(lane_.block, turn.from, turn.into);
  }
  void act(const EnterPhasePlan& plan) const { arena().enter_phase(lane_.block, plan.phase); }
  void act(const EmitPlan& emit) const {
    const std::size_t body = (emit.as == Part::whom ? about_.whom : about_.who).index();
    const float strength = body < emit.meters.size() && emit.meters[body]
                               ? view_.meter(*emit.meters[body])
                               : emit.strength;
    tell(lane_, emit.event, about_.who, about_.whom, strength);
  }
  void act(const EndPlan& end) const { finish_as(lane_, end.verdict); }

  const RulePlan& rule_;
  const RuleLane& lane_;
  ArenaView view_;
  std::span<std::uint64_t> memory_;
  About about_{};
};

}  // namespace

void bring_waiting(const RuleLane& lane) {
  if (!lane.game.waiting) return;
  const std::size_t words = *lane.game.waiting_anywhere - *lane.game.waiting;
  for (const bool anywhere : {false, true})
    for (std::size_t w = 0; w < words; ++w) {
      std::uint64_t& word = waits(lane, anywhere, EntityId(64 * w));
      for (std::uint64_t left = word; left != 0; left &= left - 1) {
        const EntityId thing(64 * w + static_cast<std::size_t>(std::countr_zero(left)));
        if (brought(lane, anywhere, thing)) word &= ~bit_of(thing);
      }
    }
}

void carry_out(const RulePlan& rule, const RuleLane& lane) { Carrier(rule, lane).run(); }

void tell(const RuleLane& lane, std::int32_t event, EntityId who, EntityId whom, float strength) {
  const Arena& arena = lane.game.arena;
  const EntityId place = who && arena.posed().holds(who)     ? who
                         : whom && arena.posed().holds(whom) ? whom
                                                             : EntityId();
  lane.events.push_back(
      arena.event_at(lane.block, place, EventKind::custom, who, whom, strength, event));
}

void finish_as(const RuleLane& lane, Verdict verdict) {
  const auto numbers = rule_numbers(lane.game, lane.block);
  double& come_to = numbers[rule_verdict];
  if (verdict == Verdict::none)
    numbers[rule_cuts_off] = 1.0;
  else if (come_to != static_cast<double>(Verdict::failure))
    come_to = static_cast<double>(verdict);
}

}  // namespace zithercraft::game_internal
