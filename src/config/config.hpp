#pragma once

// Reads and writes plain structs as TOML from one description of their fields.
//
// For each struct S there is a function template `describe(visitor, S&)` that calls `visitor(key,
// field, rule)` for each field. `TomlReader` and `TomlWriter` are the visitors; so reading,
// writing, the list of known keys and the checks of ranges cannot drift apart.

#include <toml++/toml.h>

#include <array>
#include <concepts>
#include <cstdint>
#include <limits>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/base/value.hpp"

namespace zithercraft::config {

/// What a value must satisfy beyond its type.
struct Rule {
  double low = -std::numeric_limits<double>::infinity();
  double high = std::numeric_limits<double>::infinity();
  bool above_low = false;  // low itself is not allowed
  bool needed = false;     // the key must be present
};
constexpr Rule needed() { return {.needed = true}; }
constexpr Rule positive() { return {.low = 0.0, .above_low = true}; }
constexpr Rule at_least(double low) { return {.low = low}; }
constexpr Rule between(double low, double high) { return {.low = low, .high = high}; }

/// A field type that has a TOML form of its own (for callables: a marker).
template <class T>
concept HasTomlForm = requires(T& t, const toml::node& node) {
  { t.to_toml() } -> std::same_as<std::string>;
  { t.from_toml(std::string{}) } -> std::same_as<bool>;
};

/// The words an enumeration is written as; specialised beside the enumeration's struct, as `static
/// constexpr std::array` of (word, value) pairs named `list`.
template <class Enum>
struct Words;

template <class T>
concept Worded = std::is_enum_v<T> && requires {
  Words<T>::list;
};

std::string describe_type(const toml::node& node);
std::string position_of(const toml::node& node, const std::string& source);

/// Throws unless `value` keeps the rule. `where` names the key.
void check_rule(double value, const Rule& rule, const std::string& where);

/// The value of a node. Throws, naming `where`, for tables and dates, which cannot be one.
Value value_of(const toml::node& node, const std::string& where);

/// Sets the value that a key path names: "arena.bodies.crab.mass" = 3.0. Parts of lists are named
/// by their `name` or by a number in brackets. Keys that are not there yet are added to the table
/// that should hold them. Throws, naming `where`, if the path leads nowhere.
void set_key(toml::table& table, const std::string& path, const Value& value,
             const std::string& where);

class TomlReader {
 public:
  TomlReader(const toml::table& table, std::string path, const std::string& source)
      : table_(table), path_(std::move(path)), source_(source) {}

  template <class T>
  void operator()(std::string_view key, T& field, const Rule& rule = {}) {
    if (const toml::node* node = claim(key, rule)) read(*node, join(key), field, rule);
  }

  /// Throws if the table holds a key that no field has claimed.
  void finish(std::string_view also_known = {}) const;

 private:
  // What needs no knowledge of types is compiled once.
  const toml::node* claim(std::string_view key, const Rule& rule);
  std::string join(std::string_view key) const;
  std::string place(const toml::node& node, const std::string& path) const;
  [[noreturn]] void wrong_type(const toml::node& node, const std::string& path,
                               const std::string& expected) const;
  const std::string& text_of(const toml::node& node, const std::string& path) const;
  const toml::array& list_of(const toml::node& node, const std::string& path) const;
  const toml::table& table_of(const toml::node& node, const std::string& path) const;
  // Throws unless it is one of the kinds. Gives its name.
  const std::string& kind_of(const toml::table& table, const std::string& path,
                             const std::vector<std::string>& kinds) const;
  [[noreturn]] void unknown_value(const toml::node& node, const std::string& path,
                                  const std::vector<std::string>& known) const;

  void read(const toml::node& node, const std::string& path, bool& field, const Rule& rule) const;
  void read(const toml::node& node, const std::string& path, std::int64_t& field,
            const Rule& rule) const;
  void read(const toml::node& node, const std::string& path, double& field, const Rule& rule) const;
  void read(const toml::node& node, const std::string& path, std::string& field,
            const Rule& rule) const;
  void read(const toml::node& node, const std::string& path, Value& field, const Rule& rule) const;
  template <Worded Enum>
  void read(const toml::node& node, const std::string& path, Enum& field, const Rule&) const {
    const std::string& text = text_of(node, path);
    std::vector<std::string> words;
    for (const auto& [word, meaning] : Words<Enum>::list) {
      words.emplace_back(word);
      if (text == word) {
        field = meaning;
        return;
      }
    }
    unknown_value(node, path, words);
  }
  template <HasTomlForm T>
  void read(const toml::node& node, const std::string& path, T& field, const Rule&) const {
    if (!field.from_toml(text_of(node, path))) unknown_value(node, path, T::known_values());
  }
  template <class T, std::size_t N>
  void read(const toml::node& node, const std::string& path, std::array<T, N>& field,
            const Rule& rule) const {
    const auto* list = node.as_array();
    if (list == nullptr || list->size() != N)
      wrong_type(node, path, "a list of " + std::to_string(N));
    for (std::size_t i = 0; i < N; ++i)
      read((*list)[i], path + "[" + std::to_string(i) + "]", field[i], rule);
  }
  template <class T>
  void read(const toml::node& node, const std::string& path, std::vector<T>& field,
            const Rule& rule) const {
    const toml::array& list = list_of(node, path);
    field.assign(list.size(), T{});
    for (std::size_t i = 0; i < field.size(); ++i)
      read(list[i], path + "[" + std::to_string(i) + "]", field[i], rule);
  }
  template <class T>
  void read(const toml::node& node, const std::string& path, std::map<std::string, T>& field,
            const Rule& rule) const {
    const toml::table& table = table_of(node, path);
    field.clear();
    for (const auto& [key, value] : table) {
      const std::string name(key.str());
      std::string inner = path;
      inner.append(".").append(name);
      read(value, inner, field[name], rule);
    }
  }
  template <class T>
  void read(const toml::node& node, const std::string& path, std::optional<T>& field,
            const Rule& rule) const {
    read(node, path, field.emplace(), rule);
  }
  template <class... Kinds>
  void read(const toml::node& node, const std::string& path, std::variant<Kinds...>& field,
            const Rule&) const {
    const toml::table& table = table_of(node, path);
    const std::string& kind = kind_of(table, path, {std::string(Kinds::kind)...});
    (read_kind<Kinds>(table, path, kind, field) || ...);
  }
  template <class Kind, class Variant>
  bool read_kind(const toml::table& table, const std::string& path, const std::string& kind,
                 Variant& field) const {
    if (kind != Kind::kind) return false;
    TomlReader inner(table, path, source_);
    Kind value{};
    describe(inner, value);
    inner.finish("kind");
    field = std::move(value);
    return true;
  }
  template <class Struct>
  requires(std::is_class_v<Struct> &&
           !HasTomlForm<Struct>) void read(const toml::node& node, const std::string& path,
                                           Struct& field, const Rule&) const {
    TomlReader inner(table_of(node, path), path, source_);
    describe(inner, field);
    inner.finish();
  }

