#include "spec_toml.hpp"

#include "spec_fields.hpp"

namespace zithercraft {

toml::table table_of(const GameSpec& game) { return TomlWriter::to_table(game); }

GameSpec game_of(const toml::table& table, const std::string& source) {
  GameSpec game;
  read_struct(table, game, source);
  return game;
}

}  // namespace zithercraft
