#pragma once

// A policy network that learns to do what it is shown.

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "zithercraft/base/aligned.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/heads.hpp"
#include "zithercraft/net/network.hpp"
#include "zithercraft/net/normaliser.hpp"
#include "zithercraft/net/policy.hpp"

namespace zithercraft::learn_internal {

class Student {
 public:
  /// Steps that it watches before it learns.
  static constexpr std::size_t span = 32;

  /// Plays `roles`. It is laid out and normalises like the policy in the file, but begins with
  /// weights of its own.
  Student(const Environment& environment, std::vector<std::size_t> roles, const TensorFile& like,
          std::uint64_t seed);

  std::span<const std::size_t> roles() const { return roles_; }
  /// Takes down what is sensed, and how it was acted upon: before a step, once all have decided.
  void watch(const Environment& environment, std::size_t time);
  /// Learns from the steps that it watched, several times.
  void learn(double learning_rate);
  /// As a policy that samples.
  void store(TensorFile& file) const;

 private:
  /// From some of the steps.
  void add_gradient(std::size_t first, std::size_t count);
  void watch_row(const Environment& environment, std::size_t role, std::size_t row,
                 std::size_t sample);

  std::vector<std::size_t> roles_;
  PolicySignature signature_;
  Heads heads_;
  Network<float> net_;
  Normaliser normaliser_;
  std::size_t rows_, stddev_offset_;
  AlignedBuffer<float> parameters_, prepared_, gradient_;
  Adam adam_;
  Network<float>::Workspace room_;
  AlignedBuffer<float> inputs_, memory_, before_, output_gradient_, kept_;
  std::vector<float> actions_, allowed_;
  std::vector<std::uint8_t> begins_, counts_;
};

}  // namespace zithercraft::learn_internal
