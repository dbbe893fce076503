#include "evaluate/watch.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <limits>
#include <variant>

#include "zithercraft/game/episode.hpp"

namespace zithercraft::evaluate_internal {
namespace {

constexpr double not_there = std::numeric_limits<double>::quiet_NaN();

double mean_or_nothing(double sum, double count) { return count > 0.0 ? sum / count : not_there; }

bool same_side(const Role& a, const Role& b) { return !a.side.empty() && a.side == b.side; }

// Events that a seat causes, as opposed to those that last or merely end.
bool is_deed(EventKind kind) {
  switch (kind) {
    case EventKind::touch:
    case EventKind::enter:
    case EventKind::collect:
    case EventKind::launch:
    case EventKind::hit:
    case EventKind::die:
    case EventKind::gate:
    case EventKind::dig:
    case EventKind::place:
    case EventKind::custom: return true;
    default: return false;
  }
}

// Those that a rule tells by the level of a meter.
std::map<std::string, std::pair<double, double>> events_by_strength(const Game& game) {
  std::map<std::string, std::pair<double, double>> found;
  for (const RuleSpec& rule : game.spec().rules)
    for (const Action& action : rule.then)
      if (const auto* emit = std::get_if<Emit>(&action); emit != nullptr && !emit->meter.empty())
        found.emplace(emit->event, std::pair(0.0, 0.0));
  return found;
}

}  // namespace

Watch::Watch(const Game& game, std::vector<Seat> seats, const Seat* focus,
             const BehaviourOptions& options)
    : game_(game),
      seats_(std::move(seats)),
      square_(options.square),
      ways_(options.ways),
      region_(options.region) {
  const auto roles = game_.roles();
  watched_.assign(game_.arena().bodies().size(), -1);
  has_seat_.assign(game_.arena().bodies().size(), 0);
  seat_of_.resize(game_.arena().bodies().size());
  for (std::size_t r = 0; r < roles.size(); ++r)
    for (std::size_t s = 0; s < roles[r].seats.size(); ++s) {
      has_seat_[roles[r].seats[s].index()] = 1;
      seat_of_[roles[r].seats[s].index()] = {r, s};
    }
  if (focus != nullptr) focus_ = body(*focus);
  std::vector<std::size_t> leaders;  // the role that those of a group mirror
  for (std::size_t i = 0; i < seats_.size(); ++i) {
    watched_[body(seats_[i]).index()] = static_cast<std::int32_t>(i);
    const std::size_t leader = roles[seats_[i].role].mirrors;
    const auto found = std::find(leaders.begin(), leaders.end(), leader);
    group_of_.push_back(static_cast<std::size_t>(found - leaders.begin()));
    if (found == leaders.end()) {
      leaders.push_back(leader);
      groups_.push_back({roles[leader].name + ": ", {}, {}, events_by_strength(game_)});
    }
    groups_[group_of_.back()].seats.push_back(i);
  }
  if (groups_.size() == 1) groups_.front().prefix.clear();
  seen_.resize(seats_.size());
}

void Watch::Distance::add(double metres) {
  least = looks == 0.0 ? metres : std::min(least, metres);
  sum += metres;
  looks += 1.0;
}

void Watch::begin() {
  for (Seen& seen : seen_) {
    seen = {};
    seen.earned.resize(ways_.size());
  }
  for (Group& group : groups_) {
    group.events.clear();
    for (auto& [name, strength] : group.strengths) strength = {};
  }
  touching_.resize(watched_.size());
  for (auto& seats : touching_) seats.clear();
  last_to_part_.assign(watched_.size(), {});
}

// What goes from cell to cell has no velocity of its own.
void Watch::note_speed(Seen& seen, EntityId own, const Pose& at, const Velocity& v) const {
  const GameSpec& game = game_.spec();
  const auto& mover = game.arena.bodies[game_.arena().entity(own).spec_index].mover;
  if (!mover || !std::holds_alternative<Stepper>(*mover)) {
    seen.speed +=
        std::hypot(static_cast<double>(v.x), static_cast<double>(v.y), static_cast<double>(v.z));
    seen.moves += 1.0;
    return;
  }
  if (seen.before) {
    const double seconds = game.arena.tick * static_cast<double>(game.ticks_per_step);
    seen.speed += std::hypot(static_cast<double>(at.x - seen.before->x),
                             static_cast<double>(at.y - seen.before->y)) /
                  seconds;
    seen.moves += 1.0;
  }
  seen.before = at;
}

void Watch::look_around(const Lanes& lanes, std::size_t lane, std::size_t i) {
  const Arena& arena = game_.arena();
  const std::byte* const state = lanes.arena_state(lane);
  const EntityId own = body(seats_[i]);
  Seen& seen = seen_[i];
  if (!arena.present(state, own)) {
    seen.before.reset();
    return;
  }
  const Pose at = arena.pose(state, own);
  note_speed(seen, own, at, arena.velocity(state, own));
  seen.looks += 1.0;
  const auto square = [&](double side) {
    const auto number = [&](float metres) {
      return static_cast<int>(std::floor(static_cast<double>(metres) / side));
    };
    return std::pair(number(at.x), number(at.y));
  };
  seen.places[square(square_)] += 1.0;
  if (region_) seen.regions[square(*region_)] += 1.0;
  const auto metres_to = [&](EntityId other) {
    const Pose there = arena.pose(state, other);
    return std::hypot(static_cast<double>(there.x - at.x), static_cast<double>(there.y - at.y),
                      static_cast<double>(there.z - at.z));
  };
  if (focus_) {
    if (arena.present(state, focus_)) seen.first.add(metres_to(focus_));
    return;
  }
  double mate = std::numeric_limits<double>::infinity(), rival = mate;
  const Role& role = game_.roles()[seats_[i].role];
  for (const EntityId other : arena.bodies()) {
    if (!is_seat(other) || other == own || !arena.present(state, other)) continue;
    double& nearest = same_side(role, role_of(other)) ? mate : rival;
    nearest = std::min(nearest, metres_to(other));
  }
  if (std::isfinite(mate)) seen.first.add(mate);
  if (std::isfinite(rival)) seen.second.add(rival);
}

std::string Watch::name_of_other(const Role& own, EntityId entity) const {
  if (!entity) return {};
  if (is_seat(entity) && entity != focus_) {
    const Role& other = role_of(entity);
    if (same_side(own, other)) return " mate";
    if (opposed(own, other)) return " rival";
  }
  return " " + game_.arena().tags()[game_.arena().entity(entity).tag];
}

// Who else collected the same thing at the same moment.
std::string Watch::together_with(std::span<const Event> events, const Event& event,
                                 const Role& own) const {
  std::string with;
  for (const Event& other : events) {
    if (other.kind != EventKind::collect || other.tick != event.tick || other.whom != event.whom ||
        other.who == event.who)
      continue;
    const std::string name = name_of_other(own, other.who);
    if (with.empty() || name == " rival") with = " with" + name;
  }
  return with;
}

std::string Watch::name_of_zone(const Role& own, EntityId zone) const {
  const std::string& side = game_.arena().entity(zone).side;
  if (side.empty() || own.side.empty()) return name_of_other(own, zone);
  return side == own.side ? " its own zone" : " a rival's zone";
}

void Watch::count_for(std::int32_t seat, const std::string& event, double share) {
  const auto i = static_cast<std::size_t>(seat);
  groups_[group_of_[i]].events[event] += share;
  for (std::size_t w = 0; w < ways_.size(); ++w)
    if (ways_[w].event == event) seen_[i].earned[w] += share * ways_[w].worth;
}

void Watch::note_touch(const Event& e) {
  if (!is_body(e.who) || !is_body(e.whom) || is_seat(e.who) == is_seat(e.whom)) return;
  const EntityId seat = is_seat(e.who) ? e.who : e.whom, thing = is_seat(e.who) ? e.whom : e.who;
  auto& touching = touching_[thing.index()];
  std::erase(touching, seat);
  if (e.kind == EventKind::touch) touching.push_back(seat);
  if (e.kind == EventKind::part) last_to_part_[thing.index()] = seat;
}

// What is shoved somewhere is brought there by those who touch it then, or else by who touched it
// last, watched or not.
void Watch::credit_arrival(const Event& e) {
  std::vector<EntityId> by = touching_[e.who.index()];
  if (const EntityId last = last_to_part_[e.who.index()]; by.empty() && last) by.push_back(last);
  for (const EntityId body : by) {
    if (watched(body) < 0) continue;
    const Role& own = role_of(body);
    count_for(watched(body),
              "brings" + name_of_other(own, e.who) + " into" + name_of_zone(own, e.whom),
              1.0 / static_cast<double>(by.size()));
  }
}

void Watch::count_events(const Lanes& lanes, std::size_t lane) {
  const auto events = lanes.events(lane);
  for (const Event& e : events) {
    if (e.kind == EventKind::touch || e.kind == EventKind::part) note_touch(e);
    if (!is_deed(e.kind)) continue;
    if (e.kind == EventKind::enter && is_body(e.who) && !is_seat(e.who)) credit_arrival(e);
    const std::string kind(name_of(game_, e));
    if (const std::int32_t who = watched(e.who); who >= 0) {
      const Role& own = game_.roles()[seats_[static_cast<std::size_t>(who)].role];
      if (e.kind == EventKind::die) seen_[static_cast<std::size_t>(who)].deaths += 1.0;
      const bool zone = e.whom && game_.arena().zones().holds(e.whom);
      count_for(who, kind + (zone ? name_of_zone(own, e.whom) : name_of_other(own, e.whom)) +
                         (e.kind == EventKind::collect ? together_with(events, e, own) : ""));
      auto& strengths = groups_[group_of_[static_cast<std::size_t>(who)]].strengths;
      if (const auto found = strengths.find(kind);
          e.kind == EventKind::custom && found != strengths.end()) {
        found->second.first += static_cast<double>(e.strength);
        found->second.second += 1.0;
      }
    }
    const std::int32_t whom = watched(e.whom);
    if (whom < 0 || (e.kind != EventKind::touch && e.kind != EventKind::hit)) continue;
    const Role& own = game_.roles()[seats_[static_cast<std::size_t>(whom)].role];
    if (e.kind == EventKind::hit) count_for(whom, "is hit by" + name_of_other(own, e.who));
    if (e.kind == EventKind::touch && watched(e.who) < 0)
      count_for(whom, kind + name_of_other(own, e.who));
  }
}

void Watch::look(const Lanes& lanes, std::size_t lane) {
  for (std::size_t i = 0; i < seats_.size(); ++i) look_around(lanes, lane, i);
  count_events(lanes, lane);
}

// In the mean over seats; terms of roles that mirror each other are the same ones by their names.
void Watch::put_rewards(const Lanes& lanes, std::size_t lane, const Group& group,
                        EpisodeBehaviour& behaviour) const {
  const auto roles = game_.roles();
  const auto seats = static_cast<double>(group.seats.size());
  double reward = 0.0;
  std::vector<std::pair<std::string, double>> terms;
  for (const std::size_t i : group.seats) {
    const Seat& seat = seats_[i];
    const std::size_t row = lane * lanes.seats(seat.role) + seat.number;
    reward += lanes.episode_return(seat.role, row) / seats;
    const auto ledger = lanes.ledger(seat.role, row);
    for (std::size_t t = 0; t < ledger.size(); ++t) {
      const std::string& name = roles[seat.role].terms[t];
      auto found = std::find_if(terms.begin(), terms.end(),
                                [&](const auto& one) { return one.first == name; });
      if (found == terms.end()) found = terms.emplace(terms.end(), name, 0.0);
      found->second += ledger[t] / seats;
    }
  }
  behaviour.measures.emplace_back(group.prefix + "return", reward);
  for (const auto& [name, sum] : terms)
    behaviour.measures.emplace_back(group.prefix + "reward for " + name, sum);
}

// How far from whom, how fast and how far around, in the mean over a group's seats.
void Watch::put_whereabouts(const Group& group, EpisodeBehaviour& behaviour) const {
  const auto roles = game_.roles();
  const auto put = [&](const std::string& name, double value) {
    behaviour.measures.emplace_back(name, value);
  };
  const auto mean = [&](auto value) {
    double sum = 0.0, count = 0.0;
    for (const std::size_t i : group.seats)
      if (const double own = value(seen_[i]); !std::isnan(own)) sum += own, count += 1.0;
    return mean_or_nothing(sum, count);
  };
  const auto distances = [&](const std::string& to, Distance Seen::*which) {
    put(group.prefix + "distance to " + to + ", m",
        mean([&](const Seen& s) { return mean_or_nothing((s.*which).sum, (s.*which).looks); }));
    put(group.prefix + "closest to " + to + ", m",
        mean([&](const Seen& s) { return (s.*which).looks > 0.0 ? (s.*which).least : not_there; }));
  };
  if (focus_) {
    distances(role_of(focus_).name, &Seen::first);
  } else {
    const Role& role = roles[seats_[group.seats.front()].role];
    const auto has = [&](bool mates) {
      return std::any_of(roles.begin(), roles.end(), [&](const Role& other) {
        const bool itself = &other == &role;
        if (same_side(role, other) != mates) return false;
        return !itself || role.seats.size() > 1;
      });
    };
    if (has(true)) distances("a mate", &Seen::first);
    if (has(false)) distances(role.side.empty() ? "another" : "a rival", &Seen::second);
  }
  put(group.prefix + "speed, m/s",
      mean([](const Seen& s) { return mean_or_nothing(s.speed, s.moves); }));
  put(group.prefix + "squares visited", mean([](const Seen& s) {
        return s.looks > 0.0 ? static_cast<double>(s.places.size()) : not_there;
      }));
  const EntityId any = body(seats_[group.seats.front()]);
  if (game_.spec().arena.bodies[game_.arena().entity(any).spec_index].returns)
    put(group.prefix + "life, steps",
        mean([](const Seen& s) { return s.looks / (1.0 + s.deaths); }));
}

// The shares of seats that live by each event, over all and by region; those who did none of them
// come last.
void Watch::put_ways(const Group& group, EpisodeBehaviour& behaviour) const {
  if (ways_.empty()) return;
  using Region = std::optional<std::pair<int, int>>;  // none: over all, and first in order
  std::map<Region, std::vector<double>> seats;
  for (const std::size_t i : group.seats) {
    const Seen& seen = seen_[i];
    const auto most = std::max_element(seen.earned.begin(), seen.earned.end());
    const std::size_t way =
        *most > 0.0 ? static_cast<std::size_t>(most - seen.earned.begin()) : ways_.size();
    const auto count = [&](const Region& region) {
      auto& counts = seats[region];
      counts.resize(ways_.size() + 1);
      counts[way] += 1.0;
    };
    count({});
    const auto home =
        std::max_element(seen.regions.begin(), seen.regions.end(),
                         [](const auto& a, const auto& b) { return a.second < b.second; });
    if (home != seen.regions.end()) count(home->first);
  }
  for (const auto& [region, counts] : seats) {
    double all = 0.0;
    for (const double n : counts) all += n;
    std::string there;
    if (region)
      there = fmt::format(", around ({:g}, {:g})", (region->first + 0.5) * *region_,
                          (region->second + 0.5) * *region_);
    for (std::size_t w = 0; w < counts.size(); ++w)
      behaviour.measures.emplace_back(group.prefix + "lives by " +
                                          (w < ways_.size() ? ways_[w].event : "none of these") +
                                          there,
                                      counts[w] / all);
  }
}

EpisodeBehaviour Watch::finish(const Lanes& lanes, std::size_t lane) const {
  EpisodeBehaviour behaviour;
  const auto put = [&](const std::string& name, double value) {
    behaviour.measures.emplace_back(name, value);
  };
  put("length, steps", lanes.steps(lane));
  const Seat& any = seats_.front();
  const auto result = episode_result(lanes, any.role, lane * lanes.seats(any.role) + any.number);
  put("success", result.outcome == Outcome::success ? 1.0 : 0.0);
  for (const Group& group : groups_) {
    if (!game_.spec().custom) put_whereabouts(group, behaviour);
    put_rewards(lanes, lane, group, behaviour);
    for (const auto& [name, strength] : group.strengths)
      put(group.prefix + "mean strength of " + name,
          mean_or_nothing(strength.first, strength.second));
    put_ways(group, behaviour);
    for (const auto& [name, number] : group.events)
      behaviour.events[group.prefix + name] = number / static_cast<double>(group.seats.size());
  }
  double looks = 0.0;
  for (const Seen& seen : seen_) looks += seen.looks;
  for (const Seen& seen : seen_)
    for (const auto& [square, count] : seen.places) behaviour.places[square] += count / looks;
  return behaviour;
}

}  // namespace zithercraft::evaluate_internal
