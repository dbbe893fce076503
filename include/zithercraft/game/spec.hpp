#pragma once

#include <concepts>
#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "zithercraft/arena/spec.hpp"
#include "zithercraft/game/controls.hpp"
#include "zithercraft/game/custom_rules.hpp"
#include "zithercraft/game/keys.hpp"
#include "zithercraft/game/rewards.hpp"
#include "zithercraft/game/senses.hpp"
#include "zithercraft/game/stages.hpp"

/// A game: an arena with roles that sense, act and are rewarded. Plain values; TOML says the same
/// with the same names.
namespace zithercraft {

/// A script for a role: one of the library's by name, or a C++ function that reads the seat and
/// writes its controls (a dial's value in its range, a choice's option number).
class Script {
 public:
  using Function = std::function<void(const SeatView&, std::span<float> controls)>;

  Script() = default;
  Script(const char* name) : name_(name) {}
  template <class F>
  requires std::is_invocable_v<F, const SeatView&, std::span<float>> Script(F callable)
      : name_("custom"), function_(std::move(callable)) {}

  bool used() const noexcept { return !name_.empty(); }
  /// False if there is none, or if it is C++ code that a file could not hold.
  bool playable() const noexcept { return used() && (name_ != "custom" || function_); }
  const std::string& name() const noexcept { return name_; }
  const Function& function() const noexcept { return function_; }

  std::string to_toml() const { return name_; }
  bool from_toml(const std::string& word) {
    name_ = word;
    return true;  // names are looked up when a player is made
  }
  static std::vector<std::string> known_values() { return {}; }
  bool operator==(const Script& other) const { return name_ == other.name_; }

 private:
  std::string name_;
  Function function_;
};

/// A kind of agent: all bodies of one name, with the same senses, controls and rewards. Each body
/// is a seat of the role.
struct RoleSpec {
  std::string name{};
  std::string body{};  ///< name of the bodies it steers; empty means the same as the role's
  std::vector<Sense> senses{};
  std::vector<Control> controls{};
  std::vector<Term> rewards{};
  Script script{};
  /// The role, named before it, whose mirror image it is: its columns and controls mean the same,
  /// one by one, with the sides exchanged, so that one policy plays both; empty for none.
  std::string mirrors{};
  std::vector<KeyBinding> keys{};  ///< how a person steers it; empty: see `default_bindings`
  bool operator==(const RoleSpec&) const = default;
};

struct GameSpec {
  std::string name{};
  std::string about{};              ///< one line for people
  std::int64_t ticks_per_step = 4;  ///< ticks per step, at least 1
  ArenaSpec arena{};
  std::vector<RoleSpec> roles{};
  Cutoffs cutoffs{};
  std::vector<CustomRule> rules{};  ///< custom; carried out in their order
  /// of a curriculum, the easiest first; the game itself comes after them
  std::vector<Stage> stages{};

  /// The role of that name. Throws Error (spec) with advice if there is none.
  RoleSpec& role(std::string_view role_name);
  const RoleSpec& role(std::string_view role_name) const;
  bool operator==(const GameSpec&) const = default;
};

}  // namespace zithercraft
