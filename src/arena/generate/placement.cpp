#include "arena/generate/placement.hpp"

#include <algorithm>
#include <functional>
#include <map>
#include <string>
#include <utility>

#include "arena/blocks.hpp"
#include "arena/casts/cast_cells.hpp"
#include "arena/physics/causeway.hpp"
#include "arena/physics/physics.hpp"
#include "arena/physics/river.hpp"
#include "arena/physics/standing.hpp"
#include "arena/scratch.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::arena_internal {
namespace {

constexpr int tries_per_thing = 100;
constexpr int tries_per_layout = 30;

class Placer {
 public:
  Placer(const ArenaPlan& plan, StateArrays& s, ArenaScratch::Memory& memory, RandomStream& random)
      : plan_(plan), s_(s), memory_(memory), random_(random) {}

  bool place(std::size_t entity) {
    const Placement& rule = plan_.placement_of(entity);
    const bool steps = on_cells(entity);
    const bool by_body = !steps && is_on_bodies(rule);
    const bool by_cell = steps || (!rule.on.empty() && !by_body);
    if (by_body) {
      list_bodies(rule);
      if (memory_.candidates.empty()) return false;
    }
    if (by_cell) {
      if (&rule != listed_) list_cells(rule);  // things of one spec follow each other
      if (memory_.candidates.empty()) return false;
    }
    const RailData* rail = rail_of(entity);
    for (int attempt = 0; attempt < tries_per_thing; ++attempt) {
      Pose pose = rail != nullptr ? somewhere_on(*rail)
                  : by_body       ? pose_on_body(rule, entity)
                  : by_cell       ? pose_on_cell(rule, steps)
                                  : pose_in_region(rule);
      if (plan_.heights.used && !by_body && !set_level(entity, rule, pose)) {
        blame("no ground to stand on");
        continue;
      }
      if (!is_free(entity, rule, pose)) continue;
      if (plan_.heights.used) s_.z[entity] = pose.z;
      set_pose(s_, entity, pose.x, pose.y, static_cast<double>(pose.heading));
      s_.cos[entity] = pose.cos;
      s_.sin[entity] = pose.sin;
      note(entity);
      return true;
    }
    return false;
  }

  /// What was in the way of a thing that finds no place, the most frequent first.
  std::string obstacles(std::size_t entity) {
    std::map<std::string, int> blamed;
    blamed_ = &blamed;
    place(entity);
    blamed_ = nullptr;
    std::vector<std::pair<int, std::string>> list;
    list.reserve(blamed.size());
    for (const auto& [name, times] : blamed) list.emplace_back(times, name);
    std::sort(list.begin(), list.end(), std::greater<>());
    std::string text;
    for (const auto& [times, name] : list) text += (text.empty() ? "" : ", ") + name;
    return text;
  }

  /// From now on nothing is placed over it.
  void note(std::size_t entity) {
    memory_.placed.push_back(core_of(plan_.shapes[entity], s_.pose(entity)));
    memory_.placed_entity.push_back(entity);
  }

 private:
  bool on_cells(std::size_t entity) const {
    return std::any_of(plan_.steppers.begin(), plan_.steppers.end(),
                       [&](const StepperData& stepper) { return stepper.body == entity; });
  }

  const RailData* rail_of(std::size_t entity) const {
    for (const RailData& rail : plan_.rails)
      if (rail.body == entity) return &rail;
    return nullptr;
  }

  Pose somewhere_on(const RailData& rail) {
    return pose_on_rail(rail,
                        static_cast<float>(random_.between(static_cast<double>(rail.start[0]),
                                                           static_cast<double>(rail.start[1]))));
  }

  static void turn(Pose& pose, double heading) {
    const auto [sin, cos] = exact::sin_cos(heading);
    pose.heading = static_cast<float>(heading);
    pose.cos = cos;
    pose.sin = sin;
  }

  Pose pose_in_region(const Placement& rule) {
    Pose pose;
    pose.x = static_cast<float>(random_.between(rule.region[0], rule.region[2]));
    pose.y = static_cast<float>(random_.between(rule.region[1], rule.region[3]));
    turn(pose,
         exact::wrap_angle(exact::radians(random_.between(rule.heading[0], rule.heading[1]))));
    return pose;
  }

