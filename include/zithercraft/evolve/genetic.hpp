#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "zithercraft/evolve/noise.hpp"
#include "zithercraft/evolve/search.hpp"

namespace zithercraft {

/// How parents are chosen.
enum class Selection : std::uint8_t {
  best,       ///< the best of the population, all as often
  tournament  ///< the best of some that are drawn for each child
};

/// How individuals are chosen, crossed and changed.
struct GeneticSettings {
  std::optional<std::int64_t> population{};  ///< individuals, at least 2; 256 if nobody decides
  Selection selection = Selection::best;     ///< how parents are chosen
  double parents = 0.1;  ///< share of the population that has children, if the best have; above 0
  std::int64_t tournament_size = 4;  ///< individuals in a tournament, at least 1
  std::int64_t elites = 4;  ///< best individuals that live on unchanged, below the population
  /// share of children that take each weight from one of two parents, 0 to 1
  double crossover = 0.0;
  double mutated = 1.0;  ///< share of a child's weights that are changed, above 0, at most 1
  double mutation_strength = 0.5;  ///< of changes in the first generation, in standard deviations
                                   ///< of first weights, above 0
  double last_mutation_strength =
      0.05;             ///< in the last one; in between they fall evenly in the logarithm
  bool adapts = false;  ///< each individual has a mutation strength of its own, which mutates too
  bool operator==(const GeneticSettings&) const = default;
};

/// A genetic algorithm over vectors. Children are kept as their parents' numbers and a seed, so
/// that memory holds the parents alone: with a population of 1000 of which 20 have children, 40
/// vectors.
class GeneticSearch final : public Search {
 public:
  /// All individuals of the first generation are drawn at random; or with a `start` they are
  /// mutations of it, the first one being the start itself. Throws Error (spec) if the settings
  /// make no sense.
  GeneticSearch(std::size_t numbers, const GeneticSettings& settings, std::uint64_t seed,
                std::vector<float> start = {});
  ~GeneticSearch() override;

  std::size_t dimension() const noexcept override;
  std::size_t individuals() const noexcept override;
  std::int64_t generation() const noexcept override;
  void candidate(std::size_t individual, std::span<float> out) const override;
  bool mean(std::span<float>) const override { return false; }
  void improve(std::span<const double> fitness, double progress, WorkerPool& pool) override;
  /// Of the last generation.
  SearchReport report() const override;
  void store(TensorFile& file) const override;
  void restore(const TensorFile& file) override;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft
