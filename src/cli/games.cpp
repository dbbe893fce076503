#include "cli/games.hpp"

#include <fmt/format.h>
#include <cstdio>
#include <filesystem>
#include <string_view>
#include <utility>

#include "cli/remote_games.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/demos.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/overrides.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft::cli {

std::vector<DemoGame> demo_games() {
  std::vector<DemoGame> games;
  for (const std::string& name : demo_names()) games.push_back({name, demo_game(name)});
  return games;
}

bool names_file(const std::string& name) {
  return name == "-" || name.find('/') != std::string::npos || name.ends_with(".toml");
}

namespace {

// Whose script does not fit is played at random by default; who asks for the script gets an error.
void tell_misfits(const Game& game) {
  for (std::size_t role = 0; role < game.roles().size(); ++role)
    if (const std::string why = misfit_of_script(game, role); !why.empty())
      fmt::print(stderr, "note: the role '{}' cannot be played by its script: {}\n",
                 game.roles()[role].name, why);
}

GameSpec named_game(const std::string& name_or_path) {
  if (names_file(name_or_path)) return load_game(name_or_path);
  if (name_or_path == remote_name) return joined_game();
  std::vector<std::string> names;
  for (const GameSpec& own : added_games()) {
    if (own.name == name_or_path) return own;
    names.push_back(own.name);
  }
  for (auto& demo : demo_games()) {
    if (demo.name == name_or_path) return std::move(demo.spec);
    names.push_back(demo.name);
  }
  throw Error(ErrorKind::usage, "there is no game '" + name_or_path + "'", {},
              advice(name_or_path, names) + " A file's name ends with .toml");
}

}  // namespace

GameSpec find_game(const std::string& name_or_path, const std::vector<std::string>& assignments) {
  GameSpec game = with_assignments(named_game(name_or_path), assignments);
  try {
    const Game compiled(game, CustomParts::optional);
    check_scripts(compiled);
    tell_misfits(compiled);
  } catch (const Error& error) {
    if (!names_file(name_or_path)) throw;
    throw Error(error.kind(), error.problem(), name_or_path + " (" + error.where() + ")",
                error.fix());
  }
  return game;
}

GameSpec with_assignments(const GameSpec& given, const std::vector<std::string>& assignments) {
  if (assignments.empty()) return given;
  KeyValues keys;
  for (const std::string& text : assignments)
    if (const auto key = parse_assignment(text, "--set"); !keys.insert(key).second)
      throw Error(ErrorKind::usage, "the key '" + key.first + "' is set twice", "--set",
                  "give it once");
  GameSpec game = with_keys(given, keys, "--set");
  check_scripts(Game(game));
  return game;
}

}  // namespace zithercraft::cli