  // On the ground unless a level is given; false where there is none. Zones without end need none.
  bool set_level(std::size_t entity, const Placement& rule, Pose& pose) {
    if (rule.level) {
      pose.z = static_cast<float>(random_.between((*rule.level)[0], (*rule.level)[1]));
      return true;
    }
    if (plan_.tall[entity] == boundless) return true;
    pose.z = highest_ground(pose, plan_.bounds[entity]);
    return pose.z > -boundless && pose.z + plan_.tall[entity] <= plan_.heights.ceiling;
  }

  // The highest level within a circle that something can be set down on; `-boundless` if there is
  // none.
  float highest_ground(const Pose& pose, float bound) const {
    float level = footing_at(plan_, {pose.x, pose.y}, boundless).level;
    const Vec here{pose.x, pose.y}, reach{bound, bound};
    if (plan_.has_cells()) {
      const CellBox box = cells_within(plan_.cells, here - reach, here + reach);
      for (std::int32_t row = box.row0; row <= box.row1; ++row)
        for (std::int32_t column = box.column0; column <= box.column1; ++column)
          if (const float top =
                  top_of(plan_.cells, s_.cells, cell_number(plan_.cells, column, row));
              top < boundless)
            level = std::max(level, top);
    }
    if (plan_.has_blocks()) {
      const BlocksPlan& blocks = plan_.blocks;
      const BlockBox box = blocks_within(blocks, {here.x - bound, here.y - bound, -boundless},
                                         {here.x + bound, here.y + bound, boundless});
      for (std::int32_t row = box.row0; row <= box.row1; ++row)
        for (std::int32_t column = box.column0; column <= box.column1; ++column) {
          std::int32_t layer = blocks.layers - 1;
          while (layer >= 0 && !is_solid(blocks, s_, column, row, layer)) --layer;
          if (layer >= 0) level = std::max(level, level_of(blocks, layer + 1));
        }
    }
    return level;
  }

  static bool is_open(const Placement& rule) {
    return rule.region[2] > rule.region[0] || rule.region[3] > rule.region[1];
  }

  // Cells of the wanted kinds (any that is not solid if none are named) whose middle lies in the
  // region.
  void list_cells(const Placement& rule) {
    const CellPlan& cells = plan_.cells;
    std::array<std::uint8_t, 256> wanted{};
    for (std::size_t k = 0; k < plan_.spec.cells->kinds.size(); ++k)
      wanted[k + 1] = std::find(rule.on.begin(), rule.on.end(), plan_.spec.cells->kinds[k].name) !=
                              rule.on.end()
                          ? 1
                          : 0;
    // A region of one point names the cell that holds it, unless kinds are named: then it is no
    // limit.
    const bool limited = is_open(rule) || rule.on.empty();
    const float slack = is_open(rule) ? 0.0f : 0.5f * cells.size;
    listed_ = &rule;
    memory_.candidates.clear();
    for (std::int32_t row = 0; row < cells.rows; ++row)
      for (std::int32_t column = 0; column < cells.columns; ++column) {
        const std::size_t cell = cell_number(cells, column, row);
        if (solid_at(cells, s_.cells, cell)) continue;
        bool bears = rule.on.empty();
        for (std::size_t layer = 0; layer < cells.layers; ++layer)
          bears = bears || wanted[s_.cells[layer * cells.cells() + cell]] != 0;
        if (!bears) continue;
        const Vec middle = middle_of(cells, cell);
        if (limited && (middle.x < static_cast<float>(rule.region[0]) - slack ||
                        middle.x > static_cast<float>(rule.region[2]) + slack ||
                        middle.y < static_cast<float>(rule.region[1]) - slack ||
                        middle.y > static_cast<float>(rule.region[3]) + slack))
          continue;
        memory_.candidates.push_back(static_cast<std::uint32_t>(cell));
      }
  }

  Pose pose_on_cell(const Placement& rule, bool steps) {
    const auto& list = memory_.candidates;
    const Vec middle =
        middle_of(plan_.cells, list[random_.below(static_cast<std::uint32_t>(list.size()))]);
    Pose pose{.x = middle.x, .y = middle.y};
    double degrees = random_.between(rule.heading[0], rule.heading[1]);
    if (steps) degrees = 90.0 * std::floor(degrees / 90.0 + 0.5);
    turn(pose, exact::wrap_angle(exact::radians(degrees)));
    return pose;
  }

