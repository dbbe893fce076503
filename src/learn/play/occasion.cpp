#include "learn/play/occasion.hpp"

#include <algorithm>
#include <bit>
#include <cmath>

#include "zithercraft/game/environment.hpp"

namespace zithercraft::learn_internal {

namespace {

bool has_launcher(const Game& game, const Role& role) {
  if (game.spec().custom) return false;
  const auto& body = game.arena().entity(role.seats.front());
  return !game.spec().arena.bodies[body.spec_index].launchers.empty();
}

}  // namespace

Occasion occasion_of(const Game& game, std::int64_t total_steps,
                     std::span<const RolePlayer> players) {
  Occasion o;
  o.steps = static_cast<double>(std::max<std::int64_t>(1, total_steps));
  o.episode = game.spec().cutoffs.steps;
  o.copies = copies_of(game);
  std::string side;
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    if (r >= players.size() || players[r].player != nullptr) continue;
    const Role& role = game.roles()[r];
    o.seats += static_cast<std::int64_t>(role.seats.size());
    o.columns = std::max(o.columns, static_cast<std::int64_t>(role.columns.size()));
    for (const ControlInfo& control : role.controls) o.dials |= control.options.empty();
    o.shoots |= has_launcher(game, role);
    o.opposed |= !side.empty() && !role.side.empty() && role.side != side;
    if (side.empty()) side = role.side;
  }
  o.seats = std::max<std::int64_t>(1, o.seats);
  return o;
}

std::int64_t near_power(double number) {
  return std::int64_t{1} << static_cast<int>(std::lround(std::log2(std::max(1.0, number))));
}
std::int64_t power_below(double number) {
  return static_cast<std::int64_t>(
      std::bit_floor(static_cast<std::uint64_t>(std::max(1.0, number))));
}

}  // namespace zithercraft::learn_internal
