#include <algorithm>
#include <cctype>

#include "settings_fields.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/overrides.hpp"
#include "zithercraft/study/train.hpp"

namespace zithercraft {

namespace {

template <class Settings>
Settings changed(const Settings& settings, const std::string& key, const Value& value,
                 const std::string& where) {
  Settings with = settings;
  toml::table table = TomlWriter::to_table(with);
  if (!table.contains(key)) {
    std::vector<std::string> known;
    for (const auto& [name, node] : table) known.emplace_back(name.str());
    throw Error(ErrorKind::spec, "the learner has no setting '" + key + "'", where,
                advice(key, known));
  }
  insert_value(table, key, value);
  read_struct(table, with, where);
  return with;
}

template <class Settings>
Settings assigned(const Settings& settings, const std::string& assignment) {
  std::string shown = assignment;
  std::replace_if(
      shown.begin(), shown.end(), [](unsigned char c) { return std::iscntrl(c) != 0; }, ' ');
  const std::string where = "the setting '" + shown + "'";
  const std::size_t equals = assignment.find('=');
  if (equals == std::string::npos || equals == 0)
    throw Error(ErrorKind::spec, "a setting is given as KEY=VALUE", where,
                "write it like memory=64");
  return changed(settings, assignment.substr(0, equals),
                 parse_value(assignment.substr(equals + 1), where), where);
}

}  // namespace

PolicyGradientSettings with_setting(const PolicyGradientSettings& settings, const std::string& key,
                                    const Value& value, const std::string& where) {
  return changed(settings, key, value, where);
}
EvolutionSettings with_setting(const EvolutionSettings& settings, const std::string& key,
                               const Value& value, const std::string& where) {
  return changed(settings, key, value, where);
}
PolicyGradientSettings with_setting(const PolicyGradientSettings& settings,
                                    const std::string& assignment) {
  return assigned(settings, assignment);
}
EvolutionSettings with_setting(const EvolutionSettings& settings, const std::string& assignment) {
  return assigned(settings, assignment);
}

}  // namespace zithercraft