  bool is_on_bodies(const Placement& rule) const {
    return !rule.on.empty() && plan_.heights.used &&
           std::none_of(plan_.entities.begin(), plan_.entities.end(), [&](const Entity& e) {
             return e.kind == EntityKind::cell && e.name == rule.on.front();
           });
  }

  // Bodies of the wanted names that are in place, and whose middle lies in the region.
  void list_bodies(const Placement& rule) {
    listed_ = nullptr;
    memory_.candidates.clear();
    for (const std::size_t other : memory_.placed_entity) {
      if (other >= plan_.bodies ||
          std::find(rule.on.begin(), rule.on.end(), plan_.entities[other].name) == rule.on.end())
        continue;
      const auto x = static_cast<double>(s_.x[other]), y = static_cast<double>(s_.y[other]);
      if (is_open(rule) &&
          (x < rule.region[0] || x > rule.region[2] || y < rule.region[1] || y > rule.region[3]))
        continue;
      memory_.candidates.push_back(static_cast<std::uint32_t>(other));
    }
  }

  // Anywhere on the top of a body, with its middle as far from the rim as it is wide where there is
  // room for that.
  Pose pose_on_body(const Placement& rule, std::size_t entity) {
    const auto& list = memory_.candidates;
    const std::size_t below = list[random_.below(static_cast<std::uint32_t>(list.size()))];
    const ShapeData& shape = plan_.shapes[below];
    const float own = plan_.bounds[entity];
    const float long_way = std::max(0.0f, shape.half_length + shape.radius - own),
                wide_way = std::max(0.0f, shape.half_width + shape.radius - own);
    const auto off = [&](float most) {
      return static_cast<float>(
          random_.between(-static_cast<double>(most), static_cast<double>(most)));
    };
    const float along = off(long_way), across = off(wide_way);
    Pose pose;
    pose.x = s_.x[below] + s_.cos[below] * along - s_.sin[below] * across;
    pose.y = s_.y[below] + s_.sin[below] * along + s_.cos[below] * across;
    pose.z = s_.z[below] + plan_.tall[below];
    turn(pose,
         exact::wrap_angle(exact::radians(random_.between(rule.heading[0], rule.heading[1]))));
    return pose;
  }

  bool is_free(std::size_t entity, const Placement& rule, const Pose& pose) const {
    // Lies over anything.
    if (ignores(entity) && rule.clearance == 0.0 && rule.away.empty()) return true;
    const Core core = core_of(plan_.shapes[entity], pose);
    const auto clearance = static_cast<float>(rule.clearance);
    for (std::size_t i = 0; i < memory_.placed.size(); ++i) {
      const std::size_t other = memory_.placed_entity[i];
      const float least = std::max({clearance, kept(entity, other), kept(other, entity)});
      const Vec d{s_.x[other] - pose.x, s_.y[other] - pose.y};
      const float far = plan_.bounds[entity] + plan_.bounds[other] + least;
      if (dot(d, d) > far * far) continue;
      if (ignores(other) && least <= clearance) continue;
      if (plan_.heights.used && !overlap(band_at(entity, pose), band_of(plan_, s_, other)))
        continue;
      if (gap_between(core, memory_.placed[i]).distance <= least)
        return blame(plan_.entities[other].name);
    }
    for (const WallPiece& piece : plan_.pieces) {
      if (!stands(plan_, s_, piece)) continue;
      const float least = std::max(clearance, kept(entity, piece.entity));
      if (plan_.heights.used && !overlap(band_at(entity, pose), {piece.low, piece.high})) continue;
      const Vec d = piece.mid - Vec{pose.x, pose.y};
      const float far = plan_.bounds[entity] + piece.bound + least;
      if (dot(d, d) <= far * far && gap_between(core, piece.core).distance <= least)
        return blame(plan_.entities[piece.entity].name);
    }
    if (plan_.heights.terrain && !clear_of_terrain(entity, core, pose)) return blame("the ground");
    if (plan_.has_blocks() && !clear_of_blocks(entity, core, pose)) return blame("blocks");
    return !plan_.has_cells() || clear_of_cells(core, pose, plan_.bounds[entity], clearance) ||
           blame("solid cells");
  }

  // Takes note of what is in the way, if somebody asks; always false.
  bool blame(const std::string& name) const {
    if (blamed_ != nullptr) ++(*blamed_)[name];
    return false;
  }

