#include "zithercraft/game/keys.hpp"

#include <algorithm>
#include <array>
#include <utility>

namespace zithercraft {
namespace {

std::vector<std::string> list_keys() {
  std::vector<std::string> keys;
  for (char c = 'A'; c <= 'Z'; ++c) keys.push_back(std::string("Key") + c);
  for (char c = '0'; c <= '9'; ++c) {
    keys.push_back(std::string("Digit") + c);
    keys.push_back(std::string("Numpad") + c);
  }
  for (const char* name :
       {"ArrowUp",        "ArrowDown",    "ArrowLeft",    "ArrowRight", "Space",  "ShiftLeft",
        "ShiftRight",     "ControlLeft",  "ControlRight", "Comma",      "Period", "Semicolon",
        "Quote",          "BracketLeft",  "BracketRight", "Minus",      "Equal",  "Slash",
        "Backslash",      "PageUp",       "PageDown",     "Home",       "End",    "NumpadAdd",
        "NumpadSubtract", "NumpadDecimal"})
    keys.emplace_back(name);
  std::sort(keys.begin(), keys.end());
  return keys;
}

// More and less of a dial, with the gamepad axis that does the same; on gamepads, up and left are
// negative.
struct DialKeys {
  const char *more, *less;
  int axis;
};
constexpr std::array<DialKeys, 4> dial_keys{{{"ArrowUp", "ArrowDown", 1},
                                             {"ArrowLeft", "ArrowRight", 0},
                                             {"KeyW", "KeyS", 3},
                                             {"KeyA", "KeyD", 2}}};

constexpr std::array<const char*, 4> rows{"1234567890", "QWERTYUIOP", "ASDFGHJKL", "ZXCVBNM"};

}  // namespace

const std::vector<std::string>& known_keys() {
  static const std::vector<std::string> keys = list_keys();
  return keys;
}

bool is_key(std::string_view name) {
  return std::binary_search(known_keys().begin(), known_keys().end(), name);
}

std::vector<KeyBinding> default_bindings(const std::vector<ControlInfo>& controls) {
  std::vector<KeyBinding> bindings;
  std::size_t dials = 0, choices = 0;
  for (const ControlInfo& control : controls) {
    if (!control.is_choice()) {
      if (dials >= dial_keys.size()) continue;
      const DialKeys& keys = dial_keys[dials++];
      bindings.push_back({.key = keys.more, .control = control.name, .value = control.high});
      bindings.push_back({.key = keys.less, .control = control.name, .value = control.low});
      bindings.push_back({.axis = keys.axis, .control = control.name, .value = -control.high});
      continue;
    }
    if (choices >= rows.size()) continue;
    const std::string row = rows[choices];
    for (std::size_t i = 0; i < std::min(row.size(), control.options.size()); ++i) {
      const std::string prefix = choices == 0 ? "Digit" : "Key";
      bindings.push_back(
          {.key = prefix + row[i], .control = control.name, .option = control.options[i]});
      if (choices == 0)
        bindings.push_back({.button = static_cast<std::int64_t>(i),
                            .control = control.name,
                            .option = control.options[i]});
    }
    ++choices;
  }
  return bindings;
}

}  // namespace zithercraft
