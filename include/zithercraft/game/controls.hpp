#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

/// What roles can control. Plain values; TOML says the same with the same names.
namespace zithercraft {

/// A control with a continuous range that drives one input of the body.
///
/// Bodies with the inputs `ahead` and `left` can also be driven by `east` and `north`: the same
/// moves, in the arena's directions instead of their own.
struct Dial {
  static constexpr std::string_view kind = "dial";  ///< the word for it in files
  std::string name{};                               ///< unique among the role's controls
  std::string drives{};           ///< an input of the body; empty means the same as the name
  double low = -1.0, high = 1.0;  ///< what it takes; 0 lies between
  /// what is nearer to 0 counts as 0, and the rest begins from there; 0 to below 1
  double dead_zone = 0.0;
  std::optional<double> rate{};  ///< how far the input moves per second at most, above 0
  bool holds = true;  ///< the input keeps its value until the next step; else for one tick only
  bool operator==(const Dial&) const = default;
};

/// What must hold for an option to be allowed now. Of several, all.
struct AllowedWhen {
  std::string reloaded{};         ///< a launcher of the body that must be ready
  std::string meter{};            ///< a meter of the body ...
  std::optional<double> above{};  ///< ... that must be above this
  std::optional<double> below{};  ///< ... or below this
  bool stands = false;            ///< the body must stand on something; arenas with height only
  bool by_game = false;           ///< the game's own code must say so; in custom games only
  bool operator==(const AllowedWhen&) const = default;
};

/// One of a choice's options.
struct Option {
  std::string name{};  ///< unique among the choice's options
  double value = 0.0;  ///< what the input that the choice drives is set to, -1 to 1
  std::map<std::string, double> sets{};  ///< or several inputs by name
  /// Where given, the option is forbidden while this does not hold; the role then has a column
  /// `may.CONTROL.OPTION` that is 1 while it is allowed, and players decide among what is allowed.
  /// One that is chosen nevertheless counts as the choice's first option, which cannot be
  /// forbidden.
  std::optional<AllowedWhen> allowed_when{};
  bool operator==(const Option&) const = default;
};

/// A control with named options, each of which sets one input of the body, or several. Inputs that
/// some option sets and the chosen one does not become 0.
struct Choice {
  static constexpr std::string_view kind = "choice";  ///< the word for it in files
  std::string name{};                                 ///< unique among the role's controls
  std::string drives{};  ///< an input; empty means the same as the name; not needed if all options
                         ///< have `sets`
  std::vector<Option> options{};  ///< at least two
  bool holds = true;              ///< as for a dial
  bool operator==(const Choice&) const = default;
};

/// A choice of one among those whom a crowd sense lists now, or of nobody, which is its first
/// option. An empty place cannot be chosen. A network points at the others by attention, so that
/// what it learns of one holds for all, whatever place they have and however many there are.
///
/// What is chosen drives a launcher of the body, which aims at it and fires, turns the body's moves
/// towards it, and reaches rules as an event of the control's name, from the seat's body to the
/// chosen one, once per step.
struct Target {
  static constexpr std::string_view kind = "target";  ///< the word for it in files
  std::string name{};                                 ///< unique among the role's controls
  std::string among{};                                ///< the name of the role's crowd sense
  std::string launcher{};  ///< of the body, that fires at whom is chosen; empty for none
  bool follows = false;    ///< the body moves towards whom is chosen; walkers, flyers and steppers
  bool operator==(const Target&) const = default;
};

/// What a player sets at each step.
using Control = std::variant<Dial, Choice, Target>;

}  // namespace zithercraft