  // What stands exactly on something else overlaps it by no more than rounding.
  Band band_at(std::size_t entity, const Pose& pose) const {
    constexpr float skin = 1e-3f;  // metres
    const float tall = plan_.tall[entity];
    return tall == boundless ? Band{} : Band{pose.z + std::min(skin, 0.5f * tall), pose.z + tall};
  }

  bool clear_of_blocks(std::size_t entity, const Core& core, const Pose& pose) const {
    if (plan_.entities[entity].kind == EntityKind::zone) return true;
    const BlocksPlan& blocks = plan_.blocks;
    const float bound = plan_.bounds[entity];
    const Band band = band_at(entity, pose);
    const BlockBox box = blocks_within(blocks, {pose.x - bound, pose.y - bound, band.low},
                                       {pose.x + bound, pose.y + bound, band.high});
    for (std::int32_t row = box.row0; row <= box.row1; ++row)
      for (std::int32_t column = box.column0; column <= box.column1; ++column)
        if (solid_layer(blocks, s_, column, row, band) >= 0 &&
            gap_between(core, core_of_column(blocks, column, row)).distance < 0.0f)
          return false;
    return true;
  }

  // What is set down on a slope may have its edge in it.
  bool clear_of_terrain(std::size_t entity, const Core& core, const Pose& pose) const {
    if (plan_.tall[entity] == boundless || plan_.entities[entity].kind == EntityKind::zone)
      return true;
    const Vec here{pose.x, pose.y}, reach{plan_.bounds[entity], plan_.bounds[entity]};
    plan_.heights.terrain->near(here - reach, here + reach, memory_.triangles);
    Band band = band_at(entity, pose);
    const bool body = entity < plan_.bodies;
    band.low += body ? step_of(plan_, entity) : 0.02f;
    std::array<Vec, 8> corners;
    return std::none_of(
        memory_.triangles.begin(), memory_.triangles.end(), [&](std::uint32_t number) {
          const std::size_t count =
              stopping_slice(plan_.heights.terrain->triangles()[number], band, plan_.bounds[entity],
                             body ? plan_.body[entity].steep : 1.0f, corners);
          return count >= 2 &&
                 gap_between(core, core_of_polygon(corners.data(), count)).distance <= 0.0f;
        });
  }

  bool ignores(std::size_t other) const {
    return plan_.entities[other].kind == EntityKind::zone &&
           !plan_.spec.zones[plan_.entities[other].spec_index].kept_free;
  }

  // How far `entity` wants to stay from `other`.
  float kept(std::size_t entity, std::size_t other) const {
    const std::size_t tag = tag_now(plan_, s_, other);
    if (!plan_.away_rules[entity].holds(tag)) return 0.0f;
    float most = 0.0f;
    for (const KeepAway& away : plan_.placement_of(entity).away)
      if (plan_.tags[tag] == away.from) most = std::max(most, static_cast<float>(away.by));
    return most;
  }

  bool clear_of_cells(const Core& core, const Pose& pose, float bound, float clearance) const {
    const CellPlan& cells = plan_.cells;
    const float far = bound + clearance;
    const CellBox box =
        cells_within(cells, {pose.x - far, pose.y - far}, {pose.x + far, pose.y + far});
    for (std::int32_t row = box.row0; row <= box.row1; ++row)
      for (std::int32_t column = box.column0; column <= box.column1; ++column) {
        if (!solid_at(cells, s_.cells, cell_number(cells, column, row))) continue;
        if (plan_.heights.used &&
            !solid_above(cells, s_.cells, cell_number(cells, column, row), pose.z))
          continue;
        const Vec low =
            cells.origin + cells.size * Vec{static_cast<float>(column), static_cast<float>(row)};
        if (gap_between(core, core_of_cells(low, low + Vec{cells.size, cells.size})).distance <=
            clearance)
          return false;
      }
    return true;
  }

