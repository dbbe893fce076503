#include "game/compile/overrides.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <string_view>

#include "config/config.hpp"
#include "game/compile/spec_toml.hpp"

namespace zithercraft {
using namespace game_internal;
using namespace config;
namespace {

// `term.NAME` is short for where the weight stands.
std::string full_key(const std::string& key) {
  constexpr std::string_view term = "term.";
  return key.starts_with(term) ? "roles[0].rewards." + key.substr(term.size()) + ".weight" : key;
}

}  // namespace

// Code does not survive the way through TOML.
void game_internal::adopt_code(GameSpec& to, const GameSpec& from) {
  if (to.custom && from.custom) {
    to.custom->code = from.custom->code;
    to.custom->host = from.custom->host;
  }
  for (std::size_t b = 0; b < std::min(to.arena.bodies.size(), from.arena.bodies.size()); ++b)
    to.arena.bodies[b].carry = from.arena.bodies[b].carry;
  for (std::size_t r = 0; r < std::min(to.rules.size(), from.rules.size()); ++r)
    if (to.rules[r].name == from.rules[r].name) {
      to.rules[r].begin = from.rules[r].begin;
      to.rules[r].tick = from.rules[r].tick;
    }
  for (std::size_t r = 0; r < std::min(to.roles.size(), from.roles.size()); ++r) {
    RoleSpec& role = to.roles[r];
    const RoleSpec& old = from.roles[r];
    if (role.script == old.script) role.script = old.script;
    for (std::size_t s = 0; s < std::min(role.senses.size(), old.senses.size()); ++s)
      if (auto* sense = std::get_if<CustomSense>(&role.senses[s]))
        if (const auto* with_code = std::get_if<CustomSense>(&old.senses[s]))
          sense->code = with_code->code;
    for (std::size_t t = 0; t < std::min(role.rewards.size(), old.rewards.size()); ++t) {
      if (role.rewards[t].each_step == old.rewards[t].each_step)
        role.rewards[t].each_step = old.rewards[t].each_step;
      if (role.rewards[t].each_second == old.rewards[t].each_second)
        role.rewards[t].each_second = old.rewards[t].each_second;
    }
  }
}

GameSpec with_keys(const GameSpec& game, const KeyValues& keys, const std::string& where) {
  toml::table table = table_of(game);
  for (const auto& [key, value] : keys) set_key(table, full_key(key), value, where);
  GameSpec changed = game_of(table, where);
  adopt_code(changed, game);
  return changed;
}

Value parse_value(const std::string& text, const std::string& where) {
  if (text.empty())
    throw Error(ErrorKind::spec, "the value is missing", where, "write it as KEY=VALUE");
  const auto parsed = [&]() -> toml::table {
    try {
      return parse_toml("value = " + text, where);
    } catch (const Error&) {
      return toml::table{{"value", text}};  // a word without quotes
    }
  }();
  if (parsed.size() != 1)
    throw Error(ErrorKind::spec, "the value cannot be understood", where,
                "give one value, as TOML writes it");
  return value_of(*parsed.get("value"), where);
}

std::string text_of(const Value& value) {
  if (const auto* text = std::get_if<std::string>(&value.held)) return *text;
  if (const auto* yes = std::get_if<bool>(&value.held)) return *yes ? "true" : "false";
  if (const auto* list = std::get_if<Value::List>(&value.held)) {
    std::string text;
    for (const Value& item : *list)
      text += (text.empty() ? "" : ", ") + (std::holds_alternative<std::string>(item.held)
                                                ? '"' + text_of(item) + '"'
                                                : text_of(item));
    return "[" + text + "]";
  }
  std::array<char, 32> digits{};
  const auto whole = std::get_if<std::int64_t>(&value.held);
  const auto end = whole != nullptr
                       ? std::to_chars(digits.begin(), digits.end(), *whole)
                       : std::to_chars(digits.begin(), digits.end(), std::get<double>(value.held));
  return {digits.data(), end.ptr};
}

KeyValues::value_type parse_assignment(const std::string& text, const std::string& where) {
  const std::size_t equals = text.find('=');
  if (equals == std::string::npos || equals == 0)
    throw Error(ErrorKind::usage, "'" + text + "' sets nothing", where, "write it as KEY=VALUE");
  return {text.substr(0, equals),
          parse_value(text.substr(equals + 1), where + " " + text.substr(0, equals))};
}

GameSpec game_internal::at_stage(const GameSpec& game, std::size_t stage) {
  GameSpec base = game;
  base.stages.clear();
  return with_keys(base, game.stages[stage].set, "stages[" + std::to_string(stage) + "].set");
}

}  // namespace zithercraft
