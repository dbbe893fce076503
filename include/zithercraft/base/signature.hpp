#pragma once

#include <string>
#include <vector>

namespace zithercraft {

/// One column of the observations: what a network sees is a number in [low, high]; times `scale` it is in `unit`.
struct Column {
  std::string name{};  ///< stable: "rays[3].hull", "compass.distance"
  std::string unit{};  ///< "m", "m/s", "rad/s", "flag" or "cosine"/"sine"
  double low = 0.0, high = 1.0;
  double scale = 1.0;
  bool operator==(const Column&) const = default;
};

/// One control: a dial (no options; any value in [low, high]) or a choice (options by name; the value is an option's
/// number).
struct ControlInfo {
  std::string name{};
  std::string unit{};  ///< "share of full"
  double low = -1.0, high = 1.0;
  std::vector<std::string> options{};
  bool is_choice() const { return !options.empty(); }
  bool operator==(const ControlInfo&) const = default;
};

}  // namespace zithercraft
