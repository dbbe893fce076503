#pragma once

#include <atomic>
#include <chrono>
#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace zithercraft::show_internal {

/// Where and how a server listens.
struct ServerOptions {
  std::string address = "127.0.0.1";  ///< of the machine to listen at
  std::uint16_t port = 0;             ///< 0: any that is free
  /// what requests must carry; needed if the address is not of this machine alone
  std::string token{};
};

/// How often those who serve look whether to stop.
constexpr auto look_up = std::chrono::milliseconds(100);

/// What is asked for: a path without its leading slash, and what follows the question mark.
struct WebRequest {
  std::string path{};
  std::map<std::string, std::string> query{};
};

struct WebReply {
  int status = 200;
  std::string type = "text/plain; charset=utf-8";
  std::string body{};
};

/// What happens on WebSockets; clients are numbered. Without `said` there are none.
struct SocketHandlers {
  std::function<void(std::uint64_t client)> joined{};
  std::function<void(std::uint64_t client, std::string text)> said{};
  std::function<void(std::uint64_t client)> left{};
};

/// A small HTTP and WebSocket server on a thread of its own.
///
/// It listens to this machine alone unless it has a token, refuses requests that name another host
/// or come from pages of another origin, bounds what it reads, how many clients it has and what
/// waits to be sent, and drops clients that stall. The server's owner answers; there are no files
/// behind paths.
class Server {
 public:
  using Answer = std::function<WebReply(const WebRequest&)>;
  using Client = std::uint64_t;

  /// Begins to listen. All functions are called on the server's thread. Throws Error (usage) if the
  /// address is open to others without a token, Error (file) if it cannot be listened at.
  Server(const ServerOptions& options, Answer answer, SocketHandlers sockets = {});
  ~Server();
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;

  std::uint16_t port() const noexcept;
  /// What a browser on this machine opens.
  std::string url() const;
  std::size_t connections() const noexcept;

  /// Sends a binary message to a client. From any thread; a client that does not take its messages
  /// is dropped.
  void send(Client client, std::string message);
  /// Ends a client's WebSocket with the reason, in at most 120 characters.
  void drop(Client client, std::string why);

  struct State;  ///< opaque

 private:
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft::show_internal
