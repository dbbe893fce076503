#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <variant>
#include <vector>

namespace zithercraft {

/// A value that a key can be set to: true or false, a number, a text, or a list of these.
struct Value {
  /// Several in a row.
  using List = std::vector<Value>;
  std::variant<bool, std::int64_t, double, std::string, List> held = false;  ///< what it is

  Value() = default;
  /// Yes or no.
  Value(bool value) : held(value) {}
  /// A whole number.
  Value(int value) : held(static_cast<std::int64_t>(value)) {}
  /// A whole number.
  Value(std::int64_t value) : held(value) {}
  /// A number.
  Value(double value) : held(value) {}
  /// A text.
  Value(const char* value) : held(std::string(value)) {}
  /// A text.
  Value(std::string value) : held(std::move(value)) {}
  /// Several in a row.
  Value(List value) : held(std::move(value)) {}
  bool operator==(const Value&) const = default;
};

}  // namespace zithercraft
