#pragma once

// The layers a network is made of: each turns rows of numbers into rows of numbers, and a gradient
// of its results into one of its inputs and of its parameters.

#include <memory>
#include <string>
#include <vector>

#include "net/product.hpp"
#include "net/vectors.hpp"
#include "zithercraft/net/network.hpp"

namespace zithercraft::net_internal {

/// Hands out places in the flat arrays while a network is built.
struct Claims {
  std::size_t parameters = 0, prepared = 0;
  std::vector<NetworkPart> parts{};

  template <class Scalar>
  std::size_t part(std::string name, std::size_t rows, std::size_t width) {
    const std::size_t stride = row_stride<Scalar>(width), offset = parameters;
    parts.push_back({std::move(name), rows, width, offset, stride});
    parameters += rows * stride;
    return offset;
  }
  std::size_t prepare(std::size_t numbers) {
    const std::size_t offset = prepared;
    prepared += numbers;
    return offset;
  }
};

/// What a layer keeps between the way there and the way back, and what the layers inside it do.
template <class Scalar>
struct LayerRoom {
  std::vector<AlignedBuffer<Scalar>> buffers{};
  std::vector<LayerRoom> parts{};

  AlignedBuffer<Scalar>& operator[](std::size_t i) { return buffers[i]; }
  std::size_t size() const { return buffers.size(); }
  void add(AlignedBuffer<Scalar> buffer) { buffers.push_back(std::move(buffer)); }
};

template <class Scalar>
class Layer {
 public:
  using Order = typename Network<Scalar>::Order;
  using Own = LayerRoom<Scalar>;
  /// One batch on its way through the network.
  struct Pass {
    const Scalar* parameters;
    const Scalar* prepared;
    const Order& order;
    Rows<const Scalar> inputs{};  // of the whole network
  };

  Layer(std::size_t inputs, std::size_t outputs) : inputs_(inputs), outputs_(outputs) {}
  virtual ~Layer() = default;

  std::size_t inputs() const { return inputs_; }
  std::size_t outputs() const { return outputs_; }

  virtual void initialise(Scalar* parameters, RandomStream& random, double gain) const = 0;
  virtual void prepare(const Scalar* parameters, Scalar* prepared) const = 0;
  virtual Own own(std::size_t most_rows) const = 0;
  virtual void forward(const Pass& pass, Rows<const Scalar> in, Rows<Scalar> out,
                       Own& own) const = 0;
  /// `by_out` may be overwritten; `by_in.at` is null where nobody asks for that gradient.
  virtual void backward(const Pass& pass, Rows<const Scalar> in, Rows<const Scalar> out,
                        Rows<Scalar> by_out, Rows<Scalar> by_in, Own& own,
                        Scalar* gradient) const = 0;

 private:
  std::size_t inputs_, outputs_;
};

/// Weights [outputs][inputs] and their transpose, which is made when they change.
template <class Scalar>
class Weights {
 public:
  Weights() = default;
  Weights(Claims& claims, const std::string& name, std::size_t outputs, std::size_t inputs);

  void initialise(Scalar* parameters, RandomStream& random, double gain) const;
  void prepare(const Scalar* parameters, Scalar* prepared) const;
  /// out = first + in W^T.
  void forward(const Scalar* prepared, Rows<const Scalar> in, const Scalar* first,
               Rows<Scalar> out) const;
  /// out += in W^T.
  void add_forward(const Scalar* prepared, Rows<const Scalar> in, Rows<Scalar> out) const;
  /// Adds by_out^T in to the weights' gradient.
  void learn(Rows<const Scalar> in, Rows<const Scalar> by_out, Scalar* gradient) const;
  /// by_in = by_out W.
  void back(const Scalar* parameters, Rows<const Scalar> by_out, Rows<Scalar> by_in) const;
  void add_back(const Scalar* parameters, Rows<const Scalar> by_out, Rows<Scalar> by_in) const;
  /// Prepares the transpose for `across` alone, instead of what `forward` reads.
  void prepare_across(const Scalar* parameters, Scalar* prepared) const;
  Rows<const Scalar> across(const Scalar* prepared) const {
    return {prepared + prepared_, inputs_, row_stride<Scalar>(outputs_)};
  }
  /// Adds a gradient of the transpose to the weights' gradient.
  void add_transpose(Rows<const Scalar> transposed, Scalar* gradient) const;

 private:
  Rows<const Scalar> plain(const Scalar* parameters) const {
    return {parameters + offset_, outputs_, row_stride<Scalar>(inputs_)};
  }
  std::size_t outputs_ = 0, inputs_ = 0, offset_ = 0, prepared_ = 0;
};

/// Applies an activation to rows in place; `before` (may be null) keeps what was there.
template <class Scalar>
void activate(Activation activation, Rows<Scalar> rows, std::size_t width, Scalar* before);
/// Multiplies a gradient by the activation's slope, given its results and, for SiLU, what was there
/// before.
template <class Scalar>
void by_slope(Activation activation, Rows<const Scalar> results, const Scalar* before,
              std::size_t width, Rows<Scalar> gradient);

/// Rows of this width, one after the other in a buffer.
template <class Scalar>
Rows<Scalar> rows_in(AlignedBuffer<Scalar>& buffer, std::size_t count, std::size_t width) {
  return {buffer.data(), count, row_stride<Scalar>(width)};
}
template <class Scalar>
AlignedBuffer<Scalar> room_for(std::size_t rows, std::size_t width) {
  return AlignedBuffer<Scalar>(rows * row_stride<Scalar>(width));
}

template <class Scalar>
std::unique_ptr<Layer<Scalar>> dense_layer(Claims& claims, const std::string& name,
                                           std::size_t inputs, std::size_t outputs);
/// A dense layer followed by an activation.
template <class Scalar>
std::unique_ptr<Layer<Scalar>> dense_layer(Claims& claims, const std::string& name,
                                           std::size_t inputs, std::size_t outputs,
                                           Activation activation);
template <class Scalar>
std::unique_ptr<Layer<Scalar>> memory_layer(Claims& claims, std::size_t inputs, std::size_t memory);
/// Convolutions over the picture's columns.
template <class Scalar>
std::unique_ptr<Layer<Scalar>> picture_layer(Claims& claims, const PictureFront& front,
                                             std::size_t columns, Activation activation);
/// Attention over the crowd's columns.
template <class Scalar>
std::unique_ptr<Layer<Scalar>> crowd_layer(Claims& claims, const CrowdFront& front,
                                           std::size_t columns, Activation activation);
/// The outputs of a network whose plan has some that point at others.
template <class Scalar>
std::unique_ptr<Layer<Scalar>> pointing_layer(Claims& claims, std::size_t inputs,
                                              const NetworkPlan& plan);
/// The columns that no front reads, then what each front makes of its own.
template <class Scalar>
std::unique_ptr<Layer<Scalar>> fronts_layer(Claims& claims, const NetworkPlan& plan);

}  // namespace zithercraft::net_internal
