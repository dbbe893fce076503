#pragma once

// Turns a role of a spec into what lanes run by. One file for each of senses, controls and rewards.

#include <cstdint>
#include <string>
#include <vector>

#include "game/plan.hpp"

namespace zithercraft::game_internal {

[[noreturn]] void wrong_spec(std::string problem, std::string where, std::string fix);
/// Ways lead over cells: without them there are none.
void check_cells(const GamePlan& game, const std::string& where);

template <class List>
std::vector<std::string> names_of(const List& list) {
  std::vector<std::string> names;
  names.reserve(list.size());
  for (const auto& item : list) names.push_back(item.name);
  return names;
}

void check_unique(const std::vector<std::string>& names, const std::string& what,
                  const std::string& where, const std::string& fix);

/// What the three compilers share: the role, and how names become numbers.
class RoleCompiler {
 public:
  RoleCompiler(GamePlan& game, std::size_t role, std::string where);
  virtual ~RoleCompiler() = default;

 protected:
  /// A tag that some body, zone or item bears; paired seats need a thing each.
  std::size_t target(const std::string& name, bool paired, const std::string& where) const;
  TagSet tag_mask(const std::vector<std::string>& tags, const std::string& where) const;
  /// Whether an entity is of the seat's side, or of another, or its partner, as `whose` asks.
  bool meant(Whose whose, std::size_t seat, EntityId entity) const;
  void check_sides(Whose whose, const std::string& where) const;

  GamePlan& game_;
  const RoleSpec& spec_;
  std::string where_;
  Role& role_;
  RolePlan& plan_;
};

/// A tag that some body, zone or item bears. Throws Error (spec) if there is none.
std::size_t placed_tag(const GamePlan& game, const std::string& name, const std::string& where);
/// Which tag those of a tag must bear to be meant; none for an empty name.
Bears bears_of(const GamePlan& game, const std::string& name);
/// The bodies of a tag. Throws Error (spec) if there is none.
std::vector<EntityId> bodies_of(const GamePlan& game, const std::string& name,
                                const std::string& where);
/// A bit for each tag; all for an empty list.
TagSet tag_mask(const GamePlan& game, const std::vector<std::string>& tags,
                const std::string& where);

void find_seats(GamePlan& game, std::size_t role, const std::string& where);
void compile_controls(GamePlan& game, std::size_t role, const std::string& where);
/// After the controls, since a sense may report them.
void compile_senses(GamePlan& game, std::size_t role, const std::string& where);
/// After the senses: adds the columns that say which options are allowed.
void compile_conditions(GamePlan& game, std::size_t role, const std::string& where);
void compile_terms(GamePlan& game, std::size_t role, const std::string& where);
void compile_cutoffs(GamePlan& game);

}  // namespace zithercraft::game_internal
