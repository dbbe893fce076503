#include "game/compile/compile_role.hpp"

#include <algorithm>
#include <set>
#include <utility>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::game_internal {

void check_cells(const GamePlan& game, const std::string& where) {
  if (game.arena.cell_size() <= 0.0f)
    wrong_spec("the arena has no cells to find a path over", where + ".along_path",
               "leave it out, or give [arena.cells]");
}

void wrong_spec(std::string problem, std::string where, std::string fix) {
  throw Error(ErrorKind::spec, std::move(problem), std::move(where), std::move(fix));
}

void check_unique(const std::vector<std::string>& names, const std::string& what,
                  const std::string& where, const std::string& fix) {
  std::set<std::string> seen;
  for (const auto& name : names)
    if (!seen.insert(name).second)
      wrong_spec("two " + what + "s are named '" + name + "'", where, fix);
}

Bears bears_of(const GamePlan& game, const std::string& name) {
  return name.empty() || !game.arena.tags_change() ? Bears{} : game.arena.tag(name, "");
}

std::vector<EntityId> bodies_of(const GamePlan& game, const std::string& name,
                                const std::string& where) {
  std::vector<EntityId> found;
  for (const EntityId thing : game.things_of_tag[game.arena.tag(name, where)])
    if (game.arena.entity(thing).kind == EntityKind::body) found.push_back(thing);
  if (found.empty()) wrong_spec("no body bears the tag '" + name + "'", where, "name a body's tag");
  return found;
}

TagSet tag_mask(const GamePlan& game, const std::vector<std::string>& tags,
                const std::string& where) {
  if (tags.empty()) return TagSet::all();
  TagSet mask;
  for (std::size_t i = 0; i < tags.size(); ++i)
    mask |= TagSet::of(game.arena.tag(tags[i], where + "[" + std::to_string(i) + "]"));
  return mask;
}

void find_seats(GamePlan& game, std::size_t role, const std::string& where) {
  const RoleSpec& spec = game.spec.roles[role];
  const std::string body = spec.body.empty() ? spec.name : spec.body;
  auto& seats = game.roles[role].seats;
  seats = game.arena.bodies_named(body);
  if (seats.empty())
    wrong_spec("no body is named '" + body + "'", where + ".body",
               advice(body, names_of(game.spec.arena.bodies)));
  if (game.arena.wanders(seats.front()))
    wrong_spec("'" + body + "' wanders by itself", where + ".body",
               "remove its wanderer, or control another body");
  for (const EntityId seat : seats) {
    if (std::find(game.seats.begin(), game.seats.end(), seat) != game.seats.end())
      wrong_spec("two roles steer the same body", where + ".body", "give each its own");
    game.seats.push_back(seat);
  }
  game.roles[role].side = game.arena.entity(seats.front()).side;
}

RoleCompiler::RoleCompiler(GamePlan& game, std::size_t role, std::string where)
    : game_(game),
      spec_(game.spec.roles[role]),
      where_(std::move(where)),
      role_(game.roles[role]),
      plan_(game.role_plans[role]) {}

std::size_t placed_tag(const GamePlan& game, const std::string& name, const std::string& where) {
  const std::size_t tag = game.arena.tag(name, where);
  if (game.things_of_tag[tag].empty())
    wrong_spec("the tag '" + name +
                   "' is borne by walls or cells only, and a distance needs a body, zone or item",
               where, "choose another tag");
  return tag;
}

std::size_t RoleCompiler::target(const std::string& name, bool paired,
                                 const std::string& where) const {
  const std::size_t tag = placed_tag(game_, name, where), things = game_.things_of_tag[tag].size();
  if (paired)
    for (const EntityId thing : game_.things_of_tag[tag])
      if (game_.arena.tags_ever(thing) != TagSet::of(tag))
        wrong_spec("rules can give the tag '" + name + "' or take it, so nothing is paired by it",
                   where, "pair by another tag");
  if (paired && things < role_.seats.size())
    wrong_spec("there are " + std::to_string(role_.seats.size()) + " seats and " +
                   std::to_string(things) + " things of tag '" + name + "' to pair them with",
               where, "add things of that tag");
  return tag;
}

TagSet RoleCompiler::tag_mask(const std::vector<std::string>& tags,
                              const std::string& where) const {
  return game_internal::tag_mask(game_, tags, where);
}

bool RoleCompiler::meant(Whose whose, std::size_t seat, EntityId entity) const {
  if (whose == Whose::partner) return entity == role_.seats[seat ^ 1u];
  const std::string &own = game_.arena.entity(role_.seats[seat]).side,
                    &side = game_.arena.entity(entity).side;
  return whose == Whose::anyone || (!side.empty() && (side == own) == (whose == Whose::own));
}

void RoleCompiler::check_sides(Whose whose, const std::string& where) const {
  if (whose == Whose::partner) {
    if (role_.seats.size() % 2 != 0)
      wrong_spec("of " + std::to_string(role_.seats.size()) + " seats one has no partner", where,
                 "give the role an even number of bodies, or ask for anyone's");
    return;
  }
  if (whose != Whose::anyone && game_.arena.entity(role_.seats.front()).side.empty())
    wrong_spec("the seats belong to no side", where,
               "give their bodies a `side`, or ask for anyone's");
}

}  // namespace zithercraft::game_internal
