#include "evaluate/opposed_sides.hpp"

#include <algorithm>

#include "zithercraft/base/error.hpp"

namespace zithercraft::evaluate_internal {

std::vector<std::string> opposed_sides(const Game& game, const std::string& for_what) {
  std::vector<std::string> sides;
  for (const Role& role : game.roles())
    if (!role.side.empty() && std::find(sides.begin(), sides.end(), role.side) == sides.end())
      sides.push_back(role.side);
  if (sides.size() != 2)
    throw Error(ErrorKind::refused,
                "the game has " + std::to_string(sides.size()) + " opposed sides",
                "game '" + game.spec().name + "'",
                for_what + " needs two: give the bodies of the roles a `side`");
  return sides;
}

}  // namespace zithercraft::evaluate_internal
