#include "config/key_path.hpp"

#include "config/config.hpp"

namespace zithercraft::config {
namespace {

class PathSetter {
 public:
  PathSetter(const std::string& path, const std::string& where) : path_(path), where_(where) {}

  void set(toml::table& root, const Value& value) {
    const auto steps = key_steps(path_, where_);
    if (steps.empty() || steps.front().index >= 0) nowhere("begin with a key");
    toml::node* at = &root;
    for (std::size_t i = 0; i + 1 < steps.size(); ++i) at = &enter(*at, steps[i]);
    if (auto* table = at->as_table(); table != nullptr && steps.back().index < 0) {
      insert_value(*table, steps.back().word, value);
    } else if (auto* list = at->as_array(); list != nullptr && steps.back().index >= 0) {
      enter(*list, steps.back());  // that it is there
      toml::table holder;
      insert_value(holder, "value", value);
      const auto index = static_cast<std::size_t>(steps.back().index);
      list->erase(list->begin() + static_cast<std::ptrdiff_t>(index));
      list->insert(list->begin() + static_cast<std::ptrdiff_t>(index),
                   std::move(*holder.get("value")));
    } else {
      nowhere("name one of its keys");
    }
  }

 private:
  [[noreturn]] void nowhere(const std::string& fix) const {
    throw Error(ErrorKind::spec, "the key '" + path_ + "' leads nowhere", where_, fix);
  }

  toml::node& enter(toml::node& at, const KeyStep& step) const {
    if (auto* table = at.as_table()) {
      if (step.index >= 0) nowhere("this is no list; name a key instead of a number");
      if (auto* inner = table->get(step.word)) return *inner;
      std::vector<std::string> keys;
      for (const auto& [key, node] : *table) keys.emplace_back(key.str());
      nowhere(advice(step.word, keys));
    }
    auto* list = at.as_array();
    if (list == nullptr) nowhere("'" + step.word + "' is asked of something that holds nothing");
    if (step.index >= 0) {
      if (static_cast<std::size_t>(step.index) >= list->size())
        nowhere("the list has " + std::to_string(list->size()) + " entries, counted from 0");
      return *list->get(static_cast<std::size_t>(step.index));
    }
    std::vector<std::string> names;
    for (toml::node& item : *list) {
      const auto* table = item.as_table();
      const auto* name = table == nullptr ? nullptr : table->get_as<std::string>("name");
      if (name == nullptr) continue;
      if (name->get() == step.word) return item;
      names.push_back(name->get());
    }
    nowhere(names.empty() ? "say which of the list, as in list[0]" : advice(step.word, names));
  }

  const std::string& path_;
  const std::string& where_;
};

}  // namespace

std::vector<KeyStep> key_steps(const std::string& path, const std::string& where) {
  std::vector<KeyStep> steps;
  std::string word;
  const auto flush = [&] {
    if (!word.empty()) steps.push_back({word, -1});
    word.clear();
  };
  for (std::size_t i = 0; i < path.size(); ++i) {
    if (path[i] == '.') {
      flush();
    } else if (path[i] == '[') {
      flush();
      const std::size_t close = path.find(']', i);
      const std::string digits =
          close == std::string::npos ? "" : path.substr(i + 1, close - i - 1);
      if (digits.empty() || digits.size() > 6 ||
          digits.find_first_not_of("0123456789") != std::string::npos)
        throw Error(ErrorKind::spec, "the key '" + path + "' has a bracket without a number", where,
                    "write it as list[0]");
      steps.push_back({{}, std::stoll(digits)});
      i = close;
    } else {
      word += path[i];
    }
  }
  flush();
  return steps;
}

void set_key(toml::table& table, const std::string& path, const Value& value,
             const std::string& where) {
  PathSetter(path, where).set(table, value);
}

Value value_of(const toml::node& node, const std::string& where) {
  if (const auto* value = node.as_boolean()) return value->get();
  if (const auto* value = node.as_integer()) return value->get();
  if (const auto* value = node.as_floating_point()) return value->get();
  if (const auto* value = node.as_string()) return value->get();
  if (const auto* list = node.as_array()) {
    Value::List items;
    for (const toml::node& item : *list) items.push_back(value_of(item, where));
    return items;
  }
  throw Error(
      ErrorKind::spec,
      "expected a number, a text, true, false or a list of these, found " + describe_type(node),
      where, "change the value");
}

}  // namespace zithercraft::config
