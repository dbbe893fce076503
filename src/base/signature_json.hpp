#pragma once

// Columns and controls in the JSON of checkpoints and replays.

#include <string>
#include <vector>

#include "base/json.hpp"
#include "zithercraft/base/signature.hpp"

namespace zithercraft {

inline Json json_of(const Column& c) {
  return {{"name", c.name}, {"unit", c.unit}, {"low", c.low}, {"high", c.high}, {"scale", c.scale}};
}
inline void from_json(const Json& j, Column& c) {
  c.name = j.at("name").get<std::string>();
  c.unit = j.at("unit").get<std::string>();
  c.low = j.at("low").get<double>();
  c.high = j.at("high").get<double>();
  c.scale = j.at("scale").get<double>();
}
inline Json json_of(const ControlInfo& c) {
  return {
      {"name", c.name}, {"unit", c.unit}, {"low", c.low}, {"high", c.high}, {"options", c.options}};
}
inline void from_json(const Json& j, ControlInfo& c) {
  c.name = j.at("name").get<std::string>();
  c.unit = j.at("unit").get<std::string>();
  c.low = j.at("low").get<double>();
  c.high = j.at("high").get<double>();
  c.options = j.at("options").get<std::vector<std::string>>();
}

}  // namespace zithercraft
