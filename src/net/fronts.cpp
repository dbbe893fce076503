#include <algorithm>

#include "net/layers.hpp"

namespace zithercraft::net_internal {
namespace {

template <class Scalar>
class Fronts final : public Layer<Scalar> {
 public:
  using typename Layer<Scalar>::Pass;
  using typename Layer<Scalar>::Own;

  Fronts(std::size_t columns, std::vector<std::uint32_t> plain,
         std::vector<std::unique_ptr<Layer<Scalar>>> fronts)
      : Layer<Scalar>(columns, features_of(plain, fronts)),
        plain_(std::move(plain)),
        fronts_(std::move(fronts)) {}

  void initialise(Scalar* parameters, RandomStream& random, double gain) const override {
    for (const auto& front : fronts_) front->initialise(parameters, random, gain);
  }
  void prepare(const Scalar* parameters, Scalar* prepared) const override {
    for (const auto& front : fronts_) front->prepare(parameters, prepared);
  }

  // Two buffers for each front: its features and their gradient.
  Own own(std::size_t most_rows) const override {
    Own own;
    for (const auto& front : fronts_) {
      own.add(room_for<Scalar>(most_rows, front->outputs()));
      own.add(room_for<Scalar>(most_rows, front->outputs()));
      own.parts.push_back(front->own(most_rows));
    }
    return own;
  }

  void forward(const Pass& pass, Rows<const Scalar> in, Rows<Scalar> out, Own& own) const override {
    for (std::size_t r = 0; r < in.count; ++r)
      for (std::size_t i = 0; i < plain_.size(); ++i) out.row(r)[i] = in.row(r)[plain_[i]];
    std::size_t first = plain_.size();
    for (std::size_t f = 0; f < fronts_.size(); ++f) {
      const Layer<Scalar>& front = *fronts_[f];
      const Rows<Scalar> features = rows_in(own[2 * f], in.count, front.outputs());
      front.forward(pass, in, features, own.parts[f]);
      for (std::size_t r = 0; r < in.count; ++r)
        std::copy_n(features.row(r), front.outputs(), out.row(r) + first);
      first += front.outputs();
    }
  }

  void backward(const Pass& pass, Rows<const Scalar> in, Rows<const Scalar>, Rows<Scalar> by_out,
                Rows<Scalar> by_in, Own& own, Scalar* gradient) const override {
    for (std::size_t r = 0; r < in.count && by_in.at != nullptr; ++r) {
      std::fill_n(by_in.row(r), by_in.stride, Scalar{0});
      for (std::size_t i = 0; i < plain_.size(); ++i) by_in.row(r)[plain_[i]] = by_out.row(r)[i];
    }
    if (gradient == nullptr) return;
    std::size_t first = plain_.size();
    for (std::size_t f = 0; f < fronts_.size(); ++f) {
      const Layer<Scalar>& front = *fronts_[f];
      const Rows<Scalar> by = rows_in(own[2 * f + 1], in.count, front.outputs());
      for (std::size_t r = 0; r < in.count; ++r)
        std::copy_n(by_out.row(r) + first, front.outputs(), by.row(r));
      front.backward(pass, in, rows_in(own[2 * f], in.count, front.outputs()), by, {}, own.parts[f],
                     gradient);
      first += front.outputs();
    }
  }

 private:
  static std::size_t features_of(const std::vector<std::uint32_t>& plain,
                                 const std::vector<std::unique_ptr<Layer<Scalar>>>& fronts) {
    std::size_t features = plain.size();
    for (const auto& front : fronts) features += front->outputs();
    return features;
  }

  std::vector<std::uint32_t> plain_;
  std::vector<std::unique_ptr<Layer<Scalar>>> fronts_;
};

}  // namespace

template <class Scalar>
std::unique_ptr<Layer<Scalar>> fronts_layer(Claims& claims, const NetworkPlan& plan) {
  std::vector<bool> read(plan.columns);
  std::vector<std::unique_ptr<Layer<Scalar>>> fronts;
  for (const PictureFront& front : plan.pictures) {
    for (const std::uint32_t column : front.columns) read[column] = true;
    fronts.push_back(picture_layer<Scalar>(claims, front, plan.columns, plan.activation));
  }
  for (const CrowdFront& front : plan.crowds) {
    for (const std::uint32_t column : front.columns) read[column] = true;
    fronts.push_back(crowd_layer<Scalar>(claims, front, plan.columns, plan.activation));
  }
  std::vector<std::uint32_t> plain;
  for (std::uint32_t c = 0; c < plan.columns; ++c)
    if (!read[c]) plain.push_back(c);
  return std::make_unique<Fronts<Scalar>>(plan.columns, std::move(plain), std::move(fronts));
}
template std::unique_ptr<Layer<float>> fronts_layer(Claims&, const NetworkPlan&);
template std::unique_ptr<Layer<double>> fronts_layer(Claims&, const NetworkPlan&);

}  // namespace zithercraft::net_internal
