#include "game/compile/spec_toml.hpp"

#include "game/compile/spec_fields.hpp"

namespace zithercraft::game_internal {

toml::table table_of(const GameSpec& game) { return TomlWriter::to_table(game); }

GameSpec game_of(const toml::table& table, const std::string& source) {
  GameSpec game;
  read_struct(table, game, source);
  return game;
}

}  // namespace zithercraft::game_internal
