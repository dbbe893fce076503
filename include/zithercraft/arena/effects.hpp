#pragma once

#include <optional>
#include <string>

namespace zithercraft {

/// A named quantity that a body carries: health, fuel, oxygen.
struct Meter {
  std::string name{};              ///< unique among the body's meters
  double low = 0.0, high = 100.0;  ///< bounds
  std::optional<double> start{};   ///< its value when the episode begins; without it, `high`
  double change = 0.0;             ///< per second, of itself
  bool vital = false;              ///< the body dies when it is empty
  bool operator==(const Meter&) const = default;
};

/// What a zone, item, shot, wall, body or cell does to a meter of the body that meets it. Bodies
/// without that meter are left alone.
struct Effect {
  std::string meter{};      ///< which meter it changes
  double amount = 0.0;      ///< at once: on entering, collecting, being hit or touching
  double per_second = 0.0;  ///< while inside or touching
  /// Another meter of the same body, such as a skill: both are times its level. Empty: they are as
  /// they stand; bodies without that meter are left alone.
  std::string by{};
  bool operator==(const Effect&) const = default;
};

/// How something that is gone comes back.
struct Return {
  double after = 10.0;     ///< seconds, at least 0
  bool elsewhere = false;  ///< at a new random place by its placement rule, not where it was
  bool operator==(const Return&) const = default;
};

}  // namespace zithercraft
