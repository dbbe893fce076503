#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "zithercraft/game/game.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/policy.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {

/// A policy that a training with opposed sides kept of itself.
struct PastMember {
  std::int64_t steps = 0;  ///< after which it was kept
  /// how much of the training it stands for, 0 to 1; all together 1
  double share = 0.0;
  Policy policy;  ///< as it was then
};

/// What a training was, from a tenth of its length on: the policies of a role in a checkpoint's
/// roster, the oldest first, and the present one as the last. Where no single policy is best, since
/// others would find what beats it, those of a whole training together come close: see
/// `mixture_player`. Of the role, or if the checkpoint has no policy for it of `or_role`. Throws
/// Error (refused) if there is no policy for either, or no roster: the training had no opposed
/// sides that learned.
std::vector<PastMember> past_members(const TensorFile& checkpoint, const std::string& role,
                                     const std::string& or_role = {});

/// The mixture of them as a player of a role, or of the one that the role mirrors. Throws Error
/// (refused) as `past_members` and `mixture_player` do.
std::unique_ptr<Player> past_mixture(const Game& game, std::size_t role,
                                     const TensorFile& checkpoint,
                                     ActionMode actions = ActionMode::usual,
                                     std::uint64_t seed = 0);

/// How an average policy is learned.
struct AverageSettings {
  std::int64_t steps = 200'000;  ///< played to learn from, over all seats, at least 1
  std::uint64_t seed = 0;        ///< of the episodes and the networks
};

/// One policy that does at every moment what the members of a roster do there on average: a network
/// that imitates them (Heinrich, Silver: "Deep reinforcement learning from self-play in
/// imperfect-information games", 2016). Members are drawn for each side in each episode, so that it
/// plays like their mixture. It samples its actions.
///
/// Returns a file with the policies of all roles that have a roster, as `Policy::from` reads them,
/// each in the place that it has in the checkpoint. The same bits for the same game, checkpoint and
/// settings. Throws Error (refused) if nobody has a roster, or policies do not fit the game.
TensorFile average_policies(const Game& game, const TensorFile& checkpoint,
                            const AverageSettings& settings = {});

}  // namespace zithercraft
