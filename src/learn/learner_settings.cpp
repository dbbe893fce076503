#include "zithercraft/learn/learner_settings.hpp"

#include <algorithm>
#include <cctype>
#include <utility>
#include <vector>

#include "learn/settings_model.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/learn/ppo.hpp"

namespace zithercraft {
namespace {

[[noreturn]] void unknown(const std::string& key, const std::vector<std::string>& known,
                          const std::string& where) {
  throw Error(ErrorKind::spec, "the learner has no setting '" + key + "'", where,
              known.empty() ? "this method has no settings" : advice(key, known));
}

// Settings without a struct. A value keeps the type of its default; whole numbers may stand for
// fractions.
class ListModel final : public SettingsModel {
 public:
  ListModel(std::string method, KeyValues values)
      : method_(std::move(method)), values_(std::move(values)) {}
  const std::string& method() const noexcept override { return method_; }
  toml::table table() const override {
    toml::table table;
    for (const auto& [key, value] : values_) insert_value(table, key, value);
    return table;
  }
  std::vector<std::string> keys() const override {
    std::vector<std::string> keys;
    for (const auto& [key, value] : values_) keys.push_back(key);
    return keys;
  }
  std::shared_ptr<const SettingsModel> read(const toml::table& table,
                                            const std::string& source) const override {
    KeyValues changed = values_;
    for (const auto& [key, node] : table) {
      const std::string name(key.str()), where = position_of(node, source) + " (" + name + ")";
      const auto found = changed.find(name);
      if (found == changed.end()) unknown(name, keys(), where);
      Value value = value_of(node, where);
      if (const auto* whole = std::get_if<std::int64_t>(&value.held);
          whole != nullptr && std::holds_alternative<double>(found->second.held))
        value = static_cast<double>(*whole);
      if (value.held.index() != found->second.held.index())
        throw Error(
            ErrorKind::spec,
            "'" + text_of(value) + "' is of another type than '" + text_of(found->second) + "'",
            where, "change the value");
      found->second = std::move(value);
    }
    return std::make_shared<ListModel>(method_, std::move(changed));
  }
  const void* held_as(const std::type_info& type) const noexcept override {
    return type == typeid(KeyValues) ? &values_ : nullptr;
  }

 private:
  std::string method_;
  KeyValues values_;
};

}  // namespace

LearnerSettings::LearnerSettings() : LearnerSettings(PolicyGradientSettings{}) {}
LearnerSettings::LearnerSettings(std::string method, KeyValues values)
    : model_(std::make_shared<ListModel>(std::move(method), std::move(values))) {}
LearnerSettings::LearnerSettings(std::shared_ptr<const SettingsModel> model)
    : model_(std::move(model)) {}

const std::string& LearnerSettings::method() const noexcept { return model_->method(); }

const void* LearnerSettings::held_as(const std::type_info& type) const {
  if (const void* held = model_->held_as(type)) return held;
  throw Error(ErrorKind::usage, "these are settings of the method " + method(), "LearnerSettings",
              "ask for the struct of that method");
}

KeyValues LearnerSettings::values() const {
  KeyValues values;
  for (const auto& [key, node] : model_->table()) {
    const auto* list = node.as_array();
    if (list != nullptr && !list->empty() && list->front().is_table()) continue;
    values[std::string(key.str())] = value_of(node, std::string(key.str()));
  }
  return values;
}

bool LearnerSettings::has(const std::string& key) const {
  const std::vector<std::string> keys = model_->keys();
  return std::find(keys.begin(), keys.end(), key) != keys.end();
}

void LearnerSettings::set(const std::string& key, const Value& value, const std::string& where) {
  toml::table table = model_->table();
  if (!has(key)) unknown(key, model_->keys(), where);
  insert_value(table, key, value);
  model_ = model_->read(table, where);
}

void LearnerSettings::set(const std::string& assignment) {
  std::string shown = assignment;
  std::replace_if(
      shown.begin(), shown.end(), [](unsigned char c) { return std::iscntrl(c) != 0; }, ' ');
  const std::string where = "the setting '" + shown + "'";
  const std::size_t equals = assignment.find('=');
  if (equals == std::string::npos || equals == 0)
    throw Error(ErrorKind::spec, "a setting is given as KEY=VALUE", where,
                "write it like memory=64");
  set(assignment.substr(0, equals), parse_value(assignment.substr(equals + 1), where), where);
}

bool operator==(const LearnerSettings& a, const LearnerSettings& b) {
  return a.model_ == b.model_ ||
         (a.method() == b.method() && a.model_->table() == b.model_->table());
}

}  // namespace zithercraft
