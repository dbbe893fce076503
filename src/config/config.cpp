#include "config/config.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <sstream>

namespace zithercraft::config {
namespace {

using Flat = std::map<std::string, std::string>;

void flatten(const toml::node& node, const std::string& path, Flat& out) {
  if (const auto* table = node.as_table()) {
    for (const auto& [key, value] : *table)
      flatten(value, path.empty() ? std::string(key.str()) : path + "." + std::string(key.str()),
              out);
  } else if (const auto* list = node.as_array()) {
    for (std::size_t i = 0; i < list->size(); ++i)
      flatten((*list)[i], path + "[" + std::to_string(i) + "]", out);
  } else {
    std::ostringstream text;
    node.visit([&](const auto& value) {
      if constexpr (toml::is_value<decltype(value)>) text << value;
    });
    out[path] = text.str();
  }
}

std::string number_text(double value) {
  std::ostringstream text;
  text << value;
  return text.str();
}

}  // namespace

std::string describe_type(const toml::node& node) {
  switch (node.type()) {
    case toml::node_type::table: return "a table";
    case toml::node_type::array: return "a list of " + std::to_string(node.as_array()->size());
    case toml::node_type::string: return "the text '" + node.as_string()->get() + "'";
    case toml::node_type::integer:
      return "the whole number " + std::to_string(node.as_integer()->get());
    case toml::node_type::floating_point:
      return "the number " + number_text(node.as_floating_point()->get());
    case toml::node_type::boolean: return node.as_boolean()->get() ? "true" : "false";
    default: return "a date or time";
  }
}

std::string position_of(const toml::node& node, const std::string& source) {
  const auto line = node.source().begin.line;
  return line == 0 ? source : source + ":" + std::to_string(line);
}

void check_rule(double value, const Rule& rule, const std::string& where) {
  if (!std::isfinite(value))
    throw Error(ErrorKind::spec, "the number is not finite", where, "give a finite number");
  if (value < rule.low || (rule.above_low && value == rule.low))
    throw Error(ErrorKind::spec, number_text(value) + " is too small", where,
                std::string("give a number ") + (rule.above_low ? "above " : "of at least ") +
                    number_text(rule.low));
  if (value > rule.high)
    throw Error(ErrorKind::spec, number_text(value) + " is too large", where,
                "give a number of at most " + number_text(rule.high));
}

void TomlReader::finish(std::string_view also_known) const {
  for (const auto& [key, node] : table_) {
    const std::string name(key.str());
    if (name == also_known) continue;
    if (std::find(known_.begin(), known_.end(), name) == known_.end())
      throw Error(ErrorKind::spec, "unknown key '" + name + "'", place(node, join(name)),
                  advice(name, known_));
  }
}

const toml::node* TomlReader::claim(std::string_view key, const Rule& rule) {
  known_.emplace_back(key);
  const toml::node* node = table_.get(key);
  if (node == nullptr && rule.needed)
    throw Error(ErrorKind::spec, "the key '" + std::string(key) + "' is missing",
                place(table_, path_), "add it");
  return node;
}

std::string TomlReader::join(std::string_view key) const {
  return path_.empty() ? std::string(key) : path_ + "." + std::string(key);
}

std::string TomlReader::place(const toml::node& node, const std::string& path) const {
  return position_of(node, source_) + (path.empty() ? "" : " (" + path + ")");
}

void TomlReader::wrong_type(const toml::node& node, const std::string& path,
                            const std::string& expected) const {
  throw Error(ErrorKind::spec, "expected " + expected + ", found " + describe_type(node),
              place(node, path), "change the value");
}

void TomlReader::unknown_value(const toml::node& node, const std::string& path,
                               const std::vector<std::string>& known) const {
  const std::string& text = text_of(node, path);
  throw Error(ErrorKind::spec, "unknown value '" + text + "'", place(node, path),
              advice(text, known));
}

const std::string& TomlReader::text_of(const toml::node& node, const std::string& path) const {
  const auto* text = node.as_string();
  if (text == nullptr) wrong_type(node, path, "a text");
  return text->get();
}

const toml::array& TomlReader::list_of(const toml::node& node, const std::string& path) const {
  const auto* list = node.as_array();
  if (list == nullptr) wrong_type(node, path, "a list");
  return *list;
}

const toml::table& TomlReader::table_of(const toml::node& node, const std::string& path) const {
  const auto* table = node.as_table();
  if (table == nullptr) wrong_type(node, path, "a table");
  return *table;
}

const std::string& TomlReader::kind_of(const toml::table& table, const std::string& path,
                                       const std::vector<std::string>& kinds) const {
  const auto* kind = table.get_as<std::string>("kind");
  if (kind == nullptr)
    throw Error(ErrorKind::spec, "the key 'kind' is missing", place(table, path),
                "choose one of " + listed(kinds));
  if (std::find(kinds.begin(), kinds.end(), kind->get()) == kinds.end())
    throw Error(ErrorKind::spec, "unknown kind '" + kind->get() + "'", place(*kind, path + ".kind"),
                advice(kind->get(), kinds));
  return kind->get();
}

void TomlReader::read(const toml::node& node, const std::string& path, bool& field,
                      const Rule&) const {
  const auto* value = node.as_boolean();
  if (value == nullptr) wrong_type(node, path, "true or false");
  field = value->get();
}

void TomlReader::read(const toml::node& node, const std::string& path, std::int64_t& field,
                      const Rule& rule) const {
  const auto* value = node.as_integer();
  if (value == nullptr) wrong_type(node, path, "a whole number");
  field = value->get();
  check_rule(static_cast<double>(field), rule, place(node, path));
}

void TomlReader::read(const toml::node& node, const std::string& path, double& field,
                      const Rule& rule) const {
  if (const auto* whole = node.as_integer()) {
    field = static_cast<double>(whole->get());
  } else if (const auto* value = node.as_floating_point()) {
    field = value->get();
  } else {
    wrong_type(node, path, "a number");
  }
  check_rule(field, rule, place(node, path));
}

void TomlReader::read(const toml::node& node, const std::string& path, std::string& field,
                      const Rule&) const {
  field = text_of(node, path);
}

void TomlReader::read(const toml::node& node, const std::string& path, Value& field,
                      const Rule&) const {
  field = value_of(node, place(node, path));
}

void insert_value(toml::table& table, std::string_view key, bool value) {
  table.insert_or_assign(key, value);
}
void insert_value(toml::table& table, std::string_view key, std::int64_t value) {
  table.insert_or_assign(key, value);
}
void insert_value(toml::table& table, std::string_view key, double value) {
  table.insert_or_assign(key, value);
}
void insert_value(toml::table& table, std::string_view key, const std::string& value) {
  table.insert_or_assign(key, value);
}
void insert_value(toml::table& table, std::string_view key, toml::table value) {
  table.insert_or_assign(key, std::move(value));
}
void insert_value(toml::table& table, std::string_view key, toml::array value) {
  table.insert_or_assign(key, std::move(value));
}

void add_value(toml::array& list, bool value) { list.push_back(value); }
void add_value(toml::array& list, std::int64_t value) { list.push_back(value); }
void add_value(toml::array& list, double value) { list.push_back(value); }
void add_value(toml::array& list, const std::string& value) { list.push_back(value); }
void add_value(toml::array& list, toml::table value) { list.push_back(std::move(value)); }
void add_value(toml::array& list, toml::array value) { list.push_back(std::move(value)); }

static toml::array array_of(const Value::List& items) {
  toml::array list;
  for (const Value& item : items) add_value(list, item);
  return list;
}
void insert_value(toml::table& table, std::string_view key, const Value& value) {
  std::visit(
      [&](const auto& held) {
        if constexpr (std::is_same_v<std::decay_t<decltype(held)>, Value::List>)
          insert_value(table, key, array_of(held));
        else
          insert_value(table, key, held);
      },
      value.held);
}
void add_value(toml::array& list, const Value& value) {
  std::visit(
      [&](const auto& held) {
        if constexpr (std::is_same_v<std::decay_t<decltype(held)>, Value::List>)
          add_value(list, array_of(held));
        else
          add_value(list, held);
      },
      value.held);
}

toml::table parse_toml(std::string_view text, const std::string& source) {
  try {
    return toml::parse(text, source);
  } catch (const toml::parse_error& error) {
    throw Error(ErrorKind::spec, "not valid TOML: " + std::string(error.description()),
                source + ":" + std::to_string(error.source().begin.line), "fix the syntax there");
  }
}

std::string toml_text(const toml::table& table) {
  std::ostringstream out;
  out << table << '\n';
  return out.str();
}

std::string first_difference(const toml::table& here, const toml::table& there) {
  Flat a, b;
  flatten(here, "", a);
  flatten(there, "", b);
  const auto shown = [](const Flat& flat, const std::string& key) {
    const auto found = flat.find(key);
    return found == flat.end() ? std::string("nothing") : found->second;
  };
  Flat both = a;
  both.insert(b.begin(), b.end());
  for (const auto& [key, value] : both)
    if (shown(a, key) != shown(b, key))
      return key + ": " + shown(a, key) + " here, " + shown(b, key) + " there";
  return {};
}

}  // namespace zithercraft::config
