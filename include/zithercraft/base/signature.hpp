#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace zithercraft {

/// One column of the observations: what a network sees is a number in [low, high]; times `scale` it
/// is in `unit`.
struct Column {
  std::string name{};            ///< stable: "rays[3].hull", "compass.distance"
  std::string unit{};            ///< "m", "m/s", "rad/s", "flag" or "cosine"/"sine"
  double low = 0.0, high = 1.0;  ///< what it can read, in its own scale
  double scale = 1.0;            ///< units that 1 stands for

  // What the name says, part by part. It follows from the name, so it is neither stored with a
  // policy nor compared.
  std::string sense{};  ///< its name; empty for a column that no sense makes
  std::vector<std::int32_t>
      index{};             ///< which ray, other, cell or pixel; empty if there is but one
  std::string tag{};       ///< what it is about; empty for no tag, or several
  std::string quantity{};  ///< "seen", "distance", "speed_ahead", ...
  std::int32_t age = 0;    ///< steps ago, at least 0

  /// Whether name, unit, range and scale are equal.
  friend bool operator==(const Column& a, const Column& b) {
    return a.name == b.name && a.unit == b.unit && a.low == b.low && a.high == b.high &&
           a.scale == b.scale;
  }
};

/// The column's index as its name has it: "3", or "1,-2".
inline std::string index_text(const Column& column) {
  std::string text;
  for (const std::int32_t number : column.index) {
    if (!text.empty()) text += ',';
    text += std::to_string(number);
  }
  return text;
}

/// The column's name with another index: "rays[].hull" for "rays[3].hull" and none. The name itself
/// if the column has no index.
inline std::string name_with_index(const Column& column, const std::string& index) {
  std::string name = column.name;
  if (!column.index.empty())
    name.replace(column.sense.size() + 1, index_text(column).size(), index);
  return name;
}

/// The quantity of a flag that is 1 where the column's tag is sensed.
inline constexpr std::string_view seen_quantity = "seen";
/// The quantity of a distance; below 1 where what the column is about is within reach.
inline constexpr std::string_view distance_quantity = "distance";

/// One control: a dial (no options; any value in [low, high]) or a choice (options by name; the
/// value is an option's number).
struct ControlInfo {
  std::string name{};             ///< unique among the role's controls
  std::string unit{};             ///< "share of full"
  double low = -1.0, high = 1.0;  ///< what a dial takes; of a choice the numbers of its options
  std::vector<std::string> options{};  ///< names of a choice's options
  /// Of a choice among others: the name of the crowd sense that lists them. Its first option is
  /// nobody, the next the first of the crowd, and so on.
  std::string among{};
  /// Whether it is a choice; else it is a dial.
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

/// The name of the column that says whether an option of a choice is allowed now, if there is one.
inline std::string mask_of(const ControlInfo& control, std::size_t option) {
  if (control.among.empty()) return mask_column(control.name, control.options[option]);
  return option == 0 ? std::string() : control.among + "[" + std::to_string(option - 1) + "].here";
}
/// Whether a column says so: by its name, and its unit where the name is a mask's alone.
inline bool is_mask_of(const Column& column, const ControlInfo& control, std::size_t option) {
  return column.name == mask_of(control, option) &&
         (column.unit == mask_unit || !control.among.empty());
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
