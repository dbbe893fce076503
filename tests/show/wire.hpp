#pragma once

#include <arpa/inet.h>
#include <sys/socket.h>
#include <unistd.h>

#include <chrono>
#include <cstdint>
#include <functional>
#include <string>
#include <thread>
#include <utility>

namespace zithercraft::test {

// A bare connection that says what it likes.
class Wire {
 public:
  explicit Wire(std::uint16_t port) : socket_(::socket(AF_INET, SOCK_STREAM, 0)) {
    sockaddr_in to{};
    to.sin_family = AF_INET;
    to.sin_port = htons(port);
    to.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    ::connect(socket_, reinterpret_cast<sockaddr*>(&to), sizeof to);
  }
  ~Wire() {
    if (socket_ >= 0) ::close(socket_);
  }
  Wire(Wire&& other) noexcept : socket_(std::exchange(other.socket_, -1)) {}
  Wire& operator=(Wire&&) = delete;
  void say(const std::string& bytes) const {
    [[maybe_unused]] const auto sent = ::send(socket_, bytes.data(), bytes.size(), MSG_NOSIGNAL);
  }
  /// What comes until this is in it, or until nothing more comes.
  std::string hear(const std::string& until) const {
    timeval time_limit{2, 0};
    ::setsockopt(socket_, SOL_SOCKET, SO_RCVTIMEO, &time_limit, sizeof time_limit);
    std::string heard;
    char bytes[4096];
    while (heard.find(until) == std::string::npos) {
      const auto n = ::recv(socket_, bytes, sizeof bytes, 0);
      if (n <= 0) break;
      heard.append(bytes, static_cast<std::size_t>(n));
    }
    return heard;
  }

 private:
  int socket_;
};

inline std::string handshake(std::uint16_t port) {
  return "GET /live HTTP/1.1\r\nHost: 127.0.0.1:" + std::to_string(port) +
         "\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Key: "
         "dGhlIHNhbXBsZSBub25jZQ==\r\n"
         "Sec-WebSocket-Version: 13\r\n\r\n";
}

/// A short text message of a client.
inline std::string text_frame(const std::string& text) {
  return std::string("\x81") + static_cast<char>(0x80 + text.size()) + std::string(4, '\0') + text;
}

inline bool eventually(const std::function<bool()>& holds, int seconds = 20) {
  for (int i = 0; i < seconds * 50; ++i) {
    if (holds()) return true;
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
  }
  return false;
}

}  // namespace zithercraft::test
