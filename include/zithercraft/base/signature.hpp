#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

namespace zithercraft {

/// One column of the observations: what a network sees is a number in [low, high]; times `scale` it
/// is in `unit`.
struct Column {
  std::string name{};  ///< stable: "rays[3].hull", "compass.distance"
  std::string unit{};  ///< "m", "m/s", "rad/s", "flag" or "cosine"/"sine"
  double low = 0.0, high = 1.0;
  double scale = 1.0;
  bool operator==(const Column&) const = default;
};

/// One control: a dial (no options; any value in [low, high]) or a choice (options by name; the
/// value is an option's number).
struct ControlInfo {
  std::string name{};
  std::string unit{};  ///< "share of full"
  double low = -1.0, high = 1.0;
  std::vector<std::string> options{};
  bool is_choice() const { return !options.empty(); }
  bool operator==(const ControlInfo&) const = default;
};

/// A column of this unit says whether an option of a choice is allowed now: 1, or 0 if it is
/// forbidden.
inline constexpr std::string_view mask_unit = "allowed";
/// The name of that column.
inline std::string mask_column(const std::string& control, const std::string& option) {
  return "may." + control + "." + option;
}

/// How many numbers describe what a policy would do with these controls: for a choice the
/// probability of each option, for a dial its mean and its standard deviation, both in the dial's
/// unit.
inline std::size_t probability_count(const std::vector<ControlInfo>& controls) {
  std::size_t numbers = 0;
  for (const ControlInfo& control : controls)
    numbers += control.is_choice() ? control.options.size() : 2;
  return numbers;
}

}  // namespace zithercraft
