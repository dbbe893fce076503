#pragma once

// Weights with noise whose strength is learned (Fortunato et al.: "Noisy networks for exploration",
// 2018): each is a mean plus its strength times a number that is drawn again now and then.

#include <span>
#include <vector>

#include "zithercraft/base/aligned.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/net/network.hpp"

namespace zithercraft::learn_internal {

class NoisyParameters {
 public:
  NoisyParameters() = default;
  /// Of a network's dense layers; what reads pictures and crowds has no noise.
  explicit NoisyParameters(const Network<float>& net);

  /// How strong the noise is at first.
  void first_strengths(std::span<float> strengths) const;
  /// Draws noise, and puts the parameters together.
  void draw(std::span<const float> means, std::span<const float> strengths, RandomStream random);
  std::span<const float> parameters() const { return parameters_.span(); }
  /// Adds the gradient of the strengths, given that of the parameters.
  void add_gradient(std::span<const float> by_parameters, std::span<float> by_strengths) const;

 private:
  std::vector<NetworkPart> parts_;
  AlignedBuffer<float> noise_, parameters_;
  std::vector<float> by_row_, by_column_;
};

}  // namespace zithercraft::learn_internal
