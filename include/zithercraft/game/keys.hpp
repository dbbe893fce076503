#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "zithercraft/base/signature.hpp"

/// Which keys and gamepad parts a person steers a role with.
namespace zithercraft {

/// One key, gamepad axis or gamepad button that works a control.
///
/// A dial is the sum of what its held keys and its axes say, kept in its range. A choice takes the
/// option of what was pressed last and is still held; with nothing held, the option that sets its
/// inputs to 0, or else the first.
struct KeyBinding {
  /// A key by the name that the W3C's "UI Events KeyboardEvent code Values" gives it: "KeyW",
  /// "ArrowUp", "Space".
  std::string key{};
  /// Or a gamepad's axis or button by its number in the W3C's "Gamepad": 0 to 15, 0 to 31.
  std::optional<std::int64_t> axis{}, button{};
  std::string control{};  ///< a control of the role
  double value = 1.0;  ///< what a held key or a full axis adds to a dial; an axis chooses an option
                       ///< beyond half of it
  std::string option{};  ///< of a choice
  bool operator==(const KeyBinding&) const = default;
};

/// All keys that can be bound.
const std::vector<std::string>& known_keys();
/// Whether a key has that name.
bool is_key(std::string_view name);

/// Bindings for a role whose game gives none: for dials a pair of keys each (arrows up and down,
/// left and right, W and S, A and D, and so on), for choices a row of keys each (1 2 3 ..., Q W E
/// ..., A S D ..., Z X C ...).
std::vector<KeyBinding> default_bindings(const std::vector<ControlInfo>& controls);

}  // namespace zithercraft
