#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {

/// Who plays for a training in which opposed sides learned and kept their past policies.
enum class TrainedAs : std::uint8_t {
  latest,   ///< the policy of the checkpoint
  mixture,  ///< in each episode one of the past policies, or the present one: see `past_members`
  average   ///< a network that imitates the mixture: see `average_policies`
};
/// The word for it.
const char* name_of(TrainedAs as);

/// Somebody who can play, by what people call them: "script", "random", "expert"
/// (of a custom game's own), a run's folder, a run's
/// checkpoint as FOLDER:NAME, a checkpoint's file, or a replay (.zrep) whose recorded controls are
/// played again: in an episode that it holds those of that one, else an episode of it for each that
/// is played, from the first on; at rest once it is over.
class PlayerSource {
 public:
  /// Throws Error (usage, file) if nothing of the kind is there.
  static PlayerSource find(const std::string& name, TrainedAs as = TrainedAs::latest);

  /// As tables name it.
  const std::string& name() const noexcept { return name_; }
  /// Who plays, if it is a trained one.
  TrainedAs as() const noexcept { return as_; }
  /// What it does if it is asked for these actions: mixtures and averages sample usual ones.
  ActionMode actions(ActionMode asked) const noexcept;
  /// Why it cannot play a role, in plain words; empty if it can.
  std::string objection(const Game& game, std::size_t role) const;
  /// Throws Error (refused) with the objection.
  std::unique_ptr<Player> player(const Game& game, std::size_t role, ActionMode actions,
                                 std::uint64_t seed) const;
  /// The checkpoint's file, of a trained one.
  std::optional<std::filesystem::path> checkpoint() const;
  /// The replay, of a recording.
  std::optional<std::filesystem::path> recording() const;
  /// The game it was trained or recorded in, if it was.
  std::optional<GameSpec> game() const;

 private:
  enum class Kind : std::uint8_t { script, random, expert, checkpoint, recording };
  // An average policy takes a while to learn; what was learned for a game is kept.
  struct Averages {
    std::string game{};
    TensorFile policies{};
  };
  std::unique_ptr<Player> make(const Game& game, std::size_t role, ActionMode actions,
                               std::uint64_t seed) const;
  std::unique_ptr<Player> trained(const Game& game, std::size_t role, ActionMode actions,
                                  std::uint64_t seed) const;
  const TensorFile& average(const Game& game) const;

  Kind kind_ = Kind::random;
  std::string name_{};
  std::filesystem::path file_{};  // the checkpoint or the replay
  std::optional<std::filesystem::path> run_{};
  TrainedAs as_ = TrainedAs::latest;
  std::shared_ptr<Averages> averages_ = std::make_shared<Averages>();
};

/// The players of a training's roles, by its settings. Throws Error (spec, usage, file, refused).
std::vector<RolePlayer> role_players(const Game& game, const RunSettings& settings);

}  // namespace zithercraft
