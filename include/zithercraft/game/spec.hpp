#pragma once

#include <concepts>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "zithercraft/arena/spec.hpp"
#include "zithercraft/game/controls.hpp"
#include "zithercraft/game/custom_game.hpp"
#include "zithercraft/game/keys.hpp"
#include "zithercraft/game/rewards.hpp"
#include "zithercraft/game/rules.hpp"
#include "zithercraft/game/senses.hpp"
#include "zithercraft/game/stages.hpp"

/// A game: an arena with roles that sense, act and are rewarded. Plain values; TOML says the same
/// with the same names.
namespace zithercraft {

/// A script for a role: one of the library's by name, or a C++ function that reads the seat and
/// writes its controls (a dial's value in its range, a choice's option number).
class Script {
 public:
  /// Sets the controls of a seat.
  using Function = std::function<void(const SeatView&, std::span<float> controls)>;

  Script() = default;
  /// A script that the library knows by this name.
  Script(const char* name) : name_(name) {}
  /// Code that plays.
  template <class F>
  requires std::is_invocable_v<F, const SeatView&, std::span<float>> Script(F callable)
      : name_("custom"), function_(std::move(callable)) {}

  /// Whether there is one.
  bool used() const noexcept { return !name_.empty(); }
  /// False if there is none, or if it is C++ code that a file could not hold.
  bool playable() const noexcept { return used() && (name_ != "custom" || function_); }
  /// Its name; empty for none.
  const std::string& name() const noexcept { return name_; }
  /// The code; empty if the library has it by its name.
  const Function& function() const noexcept { return function_; }

  /// The word for it in a file; empty for none.
  std::string to_toml() const { return name_; }
  /// Takes it from that word; whether it knows the word.
  bool from_toml(const std::string& word) {
    name_ = word;
    return true;  // names are looked up when a player is made
  }
  /// The words that a file can give.
  static std::vector<std::string> known_values() { return {}; }
  bool operator==(const Script& other) const { return name_ == other.name_; }

 private:
  std::string name_;
  Function function_;
};

/// What a script may not do better than a person: `follow` keeps to it.
struct ScriptLimits {
  double delay = 0.0;   ///< seconds after which it reacts to what happens, 0 to 10
  double effort = 1.0;  ///< share of what its dials could give that it uses, above 0, at most 1
  bool operator==(const ScriptLimits&) const = default;
};

/// A kind of agent: all bodies of one name, with the same senses, controls and rewards. Each body
/// is a seat of the role.
struct RoleSpec {
  std::string name{};  ///< unique among roles
  std::string body{};  ///< name of the bodies it steers; empty means the same as the role's
  /// How many seats it has, 1 to 4096, 1 unless given; in custom games only, elsewhere bodies are
  /// counted.
  std::optional<std::int64_t> seats{};
  std::string side{};           ///< its side, in custom games only; elsewhere its bodies have one
  std::vector<Sense> senses{};  ///< what its seats sense
  std::vector<Control> controls{};  ///< what its seats set
  std::vector<Term> rewards{};      ///< its terms
  Script script{};                  ///< who plays it by hand-written rules; none without
  ScriptLimits script_limits{};     ///< of the script
  /// The role, named before it, whose mirror image it is: its columns and controls mean the same,
  /// one by one, with the sides exchanged, so that one policy plays both; empty for none.
  std::string mirrors{};
  std::vector<KeyBinding> keys{};  ///< how a person steers it; empty: see `default_bindings`
  bool operator==(const RoleSpec&) const = default;
};

/// A game: an arena, and roles that play in it.
struct GameSpec {
  std::string name{};               ///< for tables and files
  std::string about{};              ///< one line for people
  std::int64_t ticks_per_step = 4;  ///< ticks per step, at least 1
  /// A game of the user's own in place of the arena; none without.
  std::optional<CustomGameSpec> custom{};
  ArenaSpec arena{};              ///< where it is played; empty for a custom game
  std::vector<RoleSpec> roles{};  ///< in the order in which seats move
  Cutoffs cutoffs{};              ///< what ends an episode besides its verdict
  std::vector<RuleSpec> rules{};  ///< what happens when; carried out in their order
  /// of a curriculum, the easiest first; the game itself comes after them
  std::vector<Stage> stages{};

  /// The role of that name. Throws Error (spec) with advice if there is none.
  RoleSpec& role(std::string_view role_name);
  /// By its name. Throws Error (spec) if there is none.
  const RoleSpec& role(std::string_view role_name) const;
  bool operator==(const GameSpec&) const = default;
};

}  // namespace zithercraft
