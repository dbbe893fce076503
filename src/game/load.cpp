#include "zithercraft/game/load.hpp"

#include "spec_fields.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft {
namespace {

// Errors of the compiler name a key path; the nearest part of it that stands in the file tells the line.
std::string place_in_file(const toml::table& table, const std::string& source, const std::string& key_path) {
  for (std::string path = key_path; !path.empty();) {
    if (const auto node = table.at_path(path)) return position_of(*node.node(), source) + " (" + key_path + ")";
    const auto cut = path.find_last_of(".[");
    path = cut == std::string::npos ? "" : path.substr(0, cut);
  }
  return key_path.empty() ? source : source + " (" + key_path + ")";
}

}  // namespace

GameSpec parse_game(std::string_view text, const std::string& source, CodedParts coded) {
  const toml::table table = parse_toml(text, source);
  GameSpec spec;
  read_struct(table, spec, source);
  try {
    const Game compiled(spec, coded);
  } catch (const Error& error) {
    throw Error(error.fault(), error.problem(), place_in_file(table, source, error.where()), error.mend());
  }
  return spec;
}

GameSpec load_game(const std::filesystem::path& file) { return parse_game(read_text(file), file.string()); }

std::string to_toml(const GameSpec& game) { return toml_text(TomlWriter::to_table(game)); }

std::string first_difference(const GameSpec& here, const GameSpec& there) {
  return first_difference(TomlWriter::to_table(here), TomlWriter::to_table(there));
}

void check_values(const GameSpec& game) {
  GameSpec scratch;
  read_struct(TomlWriter::to_table(game), scratch, "game built in C++");
}

}  // namespace zithercraft
