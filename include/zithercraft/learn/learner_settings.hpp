#pragma once

#include <concepts>
#include <memory>
#include <string>
#include <typeinfo>

#include "zithercraft/game/overrides.hpp"

namespace zithercraft {

/// What LearnerSettings hold: the settings of one method, as a struct with described fields.
class SettingsModel;

/// A struct of settings that a method of learning has described, so that LearnerSettings can hold
/// it.
template <class Settings>
concept DescribedSettings = requires(const Settings& settings) {
  { settings_model(settings) } -> std::convertible_to<std::shared_ptr<const SettingsModel>>;
};

/// The settings of a learner, whichever its method is: a value that is made of the method's own
/// struct, read and changed by name, compared, and written to a run's configuration.
///
///     LearnerSettings settings = PolicyGradientSettings{.lanes = 64};
///     settings.set("memory=32");
class LearnerSettings {
 public:
  /// Those of proximal policy optimisation as they are by default.
  LearnerSettings();
  template <DescribedSettings Settings>
  LearnerSettings(const Settings& settings) : model_(settings_model(settings)) {}
  /// Settings of a method that has no struct for them: what there is, each with its default.
  LearnerSettings(std::string method, KeyValues values);

  /// The name of the method: "ppo".
  const std::string& method() const noexcept;
  /// As the method's own struct. Throws Error (usage) if the settings are of another method.
  template <class Settings>
  const Settings& as() const {
    return *static_cast<const Settings*>(held_as(typeid(Settings)));
  }
  /// All settings by name; those that are lists of tables are left out.
  KeyValues values() const;
  /// Whether there is a setting of that name.
  bool has(const std::string& key) const;
  /// Changes one setting. Throws Error (spec), naming `where`, if there is no such setting, or it
  /// cannot have that value.
  void set(const std::string& key, const Value& value, const std::string& where);
  /// The same as text: "memory=64", "policy_layers=[128, 128]", "activation=relu".
  void set(const std::string& assignment);

  /// For those who read and write them.
  const SettingsModel& model() const noexcept { return *model_; }
  /// Holds what a method described.
  explicit LearnerSettings(std::shared_ptr<const SettingsModel> model);
  /// Whether method and all settings are the same.
  friend bool operator==(const LearnerSettings& a, const LearnerSettings& b);

 private:
  const void* held_as(const std::type_info& type) const;
  std::shared_ptr<const SettingsModel> model_;  // never changed: copies share it
};

}  // namespace zithercraft
