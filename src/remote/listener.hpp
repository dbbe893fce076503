#pragma once

// Lets games in: HTTP, the upgrade to a WebSocket, and the game's first message, each in time.

#include <filesystem>
#include <functional>
#include <memory>
#include <string>

#include "remote/game_link.hpp"

namespace zithercraft::remote_internal {

struct ListenerOptions {
  std::string address{};
  std::uint16_t port = 0;
  std::string token{};
  std::filesystem::path page{};  // that is served, with what lies beside it
};

class Listener {
 public:
  /// Says why a game is not taken; nothing if it is.
  using Consider = std::function<std::string(const Hello&)>;
  using Join = std::function<void(std::unique_ptr<GameLink::Wire>, const Hello&, Form)>;

  /// Listens on a thread of its own; each that knocks is seen to on another. Throws Error.
  Listener(const ListenerOptions& options, Consider consider, Join join);
  ~Listener();
  /// A URL of RFC 6455.
  std::string address() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft::remote_internal
