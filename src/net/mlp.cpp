#include "zithercraft/net/mlp.hpp"

#include <Eigen/QR>
#include <cassert>
#include <cmath>

#include "eigen_maps.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

// Rows or columns orthonormal, whichever are fewer.
Eigen::MatrixXd orthogonal(std::size_t rows, std::size_t columns, RandomStream& random) {
  const bool tall = rows >= columns;
  Eigen::MatrixXd normal(index(tall ? rows : columns), index(tall ? columns : rows));
  for (Eigen::Index c = 0; c < normal.cols(); ++c)
    for (Eigen::Index r = 0; r < normal.rows(); ++r) normal(r, c) = static_cast<double>(random.normal());
  const Eigen::HouseholderQR<Eigen::MatrixXd> qr(normal);
  Eigen::MatrixXd q = qr.householderQ() * Eigen::MatrixXd::Identity(normal.rows(), normal.cols());
  // Without this the signs would follow the algorithm rather than chance.
  for (Eigen::Index c = 0; c < q.cols(); ++c)
    if (qr.matrixQR()(c, c) < 0.0) q.col(c) = -q.col(c);
  return tall ? q : Eigen::MatrixXd(q.transpose());
}

}  // namespace

template <class Scalar>
Mlp<Scalar>::Mlp(std::vector<std::size_t> widths) {
  assert(widths.size() >= 2);
  const auto claim = [this](std::size_t count) {
    constexpr std::size_t step = AlignedBuffer<Scalar>::alignment / sizeof(Scalar);
    const std::size_t offset = parameters_;
    parameters_ += (count + step - 1) / step * step;
    return offset;
  };
  for (std::size_t i = 0; i + 1 < widths.size(); ++i) {
    Layer layer{widths[i], widths[i + 1], 0, 0};
    layer.weights = claim(layer.inputs * layer.outputs);
    layer.biases = claim(layer.outputs);
    layers_.push_back(layer);
  }
}

template <class Scalar>
typename Mlp<Scalar>::Workspace Mlp<Scalar>::workspace(std::size_t most_samples) const {
  Workspace room;
  room.most_samples = most_samples;
  for (const Layer& layer : layers_) {
    room.values.emplace_back(layer.outputs * most_samples);
    room.gradients.emplace_back(layer.outputs * most_samples);
  }
  return room;
}

template <class Scalar>
void Mlp<Scalar>::initialise(std::span<Scalar> parameters, RandomStream& random, double last_gain) const {
  std::fill(parameters.begin(), parameters.end(), Scalar{0});
  for (const Layer& layer : layers_) {
    const double gain = &layer == &layers_.back() ? last_gain : std::sqrt(2.0);
    Weights<Scalar>(parameters.data() + layer.weights, index(layer.outputs), index(layer.inputs)) =
        (gain * orthogonal(layer.outputs, layer.inputs, random)).template cast<Scalar>();
  }
}

template <class Scalar>
std::span<const Scalar> Mlp<Scalar>::forward(std::span<const Scalar> parameters, std::span<const Scalar> inputs,
                                             std::size_t samples, Workspace& room) const {
  assert(samples <= room.most_samples && inputs.size() >= samples * this->inputs());
  const Scalar* in = inputs.data();
  for (std::size_t i = 0; i < layers_.size(); ++i) {
    const Layer& layer = layers_[i];
    const ConstSamples<Scalar> x(in, index(layer.inputs), index(samples));
    const ConstWeights<Scalar> w(parameters.data() + layer.weights, index(layer.outputs), index(layer.inputs));
    const ConstVector<Scalar> b(parameters.data() + layer.biases, index(layer.outputs));
    Samples<Scalar> y(room.values[i].data(), index(layer.outputs), index(samples));
    y.noalias() = w * x;
    y.colwise() += b;
    if (i + 1 < layers_.size()) y.array() = y.array().tanh();
    in = y.data();
  }
  return {in, samples * outputs()};
}

template <class Scalar>
void Mlp<Scalar>::backward(std::span<const Scalar> parameters, std::span<const Scalar> inputs, std::size_t samples,
                           std::span<const Scalar> output_gradient, Workspace& room, std::span<Scalar> gradient) const {
  const Scalar* dy_data = output_gradient.data();
  for (std::size_t i = layers_.size(); i-- > 0;) {
    const Layer& layer = layers_[i];
    const ConstSamples<Scalar> x(i == 0 ? inputs.data() : room.values[i - 1].data(), index(layer.inputs),
                                 index(samples));
    const ConstSamples<Scalar> dy(dy_data, index(layer.outputs), index(samples));
    Weights<Scalar>(gradient.data() + layer.weights, index(layer.outputs), index(layer.inputs)).noalias() +=
        dy * x.transpose();
    Vector<Scalar>(gradient.data() + layer.biases, index(layer.outputs)) += dy.rowwise().sum();
    if (i == 0) break;
    const ConstWeights<Scalar> w(parameters.data() + layer.weights, index(layer.outputs), index(layer.inputs));
    Samples<Scalar> dx(room.gradients[i - 1].data(), index(layer.inputs), index(samples));
    dx.noalias() = w.transpose() * dy;
    dx.array() *= Scalar{1} - x.array().square();  // x = tanh(...), so the slope is 1 - x^2
    dy_data = dx.data();
  }
}

template class Mlp<float>;
template class Mlp<double>;

}  // namespace zithercraft
