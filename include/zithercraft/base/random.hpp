#pragma once

#include <array>
#include <cstdint>
#include <string_view>

namespace zithercraft {

/// A seed for one use of a seed: training, scoring and so on draw from unrelated streams though the
/// user gives one number.
std::uint64_t derived_seed(std::uint64_t seed, std::string_view use) noexcept;

/// What a stream of random numbers is for. Streams of different purposes never share a number.
enum class Purpose : std::uint32_t {
  place = 1,
  decide = 2,
  initialise = 3,
  shuffle = 4,
  bootstrap = 5,
  wander = 6,
  meet = 7,
  generate = 8,
  vary = 9,
  come_back = 10,
  river = 11,
  sense = 12,
  stage = 13,
  oppose = 14,
  evolve = 15,
  user = 64
};

/// A stream of random numbers that is a pure function of (seed, lane, episode, purpose) and its
/// position.
///
/// Counter-based: Philox4x32 with ten rounds (Salmon, Moraes, Dror, Shaw: "Parallel random numbers:
/// as easy as 1, 2, 3", SC 2011). No state is shared, so streams can be made wherever and whenever
/// they are needed; the same key gives the same numbers on any thread, compiler and machine.
class RandomStream {
 public:
  /// The stream of an episode for one purpose; equal arguments give equal numbers.
  RandomStream(std::uint64_t seed, std::uint32_t lane, std::uint32_t episode,
               Purpose purpose) noexcept;

  /// Goes to a part of the stream of its own for (section, number); once per stream, before numbers
  /// are drawn.
  void jump(std::uint32_t section, std::uint32_t number) noexcept;

  /// 32 independent random bits.
  std::uint32_t bits() noexcept;
  /// Uniform in [0, 1), in steps of 2^-24.
  float uniform() noexcept;
  /// Uniform in [low, high].
  double between(double low, double high) noexcept;
  /// Uniform in {0, ..., count - 1}; count must be at least 1.
  std::uint32_t below(std::uint32_t count) noexcept;
  /// Standard normal (Box and Muller 1958).
  float normal() noexcept;

 private:
  void refill() noexcept;

  std::array<std::uint32_t, 2> key_;
  std::array<std::uint32_t, 4> counter_;
  std::array<std::uint32_t, 4> block_{};
  std::uint32_t used_ = 4;
};

}  // namespace zithercraft
