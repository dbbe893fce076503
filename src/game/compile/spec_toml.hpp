#pragma once

#include <toml++/toml.h>

#include <string>

#include "zithercraft/game/spec.hpp"

namespace zithercraft::game_internal {

/// A game as a table with every value stated, and back. Both are in one file of their own, since
/// the compiler takes its time over them. `source` names the table in errors.
toml::table table_of(const GameSpec& game);
GameSpec game_of(const toml::table& table, const std::string& source);

}  // namespace zithercraft::game_internal
