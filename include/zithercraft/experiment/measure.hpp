#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/work_count.hpp"
#include "zithercraft/evaluate/statistics.hpp"
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

/// Interval of a measure over trained policies, each measured over so many episodes: as
/// `repetitions_interval`, within what the measure can be (a share from 0 to 1, counts and times
/// from 0 on), and no narrower than the episodes themselves allow where all of them agree. `values`
/// must not be empty.
Interval measure_interval(const std::string& measure, std::span<const double> values,
                          std::int64_t episodes);
/// Likewise of the difference of a measure between two groups of policies.
Interval measure_difference(const std::string& measure, std::span<const double> a,
                            std::span<const double> b);
/// What to say of intervals over so many seeds: that they are too few, or nothing.
std::string too_few_seeds(std::size_t seeds);

}  // namespace zithercraft
