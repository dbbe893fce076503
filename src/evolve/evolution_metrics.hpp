#pragma once

// What a generation brought, by name and in words.

#include <string>
#include <vector>

#include "zithercraft/evolve/evolution.hpp"

namespace zithercraft::evolve_internal {

/// How many times smaller diversity may get before it counts as gone.
constexpr double little_diversity = 0.02;

std::vector<Metric> metrics_of(const GenerationReport& report);
/// Of all populations together.
void add_times(const std::vector<GenerationReport>& reports, std::vector<Metric>& metrics);
std::string note_of(const GenerationReport& report);
/// What hinders it and what to change.
std::vector<std::string> warnings_of(const EvolutionSettings& settings,
                                     const GenerationReport& report, double first_diversity);

}  // namespace zithercraft::evolve_internal
