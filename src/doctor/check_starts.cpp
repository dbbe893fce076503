#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <deque>
#include <set>

#include "doctor/checks.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft::doctor_internal {
namespace {

constexpr std::uint32_t starts = 40;
constexpr std::size_t most_squares = 40'000;

// Whether a rule may take a thing out of the way: coded ones may open whatever can be.
bool opens(const RuleSpec& rule, const Game& game, EntityId e) {
  const Entity& entity = game.arena().entity(e);
  const std::string& tag = game.arena().tags()[entity.tag];
  const bool cell = entity.kind == EntityKind::cell;
  return rule.coded() || std::any_of(rule.then.begin(), rule.then.end(), [&](const Action& action) {
           if (const auto* remove = std::get_if<Remove>(&action))
             return !cell && (remove->of.empty() || remove->of == tag);
           if (const auto* place = std::get_if<PlaceAgain>(&action))
             return !cell && (place->of.empty() || place->of == tag);
           const auto* turn = std::get_if<TurnCells>(&action);
           return turn != nullptr && cell && turn->from == entity.name;
         });
}

// What the only seat of a game must get to so that a rule is carried out, by tags; empty if nothing
// of that kind is known.
std::vector<std::string> keys_of(const RuleSpec& rule, const Game& game) {
  if (game.roles().size() > 1 || game.roles()[0].seats.size() > 1) return {};
  if (rule.when && rule.when->of.empty() && !rule.when->inside.empty()) return {rule.when->inside};
  const bool reaches = rule.on && rule.on->of.empty() && rule.on->as != Part::whom &&
                       (rule.on->event == EventKind::collect ||
                        rule.on->event == EventKind::enter || rule.on->event == EventKind::touch);
  return reaches ? rule.on->with : std::vector<std::string>{};
}

std::vector<EntityId> things_of(const Game& game, const std::vector<std::string>& tags) {
  std::vector<EntityId> things;
  for (const EntityId e : game.arena().posed())
    if (std::find(tags.begin(), tags.end(), game.arena().tags()[game.arena().entity(e).tag]) !=
        tags.end())
      things.push_back(e);
  return things;
}

// A coarse map of where a body can get to in a flat arena: squares whose middle a small disc can
// stand on without touching anything that stays where it is, or that kills.
class CoarseMap {
 public:
  CoarseMap(const Game& game, const std::byte* state, EntityId body)
      : game_(game), state_(state), body_(body), bounds_(bounds_of(game, state)) {
    const Arena& arena = game.arena();
    if (arena.cell_size() > 0.0f) {  // its cells are the squares
      const Place middle = arena.middle();
      square_ = static_cast<double>(arena.cell_size());
      columns_ = arena.cell_columns();
      rows_ = arena.cell_rows();
      left_ = middle.x - 0.5 * square_ * static_cast<double>(columns_);
      bottom_ = middle.y - 0.5 * square_ * static_cast<double>(rows_);
      disc_ = Disc{.radius = 0.3 * square_};
    } else {
      const double wide = static_cast<double>(bounds_.high_x - bounds_.low_x),
                   high = static_cast<double>(bounds_.high_y - bounds_.low_y);
      // Discs of neighbouring squares overlap, so that no wall slips between them.
      square_ = 1.6 * std::max(0.1, inner_radius());
      too_fine_ = wide * high > square_ * square_ * static_cast<double>(most_squares);
      columns_ = too_fine_ ? 1 : static_cast<std::size_t>(wide / square_) + 1;
      rows_ = too_fine_ ? 1 : static_cast<std::size_t>(high / square_) + 1;
      left_ = static_cast<double>(bounds_.low_x);
      bottom_ = static_cast<double>(bounds_.low_y);
      disc_ = Disc{.radius = 0.51 * square_};
    }
    const TagSet own = TagSet::of(arena.entity(body).tag);
    TagSet mortal;  // tags that something kills
    for (const EntityId e : arena.ids()) mortal |= arena.kills(e);
    for (const EntityId e : arena.ids()) {
      const Entity& entity = arena.entity(e);
      const bool may_open = arena.opens(e) ||
                            (entity.kind == EntityKind::cell &&
                             game.spec().arena.cells->kinds[entity.spec_index].solid) ||
                            (entity.kind == EntityKind::body && fixed(entity) &&
                             !mortal.meets(TagSet::of(entity.tag)) && !has_vital(entity));
      const bool kills =
          arena.kills(e).meets(own) && entity.kind != EntityKind::shot && !moves(entity);
      blocks_.push_back(entity.kind == EntityKind::wall || may_open || kills);
      gates_.push_back(may_open && !kills);
    }
    const auto& rules = game.spec().rules;
    for (std::size_t i = 0; i < rules.size(); ++i)
      if (keys_of(rules[i], game).empty())
        open(rules[i]);
      else
        shut_.push_back(i);
  }

