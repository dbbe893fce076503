#include <algorithm>
#include <cmath>

#include "evolve/ranking.hpp"
#include "zithercraft/base/aligned.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/evolve/strategies.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
using namespace evolve_internal;
namespace {

constexpr double usual_learning_rate = 0.2;
constexpr std::size_t piece = 16384;  // numbers of the gradient that one thread sums up at a time

}  // namespace

struct StrategySearch::State {
  StrategySettings settings;
  std::uint64_t seed;
  Noise noise;
  std::int64_t generation = 0;
  AlignedBuffer<float> middle, gradient;
  Adam adam;

  State(std::size_t n, const StrategySettings& s, std::uint64_t given)
      : settings(s), seed(given), noise(n), middle(n), gradient(n), adam(n) {}

  std::uint64_t seed_of(std::size_t pair) const {
    return mixed(seed, static_cast<std::uint64_t>(generation), pair);
  }
};

StrategySearch::StrategySearch(std::size_t numbers, const StrategySettings& settings,
                               std::uint64_t seed, std::vector<float> start)
    : state_(std::make_unique<State>(numbers, settings, derived_seed(seed, "strategy"))) {
  if (settings.population && (*settings.population < 2 || *settings.population % 2 != 0))
    wrong_setting("population", "not every sample would have a mirror image",
                  "give an even number from 2 on");
  if (!(settings.stddev > 0.0))
    wrong_setting("stddev", "all samples would be the same", "give a number above 0");
  if (!(settings.learning_rate.value_or(usual_learning_rate) > 0.0 &&
        settings.last_learning_rate >= 0.0))
    wrong_setting("learning_rate", "nothing would be learned", "give a number above 0");
  if (!start.empty() && start.size() != numbers)
    throw Error(ErrorKind::usage,
                fmt::format("{} numbers to start from, of {}", start.size(), numbers),
                "StrategySearch", "give as many as a vector has");
  if (start.empty()) {
    state_->noise.add(mixed(state_->seed, 0, 0), 1.0f, state_->middle.span());
  } else {
    std::copy(start.begin(), start.end(), state_->middle.begin());
  }
}
StrategySearch::~StrategySearch() = default;

std::size_t StrategySearch::dimension() const noexcept { return state_->middle.size(); }
std::size_t StrategySearch::individuals() const noexcept {
  return static_cast<std::size_t>(state_->settings.population.value_or(256));
}
std::int64_t StrategySearch::generation() const noexcept { return state_->generation; }

// Individuals 2k and 2k + 1 are mirror images of each other.
void StrategySearch::candidate(std::size_t individual, std::span<float> out) const {
  const State& s = *state_;
  const auto stddev = static_cast<float>(s.settings.stddev);
  std::copy(s.middle.begin(), s.middle.end(), out.begin());
  s.noise.add(s.seed_of(individual / 2), individual % 2 == 0 ? stddev : -stddev, out);
}
bool StrategySearch::mean(std::span<float> out) const {
  std::copy(state_->middle.begin(), state_->middle.end(), out.begin());
  return true;
}

void StrategySearch::improve(std::span<const double> fitness, double progress, WorkerPool& pool) {
  State& s = *state_;
  check_fitness(fitness, individuals());
  // By rank, from -0.5 to 0.5; equals share theirs.
  const auto order = best_first(fitness);
  const std::size_t people = order.size();
  std::vector<double> worth(people);
  for (std::size_t first = 0, stop = 0; first < people; first = stop) {
    while (stop < people && fitness[order[stop]] == fitness[order[first]]) ++stop;
    const double rank = 0.5 * static_cast<double>(first + stop - 1);
    for (std::size_t k = first; k < stop; ++k)
      worth[order[k]] = 0.5 - rank / static_cast<double>(people - 1);
  }
  const double scale = 1.0 / (static_cast<double>(people) * s.settings.stddev);
  const std::size_t pieces = (dimension() + piece - 1) / piece;
  pool.run(pieces, [&](std::size_t p, std::size_t) {
    const std::size_t first = p * piece, n = std::min(piece, dimension() - first);
    const auto out = s.gradient.span().subspan(first, n);
    std::fill(out.begin(), out.end(), 0.0f);
    for (std::size_t pair = 0; pair < people / 2; ++pair) {
      // Down is better.
      const auto by = static_cast<float>(scale * (worth[2 * pair + 1] - worth[2 * pair]));
      const float* noise = s.noise.slice(s.seed_of(pair), dimension()).data() + first;
      if (by != 0.0f)
        for (std::size_t i = 0; i < n; ++i) out[i] += by * noise[i];
    }
  });
  if (s.settings.decay > 0.0) {
    const auto keep = static_cast<float>(1.0 - s.settings.decay);
    for (float& x : s.middle) x *= keep;
  }
  s.adam.step(s.middle.span(), s.gradient.span(),
              std::lerp(s.settings.learning_rate.value_or(usual_learning_rate),
                        s.settings.last_learning_rate, progress));
  ++s.generation;
}

SearchReport StrategySearch::report() const {
  // Two normal samples of that standard deviation are so far apart on average.
  const double stddev = state_->settings.stddev;
  return {stddev, stddev * 2.0 / std::sqrt(3.14159265358979323846)};
}

void StrategySearch::store(TensorFile& file) const {
  const State& s = *state_;
  file.put("strategy.middle", {dimension()}, s.middle.span());
  file.put("strategy.first_moments", {dimension()}, s.adam.first_moments().span());
  file.put("strategy.second_moments", {dimension()}, s.adam.second_moments().span());
  const std::array<std::int64_t, 2> counts{s.generation, s.adam.steps()};
  file.put("strategy.counts", std::span<const std::int64_t>(counts));
}

void StrategySearch::restore(const TensorFile& file) {
  State& s = *state_;
  file.get("strategy.middle", s.middle.span());
  file.get("strategy.first_moments", s.adam.first_moments().span());
  file.get("strategy.second_moments", s.adam.second_moments().span());
  const auto counts = file.integers("strategy.counts");
  s.generation = counts.at(0);
  s.adam.set_steps(counts.at(1));
}

}  // namespace zithercraft
