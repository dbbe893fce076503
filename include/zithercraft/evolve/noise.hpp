#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

namespace zithercraft {

/// A long row of standard normal numbers. A seed is the name of the slice of it that begins where
/// the seed says, so that a mutation of a million weights is kept as one number (Such et al.: "Deep
/// neuroevolution", 2017; the table as in Salimans et al.: "Evolution strategies as a scalable
/// alternative to reinforcement learning", 2017). Copies share it.
class Noise {
 public:
  /// For slices of at most `numbers` numbers; the row depends on their length alone.
  explicit Noise(std::size_t most_numbers);

  /// Numbers from the seed's place on.
  std::span<const float> slice(std::uint64_t seed, std::size_t numbers) const;
  /// out += strength * slice. Calls may come from several threads.
  void add(std::uint64_t seed, float strength, std::span<float> out) const;

 private:
  std::shared_ptr<const std::vector<float>> row_;
};

/// Another number for each (seed, a, b), spread evenly over all of 64 bits.
std::uint64_t mixed(std::uint64_t seed, std::uint64_t a, std::uint64_t b) noexcept;

}  // namespace zithercraft