  /// Whether the body is too small for the arena to be looked through.
  bool too_fine() const { return too_fine_; }

  /// Whether any of the targets can be reached from where the body is, also through what rules
  /// open whose keys can be reached.
  bool finds(const std::vector<EntityId>& targets) {
    while (!reaches(targets))
      if (std::erase_if(shut_, [&](std::size_t rule) {
            const RuleSpec& one = game_.spec().rules[rule];
            return reaches(things_of(game_, keys_of(one, game_))) && open(one);
          }) == 0)
        return false;
    return true;
  }
  /// Rules that would open something, and whose keys cannot be reached.
  std::string out_of_reach() const {
    std::string names;
    for (const std::size_t rule : shut_) {
      const RuleSpec& one = game_.spec().rules[rule];
      bool gate = false;
      for (const EntityId e : game_.arena().ids())
        gate = gate || (gates_[e.index()] && opens(one, game_, e));
      if (gate) names += (names.empty() ? "'" : ", '") + one.name + "'";
    }
    return names;
  }

 private:
  // From now on a rule has been carried out.
  bool open(const RuleSpec& rule) {
    for (const EntityId e : game_.arena().ids())
      if (gates_[e.index()] && opens(rule, game_, e)) blocks_[e.index()] = false;
    return true;
  }

  bool reaches(const std::vector<EntityId>& targets) {
    std::vector<std::uint8_t> seen(columns_ * rows_);
    std::deque<std::size_t> open;
    const Pose from = game_.arena().pose(state_, body_);
    const auto enter = [&](std::int64_t column, std::int64_t row, bool always) {
      if (column < 0 || row < 0 || column >= static_cast<std::int64_t>(columns_) ||
          row >= static_cast<std::int64_t>(rows_))
        return;
      const auto square =
          static_cast<std::size_t>(row) * columns_ + static_cast<std::size_t>(column);
      if (seen[square] != 0 || (!always && !free(square))) return;
      seen[square] = 1;
      open.push_back(square);
    };
    const auto column0 = static_cast<std::int64_t>((static_cast<double>(from.x) - left_) / square_),
               row0 = static_cast<std::int64_t>((static_cast<double>(from.y) - bottom_) / square_);
    enter(column0, row0, true);
    while (!open.empty()) {
      const std::size_t square = open.front();
      open.pop_front();
      if (is_target(square, targets)) return true;
      const auto column = static_cast<std::int64_t>(square % columns_),
                 row = static_cast<std::int64_t>(square / columns_);
      for (const auto& [dx, dy] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}})
        enter(column + dx, row + dy, false);
    }
    return false;
  }

  Place middle_of(std::size_t square) const {
    const std::size_t column = square % columns_, row = square / columns_;
    return {left_ + (static_cast<double>(column) + 0.5) * square_,
            bottom_ + (static_cast<double>(row) + 0.5) * square_, 0.0};
  }
  double inner_radius() const {
    const auto& shape = game_.spec().arena.bodies[game_.arena().entity(body_).spec_index].shape;
    if (const auto* disc = std::get_if<Disc>(&shape)) return disc->radius;
    if (const auto* capsule = std::get_if<Capsule>(&shape)) return capsule->radius;
    if (const auto* box = std::get_if<Box>(&shape)) return 0.5 * std::min(box->width, box->length);
    return 0.25;
  }
  bool fixed(const Entity& entity) const {
    return game_.spec().arena.bodies[entity.spec_index].motion == Motion::fixed;
  }
  // Whether it has a meter that it cannot live without.
  bool has_vital(const Entity& entity) const {
    const auto& meters = game_.spec().arena.bodies[entity.spec_index].meters;
    return std::any_of(meters.begin(), meters.end(), [](const Meter& m) { return m.vital; });
  }
  bool moves(const Entity& entity) const {
    return entity.kind == EntityKind::body && !fixed(entity);
  }

  bool free(std::size_t square) {
    found_.clear();
    game_.arena().overlaps(state_, disc_, middle_of(square), 0.0, TagSet::all(), found_);
    return std::none_of(found_.begin(), found_.end(),
                        [&](EntityId e) { return blocks_[e.index()]; });
  }
  // A body of the middle's size that is as near as that has arrived.
  bool is_target(std::size_t square, const std::vector<EntityId>& targets) {
    const Place at = middle_of(square);
    found_.clear();
    game_.arena().overlaps(state_, Disc{.radius = 0.75 * square_}, at, 0.0, TagSet::all(), found_);
    return std::any_of(found_.begin(), found_.end(), [&](EntityId e) {
      return std::find(targets.begin(), targets.end(), e) != targets.end();
    });
  }

  const Game& game_;
  const std::byte* state_;
  EntityId body_;
  Bounds bounds_;
  double square_ = 1.0, left_ = 0.0, bottom_ = 0.0;
  bool too_fine_ = false;
  Shape disc_;
  std::size_t columns_ = 0, rows_ = 0;
  std::vector<bool> blocks_, gates_;  // per entity: stands in the way; a rule could open it
  std::vector<std::size_t> shut_;     // rules whose keys were not reached yet
  std::vector<EntityId> found_;
};

