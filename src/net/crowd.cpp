#include <algorithm>
#include <cmath>

#include "net/layers.hpp"
#include "zithercraft/base/random.hpp"

// Attention pooling. Each other's columns become features h by a dense layer shared by all;
// question q weights those who are there by softmax(q h / sqrt(width)) and takes the mean of their
// features.

namespace zithercraft::net_internal {
namespace {

template <class Scalar>
class CrowdAttention final : public Layer<Scalar> {
 public:
  using typename Layer<Scalar>::Pass;
  using typename Layer<Scalar>::Own;

  CrowdAttention(Claims& claims, const CrowdFront& front, std::size_t columns,
                 Activation activation)
      : Layer<Scalar>(columns, front.queries * front.width),
        front_(front),
        activation_(activation),
        weights_(claims, front.name + ".weight", front.width, front.columns_each),
        biases_(claims.part<Scalar>(front.name + ".bias", 1, front.width)),
        queries_(claims, front.name + ".queries", front.queries, front.width) {}

  void initialise(Scalar* parameters, RandomStream& random, double gain) const override {
    weights_.initialise(parameters, random, gain);
    queries_.initialise(parameters, random, 1.0);
  }
  void prepare(const Scalar* parameters, Scalar* prepared) const override {
    weights_.prepare(parameters, prepared);
    queries_.prepare(parameters, prepared);
  }

  // The others' columns, their features (and what was there before the activation), the shares of
  // attention, and the gradients of the latter two.
  Own own(std::size_t most_rows) const override {
    const std::size_t all = most_rows * front_.others;
    Own own;
    own.add(room_for<Scalar>(all, front_.columns_each));
    own.add(room_for<Scalar>(all, front_.width));
    own.add(room_for<Scalar>(activation_ == Activation::silu ? all : 0, front_.width));
    own.add(room_for<Scalar>(all, front_.queries));
    own.add(room_for<Scalar>(all, front_.width));
    own.add(room_for<Scalar>(all, front_.queries));
    return own;
  }

  void forward(const Pass& pass, Rows<const Scalar> in, Rows<Scalar> out, Own& own) const override {
    const Kept k(front_, own, in.count);
    for (std::size_t s = 0; s < in.count; ++s)
      for (std::size_t o = 0; o < front_.others; ++o)
        for (std::size_t c = 0; c < front_.columns_each; ++c)
          k.others.row(s * front_.others + o)[c] =
              in.row(s)[front_.columns[o * front_.columns_each + c]];
    weights_.forward(pass.prepared, k.others, pass.parameters + biases_, k.features);
    activate(activation_, k.features, front_.width, own[2].data());
    queries_.forward(pass.prepared, k.features, nullptr, k.shares);
    for (std::size_t s = 0; s < in.count; ++s) {
      std::fill_n(out.row(s), this->outputs(), Scalar{0});
      for (std::size_t q = 0; q < front_.queries; ++q) {
        share(k, s, q);
        Scalar* const mean = out.row(s) + q * front_.width;
        for (std::size_t o = s * front_.others; o < (s + 1) * front_.others; ++o) {
          const Scalar weight = k.shares.row(o)[q];
          if (weight == Scalar{0}) continue;
          const Scalar* const features = k.features.row(o);
          for (std::size_t f = 0; f < front_.width; ++f) mean[f] += weight * features[f];
        }
      }
    }
  }

  void backward(const Pass& pass, Rows<const Scalar> in, Rows<const Scalar>, Rows<Scalar> by_out,
                Rows<Scalar>, Own& own, Scalar* gradient) const override {
    const Kept k(front_, own, in.count);
    std::fill_n(k.by_features.at, k.by_features.count * k.by_features.stride, Scalar{0});
    for (std::size_t s = 0; s < in.count; ++s)
      for (std::size_t q = 0; q < front_.queries; ++q) {
        const Scalar* const by_mean = by_out.row(s) + q * front_.width;
        Scalar weighted{0};
        for (std::size_t o = s * front_.others; o < (s + 1) * front_.others; ++o) {
          const Scalar weight = k.shares.row(o)[q];
          // Nobody looks at those who are not there.
          if (weight == Scalar{0}) {
            k.by_answers.row(o)[q] = Scalar{0};
            continue;
          }
          const Scalar by_share = dot_of(by_mean, k.features.row(o), front_.width);
          Scalar* const by = k.by_features.row(o);
          for (std::size_t f = 0; f < front_.width; ++f) by[f] += by_mean[f] * weight;
          k.by_answers.row(o)[q] = by_share;
          weighted += weight * by_share;
        }
        for (std::size_t o = s * front_.others; o < (s + 1) * front_.others; ++o)
          k.by_answers.row(o)[q] =
              k.shares.row(o)[q] * (k.by_answers.row(o)[q] - weighted) * sharpness();
      }
    queries_.learn(k.features, k.by_answers, gradient);
    queries_.add_back(pass.parameters, k.by_answers, k.by_features);
    by_slope<Scalar>(activation_, k.features, own[2].data(), front_.width, k.by_features);
    weights_.learn(k.others, k.by_features, gradient);
    add_rows<Scalar>(k.by_features, front_.width, gradient + biases_);
  }

 private:
  struct Kept {
    Kept(const CrowdFront& front, Own& own, std::size_t rows)
        : others(rows_in(own[0], rows * front.others, front.columns_each)),
          features(rows_in(own[1], rows * front.others, front.width)),
          shares(rows_in(own[3], rows * front.others, front.queries)),
          by_features(rows_in(own[4], rows * front.others, front.width)),
          by_answers(rows_in(own[5], rows * front.others, front.queries)) {}
    Rows<Scalar> others, features, shares, by_features, by_answers;
  };

  Scalar sharpness() const { return Scalar{1} / std::sqrt(static_cast<Scalar>(front_.width)); }

  // Turns the answers to a question into shares of attention among those who are there.
  void share(const Kept& k, std::size_t sample, std::size_t query) const {
    const std::size_t first = sample * front_.others, end = first + front_.others;
    const auto is_here = [&](std::size_t o) { return k.others.row(o)[front_.here] > Scalar{0.5}; };
    Scalar top{-1e30f}, sum{0};
    for (std::size_t o = first; o < end; ++o)
      if (is_here(o)) top = std::max(top, k.shares.row(o)[query]);
    for (std::size_t o = first; o < end; ++o) {
      Scalar& answer = k.shares.row(o)[query];
      answer = is_here(o) ? std::exp((answer - top) * sharpness()) : Scalar{0};
      sum += answer;
    }
    if (sum == Scalar{0}) return;
    for (std::size_t o = first; o < end; ++o) k.shares.row(o)[query] /= sum;
  }

  CrowdFront front_;
  Activation activation_;
  Weights<Scalar> weights_;
  std::size_t biases_;
  Weights<Scalar> queries_;
};

}  // namespace

template <class Scalar>
std::unique_ptr<Layer<Scalar>> crowd_layer(Claims& claims, const CrowdFront& front,
                                           std::size_t columns, Activation activation) {
  return std::make_unique<CrowdAttention<Scalar>>(claims, front, columns, activation);
}
template std::unique_ptr<Layer<float>> crowd_layer(Claims&, const CrowdFront&, std::size_t,
                                                   Activation);
template std::unique_ptr<Layer<double>> crowd_layer(Claims&, const CrowdFront&, std::size_t,
                                                    Activation);

}  // namespace zithercraft::net_internal
