#pragma once

#include <string>
#include <vector>

#include "zithercraft/game/spec.hpp"

namespace zithercraft::cli {

struct DemoGame {
  std::string name;
  GameSpec spec;
};

/// The demo games that are part of the tool, in alphabetical order.
std::vector<DemoGame> demo_games();

/// Whether a game's name means a file, not a demo: a path, a name that ends with .toml, or `-`.
bool names_file(const std::string& name);

/// A game by a demo's name or the path of a TOML file, with keys set by "KEY=VALUE". Throws Error.
GameSpec find_game(const std::string& name_or_path,
                   const std::vector<std::string>& assignments = {});

/// The game with keys set by "KEY=VALUE". Throws Error.
GameSpec with_assignments(const GameSpec& game, const std::vector<std::string>& assignments);

}  // namespace zithercraft::cli