// The tag that a role's own body must reach for success, or is rewarded for approaching; empty if
// there is none.
std::string target_of(const RoleSpec& role) {
  for (const Term& term : role.rewards) {
    if (term.ends != Verdict::success) continue;
    if (term.when && term.when->of.empty() && !term.when->inside.empty()) return term.when->inside;
    if (term.when && term.when->of.empty() && !term.when->near.empty()) return term.when->near;
    if (term.on && term.on->of.empty() && term.on->with.size() == 1 &&
        (term.on->event == EventKind::enter || term.on->event == EventKind::touch ||
         term.on->event == EventKind::collect))
      return term.on->with.front();
  }
  for (const Term& term : role.rewards)
    if (term.progress && term.progress->of.empty() && term.weight > 0.0) return term.progress->to;
  return {};
}

// Whether somebody has arrived from a start from which the map sees no way: then something opens a
// way that the map does not know of.
bool is_disproved(const Examined& e, std::size_t r, const std::vector<EntityId>& targets,
                  Lanes& lanes) {
  constexpr std::size_t most = 20;  // starts to look at
  std::size_t looked = 0;
  for (const Survey& survey : e.surveys)
    for (const EpisodeSurvey& episode : survey.roles[r].episodes) {
      if (episode.result.outcome != Outcome::success || looked++ == most) continue;
      lanes.begin(0, episode.key);
      if (!CoarseMap(e.game, lanes.arena_state(0), e.game.roles()[r].seats.front()).finds(targets))
        return true;
    }
  return false;
}

void check_reach(const Examined& e, std::size_t r, Findings& findings) {
  const Arena& arena = e.game.arena();
  const std::string target = target_of(e.game.spec().roles[r]);
  if (target.empty() || arena.has_height() || !e.game.spec().arena.rivers.empty()) return;
  const auto targets = things_of(e.game, {target});
  Lanes lanes(e.game, 1);
  std::vector<std::uint32_t> stuck;
  std::string keyless;
  for (std::uint32_t k = 0; k < starts; ++k) {
    lanes.begin(0, {e.options.seed, 11, k});
    CoarseMap map(e.game, lanes.arena_state(0), e.game.roles()[r].seats.front());
    if (map.too_fine()) return;
    if (map.finds(targets)) continue;
    stuck.push_back(k);
    keyless = map.out_of_reach();
  }
  if (stuck.empty() || is_disproved(e, r, targets, lanes)) return;
  findings.push_back(
      {stuck.size() * 4 > starts ? Severity::error : Severity::warning, "unreachable success",
       role_name(e.game, r) + ", tag '" + target + "'",
       "cannot be reached from where the agent begins",
       fmt::format(
           "at {} of {} starts no way leads there (flood fill over a coarse map; the first is "
           "seed {}, lane 11, episode {})",
           stuck.size(), starts, e.options.seed, stuck.front()) +
           (keyless.empty() ? "" : "; what " + keyless + " waits for cannot be reached either"),
       "open a way, place both on one side, or connect them (`cells.connect`)"});
}

void check_overlaps(const Examined& e, std::size_t r, Findings& findings) {
  const Arena& arena = e.game.arena();
  if (arena.has_height()) return;
  Lanes lanes(e.game, 1);
  std::size_t bad = 0;
  std::string with;
  for (std::uint32_t k = 0; k < starts; ++k) {
    lanes.begin(0, {e.options.seed, 11, k});
    bool touches = false;
    for (const EntityId body : e.game.roles()[r].seats) {
      const TagSet own = TagSet::of(arena.entity(body).tag);
      const Pose at = lanes.view(0).pose(body);
      std::vector<EntityId> found;
      lanes.view(0).overlaps(e.game.spec().arena.bodies[arena.entity(body).spec_index].shape,
                             {static_cast<double>(at.x), static_cast<double>(at.y), 0.0},
                             static_cast<double>(at.heading), TagSet::all(), found);
      for (const EntityId other : found) {
        const Entity& entity = arena.entity(other);
        const bool solid = entity.kind == EntityKind::body || entity.kind == EntityKind::wall ||
                           (entity.kind == EntityKind::cell &&
                            e.game.spec().arena.cells->kinds[entity.spec_index].solid);
        if (other == body || (!solid && !arena.kills(other).meets(own))) continue;
        touches = true;
        with = entity.name;
      }
    }
    bad += touches ? 1 : 0;
  }
  if (bad == 0) return;
  findings.push_back(
      {bad * 4 > starts ? Severity::error : Severity::warning, "starts overlap",
       role_name(e.game, r), fmt::format("begins in '{}'", with),
       fmt::format("at {} of {} starts it overlaps something solid or deadly", bad, starts),
       "place it by a `region` with `clearance`, after what it must not overlap"});
}

