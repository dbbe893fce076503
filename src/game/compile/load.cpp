#include "zithercraft/game/load.hpp"

#include "config/config.hpp"
#include "config/data_file.hpp"
#include "game/compile/overrides.hpp"
#include "game/compile/spec_toml.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft {
using namespace config;
using namespace game_internal;
namespace {

// Errors of the compiler name a key path; the nearest part of it in the file gives the line.
std::string place_in_file(const toml::table& table, const std::string& source,
                          const std::string& key_path) {
  for (std::string path = key_path; !path.empty();) {
    if (const auto node = table.at_path(path))
      return position_of(*node.node(), source) + " (" + key_path + ")";
    const auto cut = path.find_last_of(".[");
    path = cut == std::string::npos ? "" : path.substr(0, cut);
  }
  return key_path.empty() ? source : source + " (" + key_path + ")";
}

// Every file that a game names.
template <class Use>
void each_file(GameSpec& game, const Use& use) {
  ArenaSpec& arena = game.arena;
  for (std::size_t i = 0; i < game.stages.size(); ++i)
    if (auto& start = game.stages[i].start)
      use(start->replay, "stages[" + std::to_string(i) + "].start.replay");
  if (arena.ground) use(arena.ground->file, std::string("arena.ground.file"));
  if (arena.blocks) use(arena.blocks->file, std::string("arena.blocks.file"));
  for (std::size_t i = 0; i < arena.meshes.size(); ++i)
    use(arena.meshes[i].file, "arena.meshes[" + std::to_string(i) + "].file");
}

GameSpec parse_in_folder(std::string_view text, const std::string& source, CustomParts custom,
                         const std::filesystem::path& folder) {
  const toml::table table = parse_toml(text, source);
  GameSpec spec = game_of(table, source);
  for (const GameSpec& known : added_games())
    if (known.name == spec.name) adopt_code(spec, known);
  each_file(spec, [&](std::string& file, const std::string&) {
    if (!file.empty() && !is_data_url(file)) file = (folder / file).lexically_normal().string();
  });
  try {
    const Game compiled(spec, custom);
  } catch (const Error& error) {
    throw Error(error.kind(), error.problem(), place_in_file(table, source, error.where()),
                error.fix());
  }
  return spec;
}

}  // namespace

GameSpec parse_game(std::string_view text, const std::string& source, CustomParts custom) {
  return parse_in_folder(text, source, custom, {});
}

GameSpec load_game(const std::filesystem::path& file) {
  return parse_in_folder(read_text(file), file.string(), CustomParts::needed, file.parent_path());
}

GameSpec self_contained(const GameSpec& game) {
  GameSpec result = game;
  each_file(result, [](std::string& file, const std::string& where) {
    if (!file.empty() && !is_data_url(file)) file = data_url(read_data(file, where));
  });
  return result;
}

std::string to_toml(const GameSpec& game) { return toml_text(table_of(game)); }

std::string first_difference(const GameSpec& here, const GameSpec& there) {
  return first_difference(table_of(here), table_of(there));
}

void check_values(const GameSpec& game) { game_of(table_of(game), "game built in C++"); }

}  // namespace zithercraft
