#pragma once

#include <map>
#include <string>
#include <vector>

#include "base/json.hpp"
#include "zithercraft/net/policy.hpp"
#include "zithercraft/record/replay.hpp"

namespace zithercraft::show_internal {

/// Throws Error (usage) unless there is no policy, one for all replays, or one for each.
void check_policies(std::size_t replays, const std::vector<Policy>& policies);

/// A replay as the viewer page reads it, message by message.
class ReplayMatch {
 public:
  ReplayMatch(Replay replay, std::string name);

  const std::string& name() const { return name_; }
  /// What the page gets first: the scene, the episodes with their events, the forms of things.
  const Json& meta() const { return meta_; }
  std::size_t episodes() const { return replay_.episodes().size(); }
  /// How many messages hold an episode.
  std::size_t messages(std::size_t episode) const;
  /// Throws Error (usage) if there is no such message.
  std::string message(std::size_t episode, std::size_t number);

  /// Shows the network of a policy beside the role that it plays. Throws Error (refused) if it does
  /// not fit.
  void show_network(const Policy& policy);
  /// Roles whose networks are shown.
  std::vector<std::size_t> networks() const;
  /// What each node of a role's network was at each moment of an episode, 32-bit numbers
  /// [moments][seats][nodes] in little-endian order, as often as the policy was asked. Throws Error
  /// (usage) if no network of the role is shown.
  std::string nodes(std::size_t role, std::size_t episode);

 private:
  Replay replay_;
  std::string name_;
  Json meta_;
  std::size_t per_message_;
  std::map<std::size_t, Policy> policies_;
};

}  // namespace zithercraft::show_internal
