#pragma once

#include <atomic>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "zithercraft/net/policy.hpp"

/// The viewer page, served from this machine.
namespace zithercraft {

/// Where a page is served, and until when.
struct ServeOptions {
  std::string address =
      "127.0.0.1";         ///< to listen at; any that is not of this machine alone needs a token
  std::uint16_t port = 0;  ///< 0: any that is free
  std::string token{};     ///< what addresses of the page must carry as `token=...`
  const std::atomic<bool>* stop = nullptr;  ///< when it becomes true, serving ends
  /// Called with the page's address once it is there.
  std::function<void(const std::string& url)> on_ready{};
};

/// Shows one to four replays side by side until stopped. `policies`: whose networks are shown at
/// work, one for all replays or one for each. Throws Error (file, usage, refused).
void serve_replays(const std::vector<std::filesystem::path>& replays, const ServeOptions& options,
                   const std::vector<Policy>& policies = {});

/// Shows a running or finished training until stopped: curves that grow, and episodes of its newest
/// policy, played here when somebody looks. Training is slowed only by the processor time that this
/// takes. Throws Error (file, usage).
void serve_run(const std::filesystem::path& run, const ServeOptions& options);

}  // namespace zithercraft
