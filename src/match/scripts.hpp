#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "zithercraft/game/game.hpp"
#include "zithercraft/game/spec.hpp"

namespace zithercraft::match_internal {

/// A script for boats: steers for the compass target along the clearest heading its rays show,
/// slows down where it is narrow and stops when there. Needs a compass, a ray fan that also sees
/// the target, own motion, and dials `throttle` and `rudder`. Throws Error (spec) naming what the
/// role lacks.
Script::Function steer_home(const Game& game, std::size_t role);

/// For steppers: a compass, a window and one choice of moves.
Script::Function step_home(const Game& game, std::size_t role);

/// For steppers that gather: to the target of the first compass until their first meter holds
/// three, then to that of the second. Needs what `step_home` needs, two compasses and a meter.
Script::Function gather_home(const Game& game, std::size_t role);

/// For steppers that live on: to cells that fill their first meter when it is low, as far as the
/// window shows any, and else to the compass target. Needs what `step_home` needs, and a meter that
/// some kind of cell of the window fills.
Script::Function live_on(const Game& game, std::size_t role);

/// For walkers: goes for the compass target along the clearest heading its rays show. Needs a
/// compass, a ray fan that also sees the target, own motion, and dials `ahead` and `turn`.
Script::Function walk_home(const Game& game, std::size_t role);

/// For rafts on a river: heads for the longest free way, and leaps over what only the lower fan
/// sees. Needs two ray fans, the lower first, and one choice with the options `on`, `left`, `right`
/// and `leap`.
Script::Function run_gates(const Game& game, std::size_t role);

/// For bats on rails: keeps abreast of what its first compass points at, within the role's
/// `script_limits`. Needs a compass and a dial `along`.
Script::Function follow(const Game& game, std::size_t role);

/// For walkers on a causeway: runs ahead and hops where the ground ends or steps up, but not
/// against the wind of a phase. Needs a dial `ahead` and a choice that sets `jump`.
Script::Function hop_on(const Game& game, std::size_t role);

/// For launchers: aims at where the nearest thing of the compass's tag will be, knowing the laws of
/// flight and its velocity. Needs a compass, dials that drive the bearing and the elevation of one
/// launcher, and a choice that fires it.
Script::Function lead_and_fire(const Game& game, std::size_t role);

/// For boats that shove something home, as their first progress term of another thing says. Needs
/// dials `throttle` and `rudder`.
Script::Function shove_home(const Game& game, std::size_t role);

/// For diggers: looks down, turns and digs, and so sinks a shaft. Needs choices with the options
/// `down`, `left` and `dig`; of all other controls the first option is taken.
Script::Function dig_down(const Game& game, std::size_t role);

/// For the scripts themselves: where a role's observations hold the first column of a sense with
/// this quantity, which of its controls is a dial of that name, and the error of a role that lacks
/// something.
std::size_t column_of(const Role& role, const std::string& sense, std::string_view quantity);
std::size_t dial_of(const std::string& script, const Role& role, const std::string& name);
[[noreturn]] void lacks(const std::string& script, const Role& role, const std::string& what);

/// The last of the role's senses of this kind; null if it has none.
template <class Kind>
const Kind* sense_of(const RoleSpec& spec) {
  const Kind* found = nullptr;
  for (const Sense& sense : spec.senses)
    if (const auto* kind = std::get_if<Kind>(&sense)) found = kind;
  return found;
}

}  // namespace zithercraft::match_internal
