#pragma once

// Values of JSON as our code builds and reads them. The library that reads and writes their text
// costs seconds in every file that includes it, so one file does.

#include <concepts>
#include <cstdint>
#include <initializer_list>
#include <map>
#include <ranges>
#include <stdexcept>
#include <string>
#include <string_view>
#include <type_traits>
#include <utility>
#include <variant>
#include <vector>

namespace zithercraft {

/// What a text or a value of JSON is not.
struct JsonError : std::runtime_error {
  using std::runtime_error::runtime_error;
};

/// A value of JSON. Members of an object keep the order in which they were set. Types of one's own
/// in lists are converted by `json_of(item)`, and read by `from_json(json, item)`; structs have
/// both once their members are listed, see json_members.hpp.
class Json {
 public:
  using List = std::vector<Json>;
  using Member = std::pair<std::string, Json>;
  using Members = std::vector<Member>;

  Json() = default;  // null
  Json(bool value) : value_(value) {}
  template <std::signed_integral T>
  Json(T value) : value_(static_cast<std::int64_t>(value)) {}
  template <std::unsigned_integral T>
  requires(!std::same_as<T, bool>) Json(T value) : value_(static_cast<std::uint64_t>(value)) {}
  template <std::floating_point T>
  Json(T value) : value_(static_cast<double>(value)) {}
  template <class T>
  requires std::is_enum_v<T> Json(T value) : Json(static_cast<std::underlying_type_t<T>>(value)) {}
  Json(std::string value) : value_(std::move(value)) {}
  Json(std::string_view value) : value_(std::string(value)) {}
  Json(const char* value) : value_(std::string(value)) {}
  Json(const std::map<std::string, std::string>& texts);
  template <std::ranges::input_range R>
  requires(!std::convertible_to<R, std::string_view> && !std::same_as<std::decay_t<R>, Json>)
      Json(const R& items)
      : value_(List{}) {
    for (const auto& item : items) push_back(of(item));
  }
  /// An object if every item is a list of a text and a value, else a list.
  Json(std::initializer_list<Json> items);

  /// An item's value: by `json_of(item)` where there is such a function.
  template <class T>
  static Json of(const T& item) {
    if constexpr (requires { json_of(item); })
      return json_of(item);
    else
      return Json(item);
  }

  static Json array() { return Json(Kind(List{})); }
  static Json object() { return Json(Kind(Members{})); }
  /// The value that a text holds. Throws JsonError, also where it is nested more than 64 deep.
  static Json parse(std::string_view text);

  /// Its text, without line breaks or with so many spaces for each level. Numbers that are not
  /// finite become null, and bytes that are no UTF-8 its mark of replacement.
  std::string dump(int indent = -1) const;
  /// The same with the members of all objects in the order of their names.
  Json sorted() const;

  bool is_null() const { return std::holds_alternative<std::monostate>(value_); }
  bool empty() const { return size() == 0; }
  /// Items of a list or members of an object; 0 of null and 1 of others.
  std::size_t size() const;
  bool contains(std::string_view name) const;

  /// The member of that name, which is made where there is none; null becomes an object.
  Json& operator[](std::string_view name);
  Json& operator[](const char* name) { return (*this)[std::string_view(name)]; }
  Json& operator[](const std::string& name) { return (*this)[std::string_view(name)]; }
  /// The member of that name. Throws JsonError where there is none.
  const Json& at(std::string_view name) const;
  const Json& at(std::size_t index) const;
  Json& back();

  /// Adds to a list; null becomes one.
  Json& push_back(Json item);
  /// Adds a member to an object without looking whether there is one of that name.
  void add(std::string name, Json value);

  const List& items() const;
  const Members& members() const;
  List::const_iterator begin() const { return items().begin(); }
  List::const_iterator end() const { return items().end(); }

  /// What it holds as a bool, number, text, list or map. Throws JsonError where it is something
  /// else, or a number out of range.
  template <class T>
  T get() const {
    T value{};
    read(value);
    return value;
  }

  /// What the visitor makes of what it holds.
  template <class Visitor>
  auto visit(const Visitor& visitor) const {
    return std::visit(visitor, value_);
  }

  bool operator==(const Json&) const = default;

 private:
  using Kind = std::variant<std::monostate, bool, std::int64_t, std::uint64_t, double, std::string,
                            List, Members>;
  explicit Json(Kind value) : value_(std::move(value)) {}

  void read(bool& value) const;
  void read(std::string& value) const;
  void read(double& value) const;
  void read(float& value) const { value = static_cast<float>(get<double>()); }
  void read(std::map<std::string, std::string>& texts) const;
  template <std::integral T>
  void read(T& value) const {
    const auto* low = std::get_if<std::int64_t>(&value_);
    const auto* high = std::get_if<std::uint64_t>(&value_);
    if (low && std::in_range<T>(*low))
      value = static_cast<T>(*low);
    else if (high && std::in_range<T>(*high))
      value = static_cast<T>(*high);
    else
      throw JsonError("no whole number that fits");
  }
  template <class T>
  void read(std::vector<T>& list) const {
    for (const Json& item : items()) list.push_back(item.get<T>());
  }
  template <class T>
  void read(T& value) const {
    from_json(*this, value);
  }

  Kind value_;
};

}  // namespace zithercraft
