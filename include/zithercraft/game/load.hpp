#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "zithercraft/game/spec.hpp"

namespace zithercraft {

/// Whether parts written in C++ must be there. A file can name them ("custom") but not hold them.
enum class CustomParts {
  needed,    ///< a missing one is an error
  optional,  ///< a missing term pays nothing; for replays, which hold the rewards
};

/// Reads and checks a game file. Throws Error (file) if it cannot be read, Error (spec) with line,
/// key path and fix if anything in it is wrong. Files that the game names are looked for beside it.
GameSpec load_game(const std::filesystem::path& file);

/// The same from text; `source` names it in errors.
GameSpec parse_game(std::string_view text, const std::string& source = "game",
                    CustomParts custom = CustomParts::needed);

/// The whole game as TOML with every value stated. `parse_game` of it gives an equal spec.
std::string to_toml(const GameSpec& game);

/// The same game with every file it names held inside as a `data:` URL, so that it can be kept and
/// sent by itself. Throws Error (file) if one cannot be read.
GameSpec self_contained(const GameSpec& game);

/// The first value in which two games differ, as "key path: value here, value there"; empty if they
/// are equal.
std::string first_difference(const GameSpec& here, const GameSpec& there);

/// Checks every value of a spec built in C++ against its range. Throws Error (spec) with the key
/// path.
void check_values(const GameSpec& game);

}  // namespace zithercraft
