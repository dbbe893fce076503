#pragma once

#include <concepts>
#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "zithercraft/arena/event.hpp"
#include "zithercraft/arena/spec.hpp"
#include "zithercraft/game/keys.hpp"

/// A game: an arena with roles that sense, act and are rewarded. Plain values; TOML says the same with the same names.
namespace zithercraft {

class SeatView;

// ---- Senses
// -----------------------------------------------------------------------------------------------------------

/// Rays in a fan around the heading. Per ray one column for each tag in `sees` (1 where the ray met it first, else 0)
/// and one for the distance (0 to 1, where 1 is `reach` or nothing met). Rays run from starboard to port.
struct RayFan {
  static constexpr std::string_view kind = "ray_fan";
  std::string name = "rays";
  std::int64_t rays = 24;           ///< 1 to 1024
  double arc = 240.0;               ///< degrees from the first ray to the last, above 0, at most 360
  double reach = 15.0;              ///< metres, above 0
  double thickness = 0.0;           ///< metres; 0 for thin rays
  std::vector<std::string> sees{};  ///< tags; rays pass through everything else
  bool sees_own_side = true;        ///< if not, rays pass through bodies of the seat's own side
  // In arenas with height:
  std::optional<double>
      from_height{};  ///< metres above the foot at which rays begin; the middle of the body unless given
  std::optional<double> to_height{};  ///< metres above the foot at which they end; level unless given
  bool looks = false;                 ///< the fan tilts as the body looks up and down
  bool operator==(const RayFan&) const = default;
};

/// Rays in a cone around the look, for arenas with height: evenly spread over the solid angle, from its middle
/// outwards. Columns as for a ray fan.
struct RayCone {
  static constexpr std::string_view kind = "ray_cone";
  std::string name = "cone";
  std::int64_t rays = 48;               ///< 1 to 1024
  double arc = 90.0;                    ///< degrees from edge to edge, above 0, at most 360
  double reach = 15.0;                  ///< metres, above 0
  double thickness = 0.0;               ///< metres; 0 for thin rays
  std::vector<std::string> sees{};      ///< tags; rays pass through everything else
  bool sees_own_side = true;            ///< as for a ray fan
  std::optional<double> from_height{};  ///< as for a ray fan
  bool operator==(const RayCone&) const = default;
};

/// Where the nearest thing of a tag lies, in the seat's own frame: `ahead` and `left` (cosine and sine of its bearing)
/// and `distance` (0 to 1, where 1 is `reach` or more); in arenas with height also `up` (sine of its elevation).
struct Compass {
  static constexpr std::string_view kind = "compass";
  std::string name = "compass";
  std::string to{};  ///< a tag
  bool paired =
      false;  ///< not the nearest: the first seat's is the first thing of that tag, the second's the second...
  double reach = 50.0;  ///< metres, above 0
  bool operator==(const Compass&) const = default;
};

/// The seat's own speed ahead and to port, and its turn rate, scaled by the given tops and clamped to [-1, 1]. In
/// arenas with height also its `climb` (m/s upwards), its `look` (share of a right angle) and whether it `stands` on
/// something.
struct OwnMotion {
  static constexpr std::string_view kind = "own_motion";
  std::string name = "own";
  double top_speed = 5.0;       ///< m/s, above 0
  double top_turn_rate = 90.0;  ///< degrees/s, above 0
  bool operator==(const OwnMotion&) const = default;
};

/// The seat's meters: one column each, 0 at the lower bound, 1 at the upper.
struct Gauges {
  static constexpr std::string_view kind = "gauges";
  std::string name = "gauges";
  std::vector<std::string> meters{};  ///< names of the body's meters; empty for all
  bool operator==(const Gauges&) const = default;
};

/// The cells around, turned with the seat to the nearest quarter: for each cell one column for each tag in `sees` (1 if
/// something of that tag is there). Cells outside the map show `beyond`.
struct Window {
  static constexpr std::string_view kind = "window";
  std::string name = "window";
  std::int64_t ahead = 3, behind = 3, left = 3, right = 3;  ///< cells beside the own one, 0 to 64
  std::vector<std::string> sees{};                          ///< tags
  std::string beyond{};                                     ///< a tag of `sees`; empty: nothing is there
  bool operator==(const Window&) const = default;
};

using Sense = std::variant<RayFan, RayCone, Compass, OwnMotion, Gauges, Window>;

// ---- Controls
// ---------------------------------------------------------------------------------------------------------

/// A control with a continuous range that drives one input of the body.
struct Dial {
  static constexpr std::string_view kind = "dial";
  std::string name{};
  std::string drives{};  ///< an input of the body; empty means the same as the name
  double low = -1.0, high = 1.0;
  bool operator==(const Dial&) const = default;
};

struct Option {
  std::string name{};
  double value = 0.0;                    ///< what the input that the choice drives is set to, -1 to 1
  std::map<std::string, double> sets{};  ///< or several inputs by name
  bool operator==(const Option&) const = default;
};

/// A control with named options, each of which sets one input of the body, or several. Inputs that some option sets and
/// the chosen one does not become 0.
struct Choice {
  static constexpr std::string_view kind = "choice";
  std::string name{};
  std::string drives{};           ///< an input; empty means the same as the name; not needed if all options have `sets`
  std::vector<Option> options{};  ///< at least two
  bool operator==(const Choice&) const = default;
};

using Control = std::variant<Dial, Choice>;

// ---- Rewards
// ----------------------------------------------------------------------------------------------------------

/// How much a term pays at each decision: nothing, 1 always, or what a C++ function of the seat returns.
///
/// The function is called from several threads at once and must depend on the seat alone.
class Measure {
 public:
  using Function = std::function<double(const SeatView&)>;