  const toml::table& table_;
  std::string path_;
  const std::string& source_;
  std::vector<std::string> known_;
};

/// Lists the keys of a struct, also those whose field is empty.
class KeyLister {
 public:
  template <class T>
  void operator()(std::string_view key, T&, const Rule& = {}) {
    keys.emplace_back(key);
  }
  std::vector<std::string> keys;
};

/// Puts a value into a table.
void insert_value(toml::table& table, std::string_view key, bool value);
void insert_value(toml::table& table, std::string_view key, std::int64_t value);
void insert_value(toml::table& table, std::string_view key, double value);
void insert_value(toml::table& table, std::string_view key, const std::string& value);
void insert_value(toml::table& table, std::string_view key, const Value& value);
void insert_value(toml::table& table, std::string_view key, toml::table value);
void insert_value(toml::table& table, std::string_view key, toml::array value);
/// Adds a value to a list.
void add_value(toml::array& list, bool value);
void add_value(toml::array& list, std::int64_t value);
void add_value(toml::array& list, double value);
void add_value(toml::array& list, const std::string& value);
void add_value(toml::array& list, const Value& value);
void add_value(toml::array& list, toml::table value);
void add_value(toml::array& list, toml::array value);

class TomlWriter {
 public:
  template <class T>
  void operator()(std::string_view key, const T& field, const Rule& = {}) {
    if constexpr (requires { field.has_value(); }) {
      if (field.has_value()) (*this)(key, *field);
    } else if constexpr (HasTomlForm<T>) {
      if (!field.to_toml().empty()) insert_value(table, key, field.to_toml());
    } else if constexpr (Worded<T>) {
      for (const auto& [word, meaning] : Words<T>::list)
        if (meaning == field) insert_value(table, key, std::string(word));
    } else {
      put(key, field);
    }
  }

  template <class Struct>
  static toml::table to_table(const Struct& value) {
    TomlWriter writer;
    Struct copy = value;  // `describe` takes its subject by reference for the reader's sake
    describe(writer, copy);
    return std::move(writer.table);
  }

  toml::table table;

 private:
  template <class T>
  static constexpr bool plain =
      std::is_arithmetic_v<T> || std::is_same_v<T, std::string> || std::is_same_v<T, Value>;

  template <class T>
  void put(std::string_view key, const T& field) {
    if constexpr (plain<T>)
      insert_value(table, key, field);
    else
      insert_value(table, key, node_of(field));
  }
  template <class Struct>
  static toml::table node_of(const Struct& value) {
    return to_table(value);
  }
  template <class... Kinds>
  static toml::table node_of(const std::variant<Kinds...>& field) {
    return std::visit(
        [](const auto& value) {
          auto inner = to_table(value);
          insert_value(inner, "kind", std::string(value.kind));
          return inner;
        },
        field);
  }
  template <class T>
  static toml::table node_of(const std::map<std::string, T>& field) {
    TomlWriter inner;
    for (const auto& [key, value] : field) inner.put(key, value);
    return std::move(inner.table);
  }
  template <class T>
  static toml::array node_of(const std::vector<T>& field) {
    return list_of(field);
  }
  template <class T, std::size_t N>
  static toml::array node_of(const std::array<T, N>& field) {
    return list_of(field);
  }
  template <class List>
  static toml::array list_of(const List& field) {
    toml::array list;
    for (const auto& item : field) {
      if constexpr (plain<std::decay_t<decltype(item)>>)
        add_value(list, item);
      else
        add_value(list, node_of(item));
    }
    return list;
  }
};

/// Parses TOML text; `source` names it in errors (a file name, or "text").
toml::table parse_toml(std::string_view text, const std::string& source);

/// The table as TOML text, keys in alphabetical order, numbers in their shortest exact form.
std::string toml_text(const toml::table& table);

/// The first key path whose values differ, with both values: "roles[0].senses[0].rays: 24 here, 16
/// there". Empty if equal.
std::string first_difference(const toml::table& here, const toml::table& there);

/// Reads the whole table into `value`; every key must be known.
template <class Struct>
void read_struct(const toml::table& table, Struct& value, const std::string& source) {
  TomlReader reader(table, "", source);
  describe(reader, value);
  reader.finish();
}

}  // namespace zithercraft::config
