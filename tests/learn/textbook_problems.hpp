#pragma once

// Textbook control problems as custom games, from their published equations with constants of our
// own.

#include <cstdint>

#include "zithercraft/game/spec.hpp"

namespace zithercraft {
class Player;
class WorkerPool;
class Game;
}  // namespace zithercraft

namespace zithercraft::test {

/// A game without things: all that happens is what its rule says.
GameSpec empty_game(const std::string& name, double tick, std::int64_t steps);
/// A pole on a cart, held up by pushes to the left or right; a step upright is worth 1, of 400.
GameSpec pole_on_a_cart();
/// A pendulum too heavy to be lifted at once has to be swung up and held by one dial.
GameSpec swing_up();
/// A car too weak for its hill has to swing back and forth to leave the valley by one dial.
GameSpec valley();
/// Two rods that hang from each other are swung up by a choice of three torques.
GameSpec two_rods();
/// Cells with a wall across, whose door opens with a key.
GameSpec key_and_door();
/// One decision an episode: two dials that should be where four numbers say.
GameSpec one_decision();
/// A sign is shown at the first step, and tells what to do so many steps later.
GameSpec sign(int wait);
/// Of 200 episodes with fresh seeds.
double mean_return(const Game& game, const Player& player, WorkerPool& pool);

}  // namespace zithercraft::test
