#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "zithercraft/net/policy.hpp"

/// Trained policies for games that run elsewhere and only ask for controls: shipped games, live
/// matches. docs/formats/remote.md specifies the messages.
namespace zithercraft {

/// Where games ask.
struct PolicyServerOptions {
  std::string address = "127.0.0.1";  ///< of this machine, to listen at
  std::uint16_t port = 0;             ///< to listen at; 0: any that is free
  std::string token{};   ///< what games must carry; needed if others than this machine can reach it
  bool sampled = false;  ///< actions are sampled by their probabilities, not the most likely ones
  std::uint64_t seed = 0;  ///< of sampling
};

/// How things stand with a policy server.
struct PolicyServerReport {
  std::size_t clients = 0;     ///< that are connected
  std::int64_t requests = 0;   ///< answered so far
  std::int64_t decisions = 0;  ///< of seats, so far
};

/// Answers games that ask what to do, as long as it lives. What many ask at one time is decided
/// together.
class PolicyServer {
 public:
  /// `policies`: one for each role that can be asked for; the first is meant where none is named.
  /// Throws Error (usage) if there is none, two are of one role, or an option cannot be used, Error
  /// (file) if the port cannot be listened at.
  PolicyServer(std::vector<Policy> policies, const PolicyServerOptions& options = {});
  ~PolicyServer();
  PolicyServer(const PolicyServer&) = delete;
  PolicyServer& operator=(const PolicyServer&) = delete;

  /// Where games ask: a URL of RFC 6455, with the token if there is one.
  std::string address() const;
  /// Who asks.
  PolicyServerReport report() const;

  struct State;  ///< opaque

 private:
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft
