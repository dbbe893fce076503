#pragma once

// A connection to one game process.

#include <atomic>
#include <chrono>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "remote/clock.hpp"
#include "remote/message.hpp"

namespace zithercraft::remote_internal {

/// The connection failed, or the peer did something that it must not.
struct LinkError : std::runtime_error {
  using std::runtime_error::runtime_error;
};

/// A WebSocket to a game. All that reads or writes must hold `busy`.
class GameLink final : public StateReceiver {
 public:
  struct Wire;  ///< the WebSocket below
  GameLink(std::unique_ptr<Wire> wire, Hello hello, Form form, std::size_t number);
  ~GameLink() override;

  std::mutex busy;

  /// Sends a message and counts it.
  void send(const std::string& message, Clock::time_point deadline);
  /// Waits for one message, and hands on what it says.
  Received receive(const GameShape& shape, Clock::time_point deadline);
  /// Whether there is something to receive, within so long.
  bool ready(Clock::time_point until);
  /// Tells the peer why, and ends the connection.
  void close(const std::string& why);

  const Hello& hello() const { return hello_; }
  Form form() const { return form_; }
  std::size_t number() const { return number_; }

  /// The next state of a copy goes there. With `busy` held.
  void expect(std::size_t copy, CopyPart& place) { places_[copy] = &place; }
  /// Where the state of a copy goes; null if none is expected.
  CopyPart* of_copy(std::size_t copy) override;

  std::atomic<bool> open{true};       // changed with the host's lock held
  std::atomic<std::size_t> steps{0};  // of all copies
  double since = 0.0;                 // seconds after the host began

 private:
  std::unique_ptr<Wire> wire_;
  std::vector<CopyPart*> places_;   // of each copy, while its state is expected
  std::vector<std::size_t> found_;  // copies of the message that is read
  Hello hello_;
  Form form_;
  std::size_t number_;
};

}  // namespace zithercraft::remote_internal
