#pragma once

#include <cstddef>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/base/aligned.hpp"

namespace zithercraft {

class RandomStream;

/// A fully connected network: linear layers with tanh between them, the last one linear.
///
/// It holds no weights: they live in one flat array given by the caller, so that optimisers, checkpoints and gradient
/// checks see plain numbers. Samples are contiguous: `inputs` is [samples][inputs], the result [samples][outputs].
/// `float` for use, `double` for checking gradients. All arrays of numbers must come from AlignedBuffer.
template <class Scalar>
class Mlp {
 public:
  struct Layer {
    std::size_t inputs = 0, outputs = 0;
    std::size_t weights = 0;  ///< offset of the [outputs][inputs] weights
    std::size_t biases = 0;   ///< offset of the [outputs] biases
  };

  /// What each layer gave for the last batch; one per thread, reused without allocating.
  class Workspace {
   public:
    Workspace() = default;

   private:
    friend class Mlp;
    std::size_t most_samples = 0;
    std::vector<AlignedBuffer<Scalar>> values, gradients;
  };

  Mlp() = default;
  /// Widths from inputs to outputs, at least two, all above 0.
  explicit Mlp(std::vector<std::size_t> widths);

  std::span<const Layer> layers() const noexcept { return layers_; }
  std::size_t inputs() const noexcept { return layers_.front().inputs; }
  std::size_t outputs() const noexcept { return layers_.back().outputs; }
  /// Length of the flat array; each part of it starts on a 64-byte boundary.
  std::size_t parameters() const noexcept { return parameters_; }
  Workspace workspace(std::size_t most_samples) const;

  /// Orthogonal weights (Saxe, McClelland, Ganguli: "Exact solutions to the nonlinear dynamics of learning in deep
  /// linear neural networks", 2014), biases 0. Hidden layers get gain sqrt(2), the last one `last_gain`.
  void initialise(std::span<Scalar> parameters, RandomStream& random, double last_gain) const;

  /// Returns the outputs, which stay in the workspace until its next use.
  std::span<const Scalar> forward(std::span<const Scalar> parameters, std::span<const Scalar> inputs,
                                  std::size_t samples, Workspace& room) const;

  /// Adds d(loss)/d(parameters) to `gradient`, given d(loss)/d(outputs) of the batch last sent forward through `room`.
  void backward(std::span<const Scalar> parameters, std::span<const Scalar> inputs, std::size_t samples,
                std::span<const Scalar> output_gradient, Workspace& room, std::span<Scalar> gradient) const;

 private:
  std::vector<Layer> layers_;
  std::size_t parameters_ = 0;
};

extern template class Mlp<float>;
extern template class Mlp<double>;

}  // namespace zithercraft
