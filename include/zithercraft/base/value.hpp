#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <variant>
#include <vector>

namespace zithercraft {

/// A value that a key can be set to: true or false, a number, a text, or a list of these.
struct Value {
  using List = std::vector<Value>;
  std::variant<bool, std::int64_t, double, std::string, List> held = false;

  Value() = default;
  Value(bool value) : held(value) {}
  Value(int value) : held(static_cast<std::int64_t>(value)) {}
  Value(std::int64_t value) : held(value) {}
  Value(double value) : held(value) {}
  Value(const char* value) : held(std::string(value)) {}
  Value(std::string value) : held(std::move(value)) {}
  Value(List value) : held(std::move(value)) {}
  bool operator==(const Value&) const = default;
};

}  // namespace zithercraft