  const ArenaPlan& plan_;
  StateArrays& s_;
  ArenaScratch::Memory& memory_;
  RandomStream& random_;
  // Whose cells are listed; the map stays the same while things are placed.
  const Placement* listed_ = nullptr;
  std::map<std::string, int>* blamed_ = nullptr;  // how often each name was in the way
};

// The placer's layout is the last one that was tried.
[[noreturn]] void no_place(const ArenaPlan& plan, std::size_t stuck, Placer& placer) {
  const std::string obstacles = placer.obstacles(stuck);
  throw Error(ErrorKind::spec,
              "'" + plan.entities[stuck].name + "' finds no free place in its region (" +
                  std::to_string(tries_per_layout) + " layouts tried" +
                  (obstacles.empty() ? "" : "; in the way: " + obstacles) + ")",
              plan.paths[stuck] + ".place",
              "widen the region, lower the clearance, or place fewer things");
}

}  // namespace

void set_pose(StateArrays& s, std::size_t entity, float x, float y, double heading) {
  const double wrapped = exact::wrap_angle(heading);
  const auto [sin, cos] = exact::sin_cos(wrapped);
  s.x[entity] = x;
  s.y[entity] = y;
  s.heading[entity] = static_cast<float>(wrapped);
  s.cos[entity] = cos;
  s.sin[entity] = sin;
}

void place_everything(const ArenaPlan& plan, StateArrays& s, ArenaScratch::Memory& memory) {
  const StateHeader& key = *s.header;
  RandomStream random(key.seed, key.lane, key.episode, Purpose::place);
  RandomStream map_random(key.seed, key.lane, key.episode, Purpose::generate);
  std::size_t cut_off = nowhere;
  for (int attempt = 0; attempt < tries_per_layout; ++attempt) {
    if (plan.has_cells() && (attempt == 0 || plan.cells.generated))
      generate_cells(plan, s.cells, map_random, memory.generator);
    std::copy(plan.at_start.begin(), plan.at_start.end(), s.present);
    memory.placed.clear();
    memory.placed_entity.clear();
    Placer placer(plan, s, memory, random);
    begin_rivers(plan, s);
    begin_causeways(plan, s);
    for (const CausewayData& causeway : plan.causeways)
      for (std::size_t stone = 0; stone < causeway.stones; ++stone)
        placer.note(causeway.first_body + stone);
    for (const RiverData& river : plan.rivers)
      for (std::size_t b = 0; b < river_body_count(river); ++b)
        if (s.present[river.first_body + b] != 0) placer.note(river.first_body + b);
    const auto failed = std::find_if(
        plan.placing_order.begin(), plan.placing_order.end(),
        [&](std::size_t entity) { return s.present[entity] != 0 && !placer.place(entity); });
    if (failed != plan.placing_order.end()) {
      if (attempt + 1 == tries_per_layout) no_place(plan, *failed, placer);
      cut_off = nowhere;
      continue;
    }
    cut_off = plan.has_cells() ? unreachable(plan, s, memory.generator) : nowhere;
    if (cut_off == nowhere) return;
  }
  throw Error(ErrorKind::spec,
              "'" + plan.entities[cut_off].name + "' cannot be reached (" +
                  std::to_string(tries_per_layout) + " layouts tried)",
              "arena.cells.connect", "open the map, or take it out of the list");
}

bool place_again(const ArenaPlan& plan, StateArrays& s, std::size_t entity, RandomStream& random,
                 ArenaScratch::Memory& memory) {
  memory.placed.clear();
  memory.placed_entity.clear();
  Placer placer(plan, s, memory, random);
  for (std::size_t e = 0; e < plan.posed; ++e)
    if (e != entity && s.present[e] != 0 && plan.entities[e].kind != EntityKind::shot)
      placer.note(e);
  return placer.place(entity);
}

bool home_is_free(const ArenaPlan& plan, const StateArrays& s, std::size_t entity) {
  if (plan.entities[entity].kind != EntityKind::body) return true;
  const Home& home = s.home[plan.home[entity]];
  const auto [sin, cos] = exact::sin_cos(static_cast<double>(home.heading));
  return is_free_for(plan, s, entity, {home.x, home.y, home.heading, cos, sin});
}

bool is_free_for(const ArenaPlan& plan, const StateArrays& s, std::size_t entity,
                 const Pose& pose) {
  const Core core = core_of(plan.shapes[entity], pose);
  for (std::size_t b = 0; b < plan.bodies; ++b)
    if (b != entity && s.present[b] != 0 &&
        gap_between(core, core_of(plan.shapes[b], s.pose(b))).distance <= 0.0f)
      return false;
  return true;
}

}  // namespace zithercraft::arena_internal
