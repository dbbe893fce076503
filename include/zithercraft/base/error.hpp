#pragma once

#include <stdexcept>
#include <string>

namespace zithercraft {

/// What kind of thing went wrong. The command-line tool ends with the number behind each kind.
enum class ErrorKind {
  check_failed = 1,  ///< A comparison the user asked for found a difference.
  usage = 2,         ///< A command line or a call whose words cannot be used.
  spec = 3,          ///< A game or run description with a wrong key, value or reference.
  file = 4,          ///< A file or folder that is missing, unreadable, unwritable or damaged.
  /// Something that would overwrite a run, or a checkpoint that does not fit the game.
  refused = 5,
  numbers = 6,  ///< A value that is not a number, or an infinite one, where a finite one is needed.
};

/// The one exception of the library: what is wrong, where, and how to fix it.
///
/// `what()` joins the three into one line, fit to be shown to a person.
class Error : public std::runtime_error {
 public:
  /// What went wrong, where, and what helps; the last two may be empty.
  Error(ErrorKind kind, std::string problem, std::string where = {}, std::string fix = {});

  /// The group that it belongs to, which is also the tool's exit status.
  ErrorKind kind() const noexcept { return kind_; }
  /// What is wrong, without a full stop.
  const std::string& problem() const noexcept { return problem_; }
  /// A file with line, a key path ("roles[0].senses[1].sees"), or both; may be empty.
  const std::string& where() const noexcept { return where_; }
  /// What the user can do about it; may be empty.
  const std::string& fix() const noexcept { return fix_; }

 private:
  ErrorKind kind_;
  std::string problem_, where_, fix_;
};

}  // namespace zithercraft
