#pragma once

#include <map>
#include <string>

#include "zithercraft/base/value.hpp"
#include "zithercraft/game/spec.hpp"

namespace zithercraft {

/// Values by key path: "arena.bodies.hull.count" -> 12. Parts of lists are named by their `name` or
/// by a number in brackets. `term.NAME` stands for the weight of a term of the first role's reward
/// terms.
using KeyValues = std::map<std::string, Value>;

/// The game with keys set to other values; custom parts stay. Throws Error (spec), naming `where`,
/// if a key leads nowhere or a value does not fit it.
GameSpec with_keys(const GameSpec& game, const KeyValues& keys, const std::string& where);

/// "KEY=VALUE" as one of those: VALUE is true, false, a number, a list as TOML writes it, or a
/// text, with or without quotes. Throws Error (usage or spec), naming `where`.
KeyValues::value_type parse_assignment(const std::string& text, const std::string& where);
/// The value alone, and back: numbers in their shortest exact form, texts without quotes.
Value parse_value(const std::string& text, const std::string& where);
std::string text_of(const Value& value);

}  // namespace zithercraft