// The levels that a walker can get up to one after the other, by steps and jumps, as far as they
// are those of fixed bodies and the floor.
class Ladder {
 public:
  Ladder(const Game& game, const Walker& walker) : game_(game) {
    const double gravity = game.spec().arena.heights->gravity;
    jump_ = gravity > 0.0 ? walker.jump * walker.jump / (2.0 * gravity) : 1e9;
    highest_step_ = std::max(walker.step_height, jump_);
  }
  double highest_step() const { return highest_step_; }

  // The highest level that it gets up to, and the next one that is too high; infinite if there is
  // none.
  std::pair<double, double> climb(const ArenaView& view, double from) const {
    std::vector<double> levels;
    for (const EntityId body : game_.arena().bodies())
      if (view.present(body) && !game_.arena().entity(body).free)
        levels.push_back(
            static_cast<double>(view.pose(body).z + game_.arena().height_of(body, view.state())));
    std::sort(levels.begin(), levels.end());
    for (const double level : levels) {
      if (level <= from) continue;
      if (level - from > highest_step_) return {from, level};
      from = level;
    }
    return {from, std::numeric_limits<double>::infinity()};
  }

 private:
  const Game& game_;
  double jump_ = 0.0, highest_step_ = 0.0;
};

// In arenas with height whose levels are those of bodies alone.
void check_steps(const Examined& e, std::size_t r, Findings& findings) {
  const ArenaSpec& spec = e.game.spec().arena;
  const Arena& arena = e.game.arena();
  const std::string target = target_of(e.game.spec().roles[r]);
  if (target.empty() || !arena.has_height() || spec.ground || spec.blocks || spec.cells ||
      !spec.meshes.empty())
    return;
  const EntityId seat = e.game.roles()[r].seats.front();
  const BodySpec& body = spec.bodies[arena.entity(seat).spec_index];
  const auto* walker = body.mover ? std::get_if<Walker>(&*body.mover) : nullptr;
  if (walker == nullptr) return;
  const Ladder ladder(e.game, *walker);
  Lanes lanes(e.game, 1);
  std::size_t stuck = 0;
  double step = 0.0;
  for (std::uint32_t k = 0; k < starts; ++k) {
    lanes.begin(0, {e.options.seed, 11, k});
    const ArenaView view = lanes.view(0);
    const auto own = static_cast<double>(view.pose(seat).z);
    const auto [reached, next] = ladder.climb(view, own);
    const double within =
        reached + ladder.highest_step() + static_cast<double>(arena.height_of(seat, view.state()));
    const auto things = things_of(e.game, {target});
    const bool out_of_reach = std::all_of(things.begin(), things.end(), [&](EntityId thing) {
      const auto foot = static_cast<double>(view.pose(thing).z);
      return view.present(thing) && std::isfinite(arena.height_of(thing, view.state())) &&
             foot > within;
    });
    if (!out_of_reach || !std::isfinite(next)) continue;
    ++stuck;
    step = next - reached;
  }
  if (stuck == 0) return;
  findings.push_back({stuck * 4 > starts ? Severity::error : Severity::warning, "a step too high",
                      role_name(e.game, r) + ", tag '" + target + "'",
                      fmt::format("a step of {:.2f} m is too high: it masters {:.2f} m", step,
                                  ladder.highest_step()),
                      fmt::format("at {} of {} starts nothing lower leads up to it", stuck, starts),
                      "lower the step, put something between, or raise `jump` or `step_height`"});
}

}  // namespace

void check_starts(const Examined& e, Findings& findings) {
  for (std::size_t r = 0; r < e.game.roles().size(); ++r) {
    check_overlaps(e, r, findings);
    check_reach(e, r, findings);
    check_steps(e, r, findings);
  }
}

}  // namespace zithercraft::doctor_internal
