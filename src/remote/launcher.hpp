#pragma once

// Starts games, starts them again when they end, and ends them.

#include <cstddef>
#include <functional>
#include <memory>
#include <string>

namespace zithercraft::remote_internal {

class GameLauncher {
 public:
  /// Starts `instances` games by a command line for the shell, in which {address} and {number} are
  /// replaced. One that ends is started again, after pauses that grow while it keeps ending soon.
  /// `note` gets each end as a text, with the last lines that the game printed.
  GameLauncher(const std::string& command, const std::string& address, std::size_t instances,
               std::function<void(const std::string&)> note);
  /// Ends them all.
  ~GameLauncher();
  /// Games that end from now on do as they should.
  void expect_end();
  /// Why the last that ended did, and what it printed last; empty if none did.
  std::string last_end() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft::remote_internal