  Measure() = default;
  template <class F>
  requires std::is_invocable_r_v<double, F, const SeatView&> Measure(F callable)
      : form_(Form::coded), function_(std::move(callable)) {}
  static Measure always() {
    Measure measure;
    measure.form_ = Form::always;
    return measure;
  }

  bool used() const noexcept { return form_ != Form::none; }
  bool coded() const noexcept { return form_ == Form::coded; }
  /// The function of a coded measure; empty if the spec came from a file, which cannot hold code.
  const Function& function() const noexcept { return function_; }

  // TOML form: "always", or "coded" as a reminder that C++ code is needed.
  std::string to_toml() const { return form_ == Form::none ? "" : form_ == Form::always ? "always" : "coded"; }
  bool from_toml(const std::string& word) {
    form_ = word == "always" ? Form::always : Form::coded;
    return word == "always" || word == "coded";
  }
  static std::vector<std::string> known_values() { return {"always"}; }
  bool operator==(const Measure& other) const { return form_ == other.form_; }

 private:
  enum class Form { none, always, coded };
  Form form_ = Form::none;
  Function function_;
};

/// Pays for coming closer to the nearest thing of a tag: closing the whole starting distance pays 1 in all, so going
/// back and forth pays nothing.
struct Progress {
  std::string of{};     ///< a tag: what comes closer; empty for the seat's own body
  std::string to{};     ///< a tag
  bool paired = false;  ///< as for a compass
  bool operator==(const Progress&) const = default;
};

/// Which part a body plays in an event: who did it, whom it was done to, or either.
enum class Part : std::uint8_t { either, who, whom };

/// Pays once for each event since the last decision.
struct Happening {
  EventKind event = EventKind::touch;  ///< any that an arena reports
  std::string of{};                    ///< a tag: whose events count; empty for the seat's own body
  Part as = Part::either;
  std::vector<std::string> with{};  ///< tags of the other thing; empty for any or none
  double harder_than = 0.0;         ///< events of less strength do not count; for touches the approach speed, m/s
  bool by_strength = false;         ///< pays the event's strength (the worth of an item) instead of 1
  bool operator==(const Happening&) const = default;
};

/// Pays at each decision at which all that is given holds.
struct Condition {
  std::string of{};                     ///< a tag: which body is meant; empty for the seat's own
  std::string inside{};                 ///< the body's centre is in a zone of this tag
  bool paired = false;                  ///< as for a compass
  std::optional<double> slower_than{};  ///< its speed is below this, m/s
  bool operator==(const Condition&) const = default;
};

enum class Verdict : std::uint8_t { none, success, failure };

/// One named term of the reward sheet. Exactly one of `progress`, `on`, `when` and `each_decision` says when it pays.
struct Term {
  std::string name{};
  double weight = 1.0;  ///< what it pays, times the amount of its trigger
  std::optional<Progress> progress{};
  std::optional<Happening> on{};
  std::optional<Condition> when{};
  Measure each_decision{};
  Verdict ends = Verdict::none;  ///< the episode ends with this verdict when the term pays; for `on` and `when` only
  bool operator==(const Term&) const = default;
};

// ---- Roles and the game
// -----------------------------------------------------------------------------------------------

/// A hand-written pilot for a role: one of the library's by name, or a C++ function that reads the seat and writes its
/// controls (a dial's value in its range, a choice's option number).
class Script {
 public:
  using Function = std::function<void(const SeatView&, std::span<float> controls)>;

  Script() = default;
  Script(const char* name) : name_(name) {}
  template <class F>
  requires std::is_invocable_v<F, const SeatView&, std::span<float>> Script(F callable)
      : name_("coded"), function_(std::move(callable)) {}

  bool used() const noexcept { return !name_.empty(); }
  /// False if there is none, or if it is C++ code that a file could not hold.
  bool playable() const noexcept { return used() && (name_ != "coded" || function_); }
  const std::string& name() const noexcept { return name_; }
  const Function& function() const noexcept { return function_; }

  std::string to_toml() const { return name_; }
  bool from_toml(const std::string& word) {
    name_ = word;
    return true;  // names are looked up when a pilot is made
  }
  static std::vector<std::string> known_values() { return {}; }
  bool operator==(const Script& other) const { return name_ == other.name_; }

 private:
  std::string name_;
  Function function_;
};

/// A kind of agent: all bodies of one name, with the same senses, controls and rewards. Each body is a seat of the
/// role.
struct RoleSpec {
  std::string name{};
  std::string body{};  ///< name of the bodies it steers; empty means the same as the role's
  std::vector<Sense> senses{};
  std::vector<Control> controls{};
  std::vector<Term> rewards{};
  Script script{};
  std::vector<KeyBinding> keys{};  ///< how a person steers it; empty: see `default_bindings`
  bool operator==(const RoleSpec&) const = default;
};

/// Rules that end an episode without a verdict.
struct Cutoffs {
  std::int64_t decisions = 300;  ///< an episode is cut off after this many decisions, at least 1
  bool operator==(const Cutoffs&) const = default;
};

struct GameSpec {
  std::string name{};
  std::string about{};           ///< one line for people
  std::int64_t think_every = 4;  ///< ticks per decision, at least 1
  ArenaSpec arena{};
  std::vector<RoleSpec> roles{};
  Cutoffs cutoffs{};

  /// The role of that name. Throws Error (spec) with advice if there is none.
  RoleSpec& role(std::string_view role_name);
  const RoleSpec& role(std::string_view role_name) const;
  bool operator==(const GameSpec&) const = default;
};

}  // namespace zithercraft
