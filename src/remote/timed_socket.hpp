#pragma once

// A socket whose reading and writing end in time, whatever the peer does.

#include <poll.h>
#include <sys/socket.h>
#include <sys/time.h>

#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/write.hpp>
#include <boost/beast/core/error.hpp>
#include <boost/beast/core/role.hpp>
#include <cerrno>
#include <chrono>
#include <cstdint>

#include "remote/clock.hpp"

namespace zithercraft::remote_internal {

class TimedSocket {
 public:
  using executor_type = boost::asio::ip::tcp::socket::executor_type;
  using error_code = boost::system::error_code;

  explicit TimedSocket(boost::asio::ip::tcp::socket socket) : socket_(std::move(socket)) {
    // Small messages go out at once: whoever waits for them waits for nothing else.
    error_code ignored;
    socket_.set_option(boost::asio::ip::tcp::no_delay(true), ignored);
  }
  executor_type get_executor() { return socket_.get_executor(); }
  int handle() { return socket_.native_handle(); }
  /// Bytes that were read so far.
  std::uint64_t read_bytes() const { return read_bytes_; }
  void set_deadline(Clock::time_point deadline) { deadline_ = deadline; }
  void shut() {
    error_code ignored;
    socket_.shutdown(boost::asio::socket_base::shutdown_both, ignored);
    socket_.close(ignored);
  }

  template <class Buffers>
  std::size_t read_some(const Buffers& buffers, error_code& code) {
    for (const auto& buffer : beast_range(buffers)) {
      if (buffer.size() == 0) continue;
      const std::size_t count = transfer(POLLIN, code, [&] {
        return ::recv(handle(), buffer.data(), buffer.size(), MSG_DONTWAIT);
      });
      read_bytes_ += count;
      return count;
    }
    return 0;
  }
  template <class Buffers>
  std::size_t write_some(const Buffers& buffers, error_code& code) {
    for (const auto& buffer : beast_range(buffers)) {
      if (buffer.size() == 0) continue;
      return transfer(POLLOUT, code, [&] {
        return ::send(handle(), buffer.data(), buffer.size(), MSG_DONTWAIT | MSG_NOSIGNAL);
      });
    }
    return 0;
  }
  template <class Buffers>
  std::size_t read_some(const Buffers& buffers) {
    error_code code;
    const std::size_t count = read_some(buffers, code);
    if (code) throw boost::system::system_error(code);
    return count;
  }
  template <class Buffers>
  std::size_t write_some(const Buffers& buffers) {
    error_code code;
    const std::size_t count = write_some(buffers, code);
    if (code) throw boost::system::system_error(code);
    return count;
  }

 private:
  template <class Buffers>
  struct Range {
    const Buffers& buffers;
    auto begin() const { return boost::asio::buffer_sequence_begin(buffers); }
    auto end() const { return boost::asio::buffer_sequence_end(buffers); }
  };
  template <class Buffers>
  static Range<Buffers> beast_range(const Buffers& buffers) {
    return {buffers};
  }

  // Tries, and waits where it has to.
  template <class Try>
  std::size_t transfer(short event, error_code& code, Try attempt) {
    for (;;) {
      const auto count = attempt();
      if (count > 0) {
        code = {};
        return static_cast<std::size_t>(count);
      }
      if (count == 0) {
        code = boost::asio::error::eof;
        return 0;
      }
      if (errno == EINTR) continue;
      if (errno != EAGAIN && errno != EWOULDBLOCK) {
        code.assign(errno, boost::system::system_category());
        return 0;
      }
      const auto left =
          std::chrono::duration_cast<std::chrono::milliseconds>(deadline_ - Clock::now()).count();
      pollfd wanted{handle(), event, 0};
      if (left <= 0 || ::poll(&wanted, 1, static_cast<int>(left) + 1) == 0) {
        code = boost::beast::error::timeout;
        return 0;
      }
    }
  }

  boost::asio::ip::tcp::socket socket_;
  Clock::time_point deadline_ = Clock::now();
  std::uint64_t read_bytes_ = 0;
};

/// Ends the connection below a WebSocket that has been closed.
inline void teardown(boost::beast::role_type, TimedSocket& socket,
                     boost::system::error_code& code) {
  socket.shut();
  code = {};
}

}  // namespace zithercraft::remote_internal
