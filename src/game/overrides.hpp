#pragma once

#include <cstddef>
#include <map>
#include <string>

#include "zithercraft/game/spec.hpp"

namespace zithercraft {

/// The game with keys set to other values; parts coded in C++ stay. Throws Error (spec), naming `where`, if a key leads
/// nowhere or a value does not fit it.
GameSpec with_keys(const GameSpec& game, const std::map<std::string, Value>& keys, const std::string& where);

/// The game as it is on a listed stage, without stages of its own.
GameSpec at_stage(const GameSpec& game, std::size_t stage);

}  // namespace zithercraft
