#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "zithercraft/game/environment.hpp"
#include "zithercraft/net/policy.hpp"

namespace zithercraft {

/// Decides for the seats of a role: a policy, a script, a person, random, a recording. A player is
/// used by one thread at a time; `copy` makes one for another.
class Player {
 public:
  virtual ~Player() = default;
  /// As tables name it.
  virtual std::string name() const = 0;
  /// One that plays the same, for another thread.
  virtual std::unique_ptr<Player> copy() const = 0;
  /// Fills in the role's controls for `count` lanes from `first`. What it decides depends on the
  /// lane's episode alone.
  virtual void decide(Environment& environment, std::size_t role, std::size_t first,
                      std::size_t count) = 0;
  /// Fills in what it would do, for somebody else who acts; not a number where it does not know.
  virtual void advise(Environment& environment, std::size_t role, std::size_t first,
                      std::size_t count) {
    decide(environment, role, first, count);
  }
};

/// What a policy makes of its probabilities.
enum class ActionMode : std::uint8_t {
  usual,    ///< as it was evolved; one trained by gradients is greedy
  greedy,   ///< the most likely
  sampled,  ///< drawn by the episode's key and the seed
};
/// The word for it.
const char* name_of(ActionMode actions);
/// What a policy does if it is asked for these: never `usual`.
ActionMode actions_of(const Policy& policy, ActionMode asked);

/// A trained policy of the role, or of the one that the role mirrors. Throws Error (refused),
/// naming the difference, if it does not fit the game's role.
std::unique_ptr<Player> policy_player(const Game& game, std::size_t role, Policy policy,
                                      ActionMode actions = ActionMode::usual,
                                      std::uint64_t seed = 0);

/// A policy of a mixture, and how often it is drawn beside others: at least 0.
struct MixtureMember {
  Policy policy;       ///< that may be drawn
  double share = 1.0;  ///< of draws, beside the others'
};
/// Draws one of several policies for each episode, and plays it to the end. Where others would find
/// what beats any one policy, they do not know which one they meet. `usual` actions are sampled.
/// Throws Error (refused) if a policy does not fit the role, (usage) if there is none to draw.
std::unique_ptr<Player> mixture_player(const Game& game, std::size_t role,
                                       std::vector<MixtureMember> members,
                                       ActionMode actions = ActionMode::usual,
                                       std::uint64_t seed = 0);
/// Every control uniform in its range, drawn at each step.
std::unique_ptr<Player> random_player(std::uint64_t seed = 0);

/// The expert of a custom game's own. Throws Error (spec) if the game has none.
std::unique_ptr<Player> expert_player(const Game& game);

/// The role's script. Throws Error (spec) if it has none, or none is known by its name.
std::unique_ptr<Player> script_player(const Game& game, std::size_t role);

/// Why the role's script cannot play it: it needs a sense or a control that is not there. Empty if
/// it can, or if there is no script.
std::string misfit_of_script(const Game& game, std::size_t role);
/// Whether the role has a script that can play it.
bool has_script(const Game& game, std::size_t role);

/// The default player of a role: its script if that can play it, the expert of a custom game, or
/// random controls.
std::unique_ptr<Player> usual_player(const Game& game, std::size_t role, std::uint64_t seed = 0);

/// Players for all roles: the given one for the first, the usual ones for the others.
class Lineup {
 public:
  /// `first` plays the first role; all others are played by their scripts, or at random.
  Lineup(const Game& game, std::unique_ptr<Player> first, std::uint64_t seed = 0);
  /// The player of the first role.
  const Player& first() const { return *players_.front(); }
  /// One for each role.
  std::vector<Player*> players() const;
  /// One for each role.
  std::vector<const Player*> const_players() const;

 private:
  std::vector<std::unique_ptr<Player>> players_;
};

/// Checks that the scripts named in the game are known. Throws Error (spec) with advice. A known
/// one that cannot play its role is no error until somebody asks for it.
void check_scripts(const Game& game);

}  // namespace zithercraft
