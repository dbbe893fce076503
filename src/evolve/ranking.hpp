#pragma once

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <numeric>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/base/error.hpp"

namespace zithercraft::evolve_internal {

// Individuals from the best to the worst; of equals the earlier one first.
inline std::vector<std::uint32_t> best_first(std::span<const double> fitness) {
  std::vector<std::uint32_t> order(fitness.size());
  std::iota(order.begin(), order.end(), 0u);
  std::stable_sort(order.begin(), order.end(),
                   [&](std::uint32_t a, std::uint32_t b) { return fitness[a] > fitness[b]; });
  return order;
}

inline void check_fitness(std::span<const double> fitness, std::size_t individuals) {
  if (fitness.size() != individuals)
    throw Error(ErrorKind::usage,
                fmt::format("{} individuals were given {} numbers", individuals, fitness.size()),
                "fitness", "give one for each");
  for (std::size_t i = 0; i < fitness.size(); ++i)
    if (!std::isfinite(fitness[i]))
      throw Error(ErrorKind::numbers,
                  fmt::format("the fitness of individual {} is {}", i, fitness[i]), "fitness",
                  "let it be a finite number for everything that an individual can do");
}

[[noreturn]] inline void wrong_setting(const std::string& key, const std::string& problem,
                                       const std::string& fix) {
  throw Error(ErrorKind::spec, problem, "learner." + key, fix);
}

}  // namespace zithercraft::evolve_internal
