#pragma once

// Whom a training learns from beside its own play.

#include <optional>
#include <string>
#include <vector>

#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/game.hpp"
#include "zithercraft/learn/demonstrations.hpp"
#include "zithercraft/learn/method.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft::run_internal {

/// What the method makes of the teachers of a training. Throws Error (refused) if it makes nothing
/// of them, or needs some.
TeacherUse teacher_use(const RunSettings& settings);

/// Gives roles that learn somebody who can be asked, if the method asks. Throws Error (usage, file,
/// refused) if no teacher can be.
void add_teachers(const Game& game, const RunSettings& settings, std::vector<RolePlayer>& players);

/// The demonstrations of a run: those that its folder keeps, or else what its teachers show now,
/// which the folder then keeps. Nothing if the method learns from none. Throws Error (usage, file,
/// refused).
std::optional<Demonstrations> demonstrations_of(const Run& run, const Game& game,
                                                const std::vector<RolePlayer>& players,
                                                WorkerPool& pool);

}  // namespace zithercraft::run_internal
