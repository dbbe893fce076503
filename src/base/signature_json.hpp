#pragma once

// Columns and controls in the JSON of checkpoints and replays.

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "zithercraft/base/signature.hpp"

namespace zithercraft {

inline void to_json(nlohmann::json& j, const Column& c) {
  j = {{"name", c.name}, {"unit", c.unit}, {"low", c.low}, {"high", c.high}, {"scale", c.scale}};
}
inline void from_json(const nlohmann::json& j, Column& c) {
  c = {j.at("name"), j.at("unit"), j.at("low"), j.at("high"), j.at("scale")};
}
inline void to_json(nlohmann::json& j, const ControlInfo& c) {
  j = {
      {"name", c.name}, {"unit", c.unit}, {"low", c.low}, {"high", c.high}, {"options", c.options}};
}
inline void from_json(const nlohmann::json& j, ControlInfo& c) {
  c = {j.at("name"), j.at("unit"), j.at("low"), j.at("high"),
       j.at("options").get<std::vector<std::string>>()};
}

}  // namespace zithercraft
