#pragma once

// What an update of proximal policy optimisation brought, by name.

#include <vector>

#include "zithercraft/learn/ppo.hpp"

namespace zithercraft::learn_internal {

std::vector<Metric> metrics_of(const PolicyGradientReport& report);
/// Of the rollout and of the improvements of all policies together.
void add_times(PhaseTimes times, const std::vector<PolicyGradientReport>& improvements,
               std::vector<Metric>& metrics);
void add_roster(const RosterReport& roster, double past_share, std::vector<Metric>& metrics);

}  // namespace zithercraft::learn_internal
