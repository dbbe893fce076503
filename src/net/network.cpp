#include "zithercraft/net/network.hpp"

#include <algorithm>
#include <cassert>
#include <cmath>

#include "net/layers.hpp"

namespace zithercraft {
using namespace net_internal;

template <class Scalar>
struct Network<Scalar>::Workspace::Room {
  std::size_t most_rows = 0;
  std::vector<AlignedBuffer<Scalar>> values, gradients;  // of each layer's results
  std::vector<LayerRoom<Scalar>> own;
};

void check_plan(const NetworkPlan& plan);

template <class Scalar>
Network<Scalar>::Network() = default;
template <class Scalar>
Network<Scalar>::Network(const Network&) = default;
template <class Scalar>
Network<Scalar>::Network(Network&&) noexcept = default;
template <class Scalar>
Network<Scalar>& Network<Scalar>::operator=(const Network&) = default;
template <class Scalar>
Network<Scalar>& Network<Scalar>::operator=(Network&&) noexcept = default;
template <class Scalar>
Network<Scalar>::~Network() = default;

template <class Scalar>
Network<Scalar>::Network(NetworkPlan plan) : plan_(std::move(plan)) {
  check_plan(plan_);
  Claims claims;
  std::size_t width = plan_.columns;
  const auto add = [&](std::unique_ptr<Layer<Scalar>> layer) {
    width = layer->outputs();
    layers_.push_back(std::move(layer));
  };
  if (!plan_.pictures.empty() || !plan_.crowds.empty()) add(fronts_layer<Scalar>(claims, plan_));
  for (std::size_t i = 0; i < plan_.hidden.size(); ++i)
    add(dense_layer<Scalar>(claims, "hidden." + std::to_string(i), width, plan_.hidden[i],
                            plan_.activation));
  if (plan_.memory > 0) add(memory_layer<Scalar>(claims, width, plan_.memory));
  add(plan_.pointers.empty() ? dense_layer<Scalar>(claims, "output", width, plan_.outputs)
                             : pointing_layer<Scalar>(claims, width, plan_));
  parameters_ = claims.parameters;
  prepared_ = claims.prepared;
  parts_ = std::move(claims.parts);
}

template <class Scalar>
std::size_t Network<Scalar>::input_stride() const noexcept {
  return row_stride<Scalar>(plan_.columns);
}
template <class Scalar>
std::size_t Network<Scalar>::output_stride() const noexcept {
  return row_stride<Scalar>(plan_.outputs);
}
template <class Scalar>
std::size_t Network<Scalar>::memory_stride() const noexcept {
  return plan_.memory == 0 ? 0 : row_stride<Scalar>(plan_.memory);
}

template <class Scalar>
void Network<Scalar>::initialise(std::span<Scalar> parameters, RandomStream& random,
                                 double last_gain) const {
  std::fill(parameters.begin(), parameters.end(), Scalar{0});
  for (const auto& layer : layers_)
    layer->initialise(parameters.data(), random,
                      layer == layers_.back() ? last_gain : std::sqrt(2.0));
}

template <class Scalar>
void Network<Scalar>::prepare(std::span<const Scalar> parameters,
                              std::span<Scalar> prepared) const {
  for (const auto& layer : layers_) layer->prepare(parameters.data(), prepared.data());
}

template <class Scalar>
typename Network<Scalar>::Workspace Network<Scalar>::workspace(std::size_t most_rows) const {
  Workspace room;
  room.room_ = std::make_shared<typename Workspace::Room>();
  room.room_->most_rows = most_rows;
  for (const auto& layer : layers_) {
    room.room_->values.push_back(room_for<Scalar>(most_rows, layer->outputs()));
    room.room_->gradients.push_back(room_for<Scalar>(most_rows, layer->outputs()));
    room.room_->own.push_back(layer->own(most_rows));
  }
  return room;
}

template <class Scalar>
std::span<Scalar> Network<Scalar>::forward(std::span<const Scalar> parameters,
                                           std::span<const Scalar> prepared,
                                           std::span<const Scalar> inputs, const Order& order,
                                           Workspace& room) const {
  const TinyIsNothing scope;
  const std::size_t rows = order.rows();
  assert(rows <= room.room_->most_rows && inputs.size() >= rows * input_stride());
  const Rows<const Scalar> all{inputs.data(), rows, input_stride()};
  Rows<const Scalar> in = all;
  for (std::size_t i = 0; i < layers_.size(); ++i) {
    const Rows<Scalar> out = rows_in(room.room_->values[i], rows, layers_[i]->outputs());
    layers_[i]->forward({parameters.data(), prepared.data(), order, all}, in, out,
                        room.room_->own[i]);
    in = out;
  }
  return {room.room_->values.back().data(), rows * output_stride()};
}

template <class Scalar>
std::span<const Scalar> Network<Scalar>::layer_values(const Workspace& room,
                                                      std::size_t layer) const {
  return room.room_->values.at(layer).span().first(layers_[layer]->outputs());
}

template <class Scalar>
void Network<Scalar>::backward(std::span<const Scalar> parameters, std::span<const Scalar> prepared,
                               std::span<const Scalar> inputs, const Order& order,
                               std::span<Scalar> output_gradient, Workspace& room,
                               std::span<Scalar> gradient, std::span<Scalar> input_gradient) const {
  const TinyIsNothing scope;
  const std::size_t rows = order.rows();
  assert(!gradient.empty() || plan_.memory == 0);
  Rows<Scalar> by_out{output_gradient.data(), rows, output_stride()};
  for (std::size_t i = layers_.size(); i-- > 0;) {
    Rows<const Scalar> in{inputs.data(), rows, input_stride()};
    Rows<Scalar> by_in;
    if (i == 0 && !input_gradient.empty()) by_in = {input_gradient.data(), rows, input_stride()};
    if (i > 0) {
      in = rows_in(room.room_->values[i - 1], rows, layers_[i - 1]->outputs());
      by_in = rows_in(room.room_->gradients[i - 1], rows, layers_[i - 1]->outputs());
    }
    const Rows<const Scalar> out = rows_in(room.room_->values[i], rows, layers_[i]->outputs());
    layers_[i]->backward({parameters.data(), prepared.data(), order,
                          Rows<const Scalar>{inputs.data(), rows, input_stride()}},
                         in, out, by_out, by_in, room.room_->own[i], gradient.data());
    by_out = by_in;
  }
}

template class Network<float>;
template class Network<double>;

}  // namespace zithercraft
