#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>

namespace zithercraft {

class TensorFile;
class WorkerPool;

/// How a search stands.
struct SearchReport {
  /// how far mutations or samples reach, in standard deviations of the first weights
  double mutation_strength = 0.0;
  double diversity = 0.0;  ///< mean distance of two individuals along one weight, in the same unit
};

/// A search for vectors of numbers, of which nothing is known but how good those of a generation
/// turned out to be. Numbers are meant to be of the size of 1 when the search begins. The same seed
/// and fitness give the same bits.
///
///     while (...) {
///       for (i in individuals()) { candidate(i, numbers); fitness[i] = ...; }
///       improve(fitness, progress);
///     }
class Search {
 public:
  virtual ~Search() = default;

  virtual std::size_t dimension() const noexcept = 0;    ///< numbers in a vector
  virtual std::size_t individuals() const noexcept = 0;  ///< of each generation
  virtual std::int64_t generation() const noexcept = 0;  ///< finished so far
  /// The vector of an individual of this generation. May be called by several threads at once.
  virtual void candidate(std::size_t individual, std::span<float> out) const = 0;
  /// The mean of the distribution that this generation was drawn from, for searches that have one;
  /// else false.
  virtual bool mean(std::span<float> out) const = 0;
  /// Makes the next generation of this one. `fitness`: of each individual, more is better;
  /// `progress` is the share of the search that is done, for schedules. Throws Error (numbers),
  /// naming the individual, if one is not finite.
  virtual void improve(std::span<const double> fitness, double progress, WorkerPool& pool) = 0;
  /// Of the last generation.
  virtual SearchReport report() const = 0;

  /// Everything needed to continue.
  virtual void store(TensorFile& file) const = 0;
  /// Throws Error (file, refused) if it was not stored by such a search.
  virtual void restore(const TensorFile& file) = 0;
};

}  // namespace zithercraft
