#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/work_count.hpp"
#include "zithercraft/experiment/plan.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {

/// Throws Error (spec), with advice, if a measure cannot be taken in the game; see Measures.
void check_measures(const GameSpec& game, const Measures& measures);

/// Takes the measures of a trained run: its newest policy decides greedily for the first role of
/// `game` over episodes 0 to `episodes - 1` of the seed. In the order of `measures`; those of a
/// target that was never reached are infinite. `progress` counts the episodes, once.
std::vector<double> take_measures(const Run& run, const GameSpec& game, const Measures& measures,
                                  std::int64_t episodes, std::uint64_t seed, double target,
                                  WorkerPool& pool, WorkCount* progress = nullptr);

}  // namespace zithercraft
