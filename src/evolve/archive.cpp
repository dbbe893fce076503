#include <algorithm>
#include <cmath>

#include "evolve/population.hpp"

namespace zithercraft::evolve_internal {
namespace {

// Mean distance over the encounters.
double apart(const std::vector<float>& a, const std::vector<float>& b) {
  double sum = 0.0;
  for (std::size_t i = 0; i + 3 <= a.size(); i += 3) {
    double squares = 0.0;
    for (std::size_t k = i; k < i + 3; ++k) {
      const double d = static_cast<double>(a[k]) - static_cast<double>(b[k]);
      squares += d * d;
    }
    sum += std::sqrt(squares);
  }
  return a.empty() ? 0.0 : sum / static_cast<double>(a.size() / 3);
}

}  // namespace

// Lehman and Stanley: "Abandoning objectives: evolution through the search for novelty alone",
// 2011.
std::vector<double> Archive::judge(const std::vector<std::vector<float>>& places) {
  std::vector<double> novelty(places.size());
  std::vector<double> distances;
  for (std::size_t i = 0; i < places.size(); ++i) {
    distances.clear();
    for (std::size_t k = 0; k < places.size(); ++k)
      if (k != i) distances.push_back(apart(places[i], places[k]));
    for (const auto& kept : kept_) distances.push_back(apart(places[i], kept));
    const std::size_t near = std::min(neighbours_, distances.size());
    std::partial_sort(distances.begin(), distances.begin() + static_cast<std::ptrdiff_t>(near),
                      distances.end());
    for (std::size_t k = 0; k < near; ++k) novelty[i] += distances[k] / static_cast<double>(near);
  }
  if (most_ > 0) {
    if (kept_.size() == most_) kept_.pop_front();
    kept_.push_back(places[static_cast<std::size_t>(
        std::max_element(novelty.begin(), novelty.end()) - novelty.begin())]);
  }
  return novelty;
}

}  // namespace zithercraft::evolve_internal
