#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "zithercraft/evolve/noise.hpp"
#include "zithercraft/evolve/search.hpp"

namespace zithercraft {

/// How the search that adapts a covariance goes.
struct CovarianceSettings {
  std::int64_t population = 0;  ///< individuals, at least 4; 0: 4 + 3 ln(numbers)
  double first_stddev = 0.5;    ///< standard deviation of the first samples, in standard deviations
                                ///< of first weights, above 0
  /// Up to this many weights the whole covariance matrix is learned, beyond it variances alone.
  std::int64_t whole_up_to = 1000;
  bool operator==(const CovarianceSettings&) const = default;
};

/// Evolution strategy that adapts the covariances of its samples (Hansen: "The CMA evolution
/// strategy: a tutorial", 2016, with its weights and rates); for many numbers in the form that
/// adapts their variances alone (Ros and Hansen: "A simple modification in CMA-ES achieving linear
/// time and space complexity", 2008). Bad samples count too, by negative weights, but not in the
/// latter form.
class CovarianceSearch final : public Search {
 public:
  /// Begins around `start`, or around 0. Throws Error (spec) if the settings make no sense.
  CovarianceSearch(std::size_t numbers, const CovarianceSettings& settings, std::uint64_t seed,
                   std::vector<double> start = {});
  ~CovarianceSearch() override;

  std::size_t dimension() const noexcept override;
  std::size_t individuals() const noexcept override;
  std::int64_t generation() const noexcept override;
  /// An individual in full precision.
  std::span<const double> sample(std::size_t individual) const;
  /// Where it searches now.
  std::span<const double> middle() const;
  void candidate(std::size_t individual, std::span<float> out) const override;
  bool mean(std::span<float> out) const override;
  void improve(std::span<const double> fitness, double progress, WorkerPool& pool) override;
  /// Of the last generation.
  SearchReport report() const override;
  void store(TensorFile& file) const override;
  void restore(const TensorFile& file) override;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// How the search around a middle goes.
struct StrategySettings {
  /// individuals, an even number from 2 on: each sample has a mirror image; 256 if nobody decides
  std::optional<std::int64_t> population{};
  /// standard deviation of samples, in standard deviations of first weights, above 0
  double stddev = 0.5;
  /// of the first generation, above 0; 0.2 if nobody decides
  std::optional<double> learning_rate{};
  double last_learning_rate = 0.05;  ///< of the last one, at least 0
  double decay = 0.0;  ///< share of each weight that every generation takes away, 0 to 1
  bool operator==(const StrategySettings&) const = default;
};

/// Evolution strategy that follows the gradient of the fitness to be expected around the middle of
/// its samples, as estimated from these and their mirror images (Wierstra et al.: "Natural
/// evolution strategies", 2014; Salimans et al.: "Evolution strategies as a scalable alternative to
/// reinforcement learning", 2017). Fitness counts by its rank; steps are Adam's.
class StrategySearch final : public Search {
 public:
  /// Begins at `start`, or at random numbers. Throws Error (spec) if the settings make no sense.
  StrategySearch(std::size_t numbers, const StrategySettings& settings, std::uint64_t seed,
                 std::vector<float> start = {});
  ~StrategySearch() override;

  std::size_t dimension() const noexcept override;
  std::size_t individuals() const noexcept override;
  std::int64_t generation() const noexcept override;
  void candidate(std::size_t individual, std::span<float> out) const override;
  bool mean(std::span<float> out) const override;
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
