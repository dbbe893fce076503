#include "show/pictures/colours.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <array>
#include <cmath>
#include <set>

namespace zithercraft::show_internal {
namespace {

// Hues that red-green colour blindness does not confuse, different in lightness too; by what a
// thing is.
constexpr Colour wall_colour{0.25, 0.28, 0.33}, zone_colour{0.00, 0.45, 0.45},
    shot_colour{0.12, 0.14, 0.18};
constexpr std::array<Colour, 4> seat_colours{
    {{0.80, 0.47, 0.00}, {0.10, 0.45, 0.75}, {0.70, 0.25, 0.45}, {0.35, 0.60, 0.10}}};
constexpr std::array<Colour, 3> moving_colours{
    {{0.55, 0.20, 0.60}, {0.45, 0.30, 0.15}, {0.60, 0.10, 0.20}}};
constexpr std::array<Colour, 3> fixed_colours{
    {{0.42, 0.35, 0.58}, {0.10, 0.45, 0.75}, {0.45, 0.40, 0.35}}};
constexpr std::array<Colour, 3> item_colours{
    {{0.90, 0.72, 0.05}, {0.80, 0.48, 0.66}, {0.34, 0.71, 0.91}}};
constexpr std::array<Colour, 3> solid_cells{
    {{0.40, 0.44, 0.50}, {0.56, 0.49, 0.42}, {0.30, 0.36, 0.36}}};
constexpr std::array<Colour, 3> seen_cells{
    {{0.22, 0.55, 0.80}, {0.55, 0.75, 0.55}, {0.80, 0.65, 0.80}}};
constexpr std::array<Colour, 3> plain_cells{
    {{0.96, 0.94, 0.88}, {0.83, 0.90, 0.80}, {0.95, 0.85, 0.82}}};
constexpr std::array<Colour, 6> block_colours{{{0.87, 0.80, 0.60},
                                               {0.80, 0.52, 0.42},
                                               {0.52, 0.54, 0.57},
                                               {0.30, 0.31, 0.34},
                                               {0.35, 0.55, 0.30},
                                               {0.60, 0.45, 0.62}}};
constexpr std::array<Colour, 3> worthy_colours{
    {{0.97, 0.95, 0.20}, {0.95, 0.55, 0.80}, {0.10, 0.75, 0.90}}};
constexpr std::array<Colour, 3> ground_colours{
    {{0.66, 0.70, 0.55}, {0.62, 0.58, 0.50}, {0.55, 0.60, 0.66}}};
constexpr Colour water_colour{0.79, 0.88, 0.95};

// Whether a generator of the map draws water of this kind.
bool is_water(const CellsSpec& cells, const CellKind& kind) {
  return std::ranges::any_of(cells.generate, [&](const Generator& generator) {
    const auto* islands = std::get_if<Islands>(&generator);
    return islands && islands->water == kind.name;
  });
}

}  // namespace

// Tags take the colours of their kind of thing in order of appearance.
std::vector<Colour> tag_colours(const Game& game) {
  const Arena& arena = game.arena();
  std::array<std::size_t, 12> used{};
  const auto next = [&](const auto& list, std::size_t which) {
    return list[used[which]++ % list.size()];
  };
  std::set<EntityId> seats;
  for (const Role& role : game.roles()) seats.insert(role.seats.begin(), role.seats.end());
  std::vector<Colour> colours(arena.tags().size(), wall_colour);
  double most_worth = 0.0;  // what is worth far less than the best is no treasure
  if (arena.spec().blocks)
    for (const auto& kind : arena.spec().blocks->kinds)
      most_worth = std::max(most_worth, kind.worth);
  std::set<std::size_t> chosen;
  for (const EntityId e : arena.ids()) {
    const Entity& entity = arena.entity(e);
    if (!chosen.insert(entity.tag).second) continue;
    Colour& colour = colours[entity.tag];
    switch (entity.kind) {
      case EntityKind::body:
        colour = seats.contains(e) ? next(seat_colours, 0)
                 : entity.free     ? next(moving_colours, 1)
                                   : next(fixed_colours, 2);
        break;
      case EntityKind::shot: colour = shot_colour; break;
      case EntityKind::zone: colour = zone_colour; break;
      case EntityKind::item: colour = next(item_colours, 3); break;
      case EntityKind::wall: break;
      case EntityKind::floor: colour = {0.80, 0.88, 0.93}; break;
      case EntityKind::ground:
      case EntityKind::mesh: colour = next(ground_colours, 7); break;
      case EntityKind::block:
        colour = most_worth > 0.0 &&
                         arena.spec().blocks->kinds[entity.spec_index].worth >= 0.1 * most_worth
                     ? next(worthy_colours, 8)
                     : next(block_colours, 9);
        break;
      case EntityKind::cell: {
        const CellKind& kind = arena.spec().cells->kinds[entity.spec_index];
        colour = kind.solid                            ? next(solid_cells, 4)
                 : is_water(*arena.spec().cells, kind) ? water_colour
                 : kind.seen                           ? next(seen_cells, 5)
                                                       : next(plain_cells, 6);
        break;
      }
    }
  }
  // Tags that bodies are given are told apart from all others.
  for (const EntityId body : arena.bodies())
    for (std::size_t tag = 0; tag < colours.size(); ++tag)
      if (arena.tags_ever(body).holds(tag) && chosen.insert(tag).second)
        colours[tag] = seats.contains(body) ? next(seat_colours, 0) : next(moving_colours, 1);
  return colours;
}

std::string web_colour(Colour colour) {
  const auto part = [](double share) { return static_cast<int>(std::lround(255 * share)); };
  return fmt::format("#{:02x}{:02x}{:02x}", part(colour.r), part(colour.g), part(colour.b));
}

}  // namespace zithercraft::show_internal
