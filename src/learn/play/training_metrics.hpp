#pragma once

// What an update of any training brought, by name, and how that is described.

#include <vector>

#include "zithercraft/learn/method.hpp"
#include "zithercraft/learn/phase_times.hpp"
#include "zithercraft/learn/ppo.hpp"

namespace zithercraft::learn_internal {

/// Of the rollout and of the improvements of all policies together.
void add_times(const PhaseTimes& times, std::vector<Metric>& metrics);
void add_roster(const RosterReport& roster, double past_share, std::vector<Metric>& metrics);

/// Describes what these add.
std::vector<MetricInfo> training_infos();
std::vector<ChartInfo> roster_charts();

}  // namespace zithercraft::learn_internal
