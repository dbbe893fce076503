#pragma once

// Settings of any method behind one face: see learner_settings.hpp.

#include <memory>
#include <string>
#include <typeinfo>
#include <vector>

#include "config/config.hpp"
#include "zithercraft/learn/learner_settings.hpp"

namespace zithercraft {
using namespace config;

class SettingsModel {
 public:
  virtual ~SettingsModel() = default;
  virtual const std::string& method() const noexcept = 0;
  virtual toml::table table() const = 0;
  // Of all settings, also of those that are not set.
  virtual std::vector<std::string> keys() const = 0;
  // The same method's settings with what a table says; what it leaves out stays as it is here.
  virtual std::shared_ptr<const SettingsModel> read(const toml::table& table,
                                                    const std::string& source) const = 0;
  // The method's own struct; null if it is of another type.
  virtual const void* held_as(const std::type_info& type) const noexcept = 0;
};

/// A struct whose fields are described.
template <class Settings>
class StructModel final : public SettingsModel {
 public:
  StructModel(std::string method, Settings settings)
      : method_(std::move(method)), settings_(std::move(settings)) {}
  const std::string& method() const noexcept override { return method_; }
  toml::table table() const override { return TomlWriter::to_table(settings_); }
  std::vector<std::string> keys() const override {
    KeyLister lister;
    Settings copy = settings_;
    describe(lister, copy);
    return std::move(lister.keys);
  }
  std::shared_ptr<const SettingsModel> read(const toml::table& table,
                                            const std::string& source) const override {
    Settings changed = settings_;
    read_struct(table, changed, source);
    return std::make_shared<StructModel>(method_, std::move(changed));
  }
  const void* held_as(const std::type_info& type) const noexcept override {
    return type == typeid(Settings) ? &settings_ : nullptr;
  }

 private:
  std::string method_;
  Settings settings_;
};

inline toml::table table_of(const LearnerSettings& settings) { return settings.model().table(); }
/// Settings of the method of `usual`, as a table has them.
inline LearnerSettings read_settings(const LearnerSettings& usual, const toml::table& table,
                                     const std::string& source) {
  return LearnerSettings(usual.model().read(table, source));
}

}  // namespace zithercraft
