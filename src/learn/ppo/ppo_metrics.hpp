#pragma once

// What an update of proximal policy optimisation brought, by name.

#include <vector>

#include "zithercraft/learn/ppo.hpp"

namespace zithercraft::learn_internal {

std::vector<Metric> metrics_of(const PolicyGradientReport& report);

}  // namespace zithercraft::learn_internal
