#include "config/config.hpp"

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
