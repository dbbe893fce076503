#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "zithercraft/game/spec.hpp"

/// The demo games, which the library has with it.
namespace zithercraft {

/// Their names, the simplest first.
std::vector<std::string> demo_names();
/// One of them by its name. Throws Error (spec) with advice if there is none.
GameSpec demo_game(std::string_view name);

}  // namespace zithercraft
