#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/base/aligned.hpp"
#include "zithercraft/net/network_plan.hpp"

namespace zithercraft {

class RandomStream;
namespace net_internal {
template <class Scalar>
class Layer;
}

/// One array of a network's parameters: [rows][width] numbers, `stride` from row to row.
struct NetworkPart {
  std::string name{};                  ///< "hidden.0.weight", "output.bias"
  std::size_t rows = 0, width = 0;     ///< outputs; inputs of each
  std::size_t offset = 0, stride = 0;  ///< in the flat array
};

/// A network of fully connected layers, with convolutions over pictures, attention over crowds and
/// a memory where the plan asks for them.
///
/// It holds no weights: they live in one flat array given by the caller, so that optimisers,
/// checkpoints and gradient checks see plain numbers; `prepare` makes of them what is best to
/// compute with. `float` for use, `double` for checking gradients. All arrays of numbers must come
/// from AlignedBuffer. A row's result does not depend on the rows beside it, to the last bit.
template <class Scalar>
class Network {
 public:
  /// What each layer gave for the last batch; one per thread, reused without allocating.
  class Workspace;

  /// The order of a batch's rows: `steps` in time of `sequences` agents, [steps][sequences].
  struct Order {
    std::size_t steps = 1, sequences = 0;  ///< steps of each; how many side by side
    /// For each row whether it is the first step of an episode, before which nothing is remembered;
    /// empty if none is.
    std::span<const std::uint8_t> begins{};
    /// [sequences][memory_stride()]: what was remembered before the first step, and then after the
    /// last. Networks without memory ignore it.
    std::span<Scalar> memory{};
    /// All of them.
    std::size_t rows() const { return steps * sequences; }
  };

  Network();
  /// Throws Error (spec) if the plan cannot be built.
  explicit Network(NetworkPlan plan);
  Network(const Network&);
  Network(Network&&) noexcept;
  Network& operator=(const Network&);
  Network& operator=(Network&&) noexcept;
  ~Network();

  /// What it was made from.
  const NetworkPlan& plan() const noexcept { return plan_; }
  /// Numbers that each row gives.
  std::size_t outputs() const noexcept { return plan_.outputs; }
  /// Numbers from row to row of inputs, outputs and memory; those behind a row's end must be 0.
  std::size_t input_stride() const noexcept;
  /// Numbers from row to row of the outputs.
  std::size_t output_stride() const noexcept;
  /// Numbers from row to row of the memory.
  std::size_t memory_stride() const noexcept;

  /// Length of the flat array; each part of it starts on a 64-byte boundary. What lies between rows
  /// stays 0.
  std::size_t parameters() const noexcept { return parameters_; }
  /// Numbers that `prepare` writes.
  std::size_t prepared() const noexcept { return prepared_; }
  /// Where its parts lie among its parameters.
  std::span<const NetworkPart> parts() const noexcept { return parts_; }

  /// Orthogonal weights (Saxe, McClelland, Ganguli: "Exact solutions to the nonlinear dynamics of
  /// learning in deep linear neural networks", 2014), biases 0. Hidden layers get gain sqrt(2), the
  /// last one `last_gain`.
  void initialise(std::span<Scalar> parameters, RandomStream& random, double last_gain) const;
  /// To be called whenever the parameters have changed.
  void prepare(std::span<const Scalar> parameters, std::span<Scalar> prepared) const;

  /// Room for so many rows at once.
  Workspace workspace(std::size_t most_rows) const;

  /// Returns the outputs, [rows][output_stride()], which stay in the workspace until its next use.
  std::span<Scalar> forward(std::span<const Scalar> parameters, std::span<const Scalar> prepared,
                            std::span<const Scalar> inputs, const Order& order,
                            Workspace& room) const;
  /// What layer `layer` gave for the first row that was last sent forward: fronts, if there are
  /// any, then hidden layers, the memory, if there is one, and the outputs.
  std::span<const Scalar> layer_values(const Workspace& room, std::size_t layer) const;
  /// How many layers, fronts among them.
  std::size_t layers() const noexcept { return layers_.size(); }
  /// Adds d(loss)/d(parameters) to `gradient`, given d(loss)/d(outputs) of the batch last sent
  /// forward through `room`. What was remembered before the first step counts as given. An empty
  /// `gradient` is left out, of networks without memory.
  ///
  /// `input_gradient`, if it is not empty, becomes d(loss)/d(inputs), [rows][input_stride()]; 0 for
  /// columns that fronts read.
  void backward(std::span<const Scalar> parameters, std::span<const Scalar> prepared,
                std::span<const Scalar> inputs, const Order& order,
                std::span<Scalar> output_gradient, Workspace& room, std::span<Scalar> gradient,
                std::span<Scalar> input_gradient = {}) const;

 private:
  NetworkPlan plan_;
  std::vector<std::shared_ptr<const net_internal::Layer<Scalar>>> layers_;
  std::vector<NetworkPart> parts_;
  std::size_t parameters_ = 0, prepared_ = 0;
};

template <class Scalar>
/// What a pass leaves for the way back.
class Network<Scalar>::Workspace {
 public:
  Workspace() = default;

 private:
  friend class Network;
  struct Room;
  std::shared_ptr<Room> room_;
};

extern template class Network<float>;
extern template class Network<double>;

}  // namespace zithercraft
