#pragma once

#include <cstddef>
#include <filesystem>
#include <map>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/game/game.hpp"

/// A person at the controls.
namespace zithercraft {

/// Turns held keys and a gamepad into the controls of a role, by its bindings (see KeyBinding). A
/// key that was pressed and let go again between two steps counts for the next one.
class Steering {
 public:
  /// For a role; its bindings are copied.
  explicit Steering(const Role& role);

  /// A key or button goes down; one that steers nothing is ignored.
  void press(const std::string& key);
  /// A key or button comes up again.
  void release(const std::string& key);
  /// Presses and releases what has changed.
  void hold(const std::vector<std::string>& keys);
  /// A gamepad as it is now: axes from -1 to 1, buttons pressed or not.
  void gamepad(std::vector<float> axes, std::vector<bool> buttons);
  /// Points at options of choices, by their controls' names, until something else is pointed at:
  /// these come before what is pressed. Throws Error (usage) if there is no such option.
  void point(const std::map<std::string, std::string>& options);
  /// Lets go of everything.
  void let_go();

  /// The controls as they would be decided now.
  void controls(std::span<float> out) const;
  /// The step was taken: short presses have had their effect.
  void decided();

 private:
  double strength(const KeyBinding& binding) const;
  std::size_t since(const KeyBinding& binding) const;

  Role role_;
  std::vector<std::string> held_;               // in the order in which they were pressed
  std::set<std::string> gone_;                  // of these: let go of already
  std::map<std::size_t, std::size_t> pointed_;  // options by their controls
  std::set<std::size_t> pointed_no_more_;       // of these: controls that are let go of already
  std::vector<float> axes_;
  std::vector<bool> buttons_;
};

/// Keys that are pressed and released at given steps, for tests and demonstrations; the file's form
/// is specified in docs/formats/keys.md.
class KeyScript {
 public:
  /// Throws Error (file) if the file cannot be read, Error (spec) with the line if it makes no
  /// sense.
  static KeyScript load(const std::filesystem::path& file);
  /// Reads a script of keys. Throws Error (spec) with the line that makes no sense.
  static KeyScript parse(const std::string& text, const std::string& source);

  /// Does what is due before the step; steps must come in order.
  void apply(Steering& steering, std::uint32_t step);

 private:
  struct Line {
    std::uint32_t step = 0;
    bool press = true;
    std::string key{};
  };
  std::vector<Line> lines_;
  std::size_t next_ = 0;
};

}  // namespace zithercraft
