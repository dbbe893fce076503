#pragma once

// The WebSocket of a game, as the listener makes it and the link uses it.

#include <boost/asio/io_context.hpp>
#include <boost/beast/core/flat_buffer.hpp>
#include <boost/beast/websocket.hpp>

#include "remote/game_link.hpp"
#include "remote/timed_socket.hpp"

namespace zithercraft::remote_internal {

/// Bytes of a message, at most: a game's first one, and later ones.
constexpr std::size_t most_hello = 1u << 20u, most_message = 64u << 20u;

struct GameLink::Wire {
  /// The context must live as long as the socket that was made with it.
  Wire(std::shared_ptr<boost::asio::io_context> where, boost::asio::ip::tcp::socket socket)
      : context(std::move(where)), stream(std::move(socket)) {
    stream.auto_fragment(false);
    stream.read_message_max(most_hello);
  }
  std::shared_ptr<boost::asio::io_context> context;
  boost::beast::websocket::stream<TimedSocket> stream;
  boost::beast::flat_buffer received;
  std::uint64_t taken = 0;  // bytes of the socket that messages were made of

  void set_deadline(Clock::time_point deadline) { stream.next_layer().set_deadline(deadline); }
  /// Whether the beginning of another message has been read with the last one.
  bool holds_more() const { return stream.next_layer().read_bytes() > taken; }
  /// Waits for a message; its bytes are in `received`. Throws LinkError.
  Form read(Clock::time_point deadline);
  void write(const std::string& message, Form form, Clock::time_point deadline);
  void close(const std::string& why);
  std::span<const std::uint8_t> bytes() const {
    return {static_cast<const std::uint8_t*>(received.data().data()), received.size()};
  }
};

}  // namespace zithercraft::remote_internal
