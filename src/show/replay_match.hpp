#pragma once

#include <nlohmann/json.hpp>
#include <string>

#include "zithercraft/record/replay.hpp"

namespace zithercraft {

/// A replay as the viewer page reads it, message by message.
class ReplayMatch {
 public:
  ReplayMatch(Replay replay, std::string name);

  const std::string& name() const { return name_; }
  /// What the page is told first: the scene, the episodes with their events, the forms of things.
  const nlohmann::json& meta() const { return meta_; }
  std::size_t episodes() const { return replay_.episodes().size(); }
  /// How many messages hold an episode.
  std::size_t messages(std::size_t episode) const;
  /// Throws Error (usage) if there is no such message.
  std::string message(std::size_t episode, std::size_t number);

 private:
  Replay replay_;
  std::string name_;
  nlohmann::json meta_;
  std::size_t per_message_;
};

}  // namespace zithercraft
