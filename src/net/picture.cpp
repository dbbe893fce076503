#include <algorithm>

#include "net/layers.hpp"

// Convolutions as products: what each filter sees at each place is copied into a row, so that all
// places of a few samples make one matrix. Rows are copied again on the way back instead of being
// kept, which would take far more room.

namespace zithercraft::net_internal {
namespace {

constexpr std::size_t rows_at_once = 96;

template <class Scalar>
class Convolution {
 public:
  Convolution(Claims& claims, const std::string& name, std::size_t height_before,
              std::size_t width_before, std::size_t channels, const ConvolutionLayer& layer)
      : height(after_convolution(height_before, layer)),
        width(after_convolution(width_before, layer)),
        filters(static_cast<std::size_t>(layer.filters)),
        seen(static_cast<std::size_t>(layer.size * layer.size) * channels),
        weights(claims, name + ".weight", filters, seen),
        biases(claims.part<Scalar>(name + ".bias", 1, filters)) {
    const auto size = static_cast<std::size_t>(layer.size),
               stride = static_cast<std::size_t>(layer.stride);
    for (std::size_t y = 0; y < height; ++y)
      for (std::size_t x = 0; x < width; ++x)
        for (std::size_t v = 0; v < size; ++v)
          for (std::size_t u = 0; u < size; ++u)
            for (std::size_t c = 0; c < channels; ++c)
              from.push_back(static_cast<std::uint32_t>(
                  ((y * stride + v) * width_before + x * stride + u) * channels + c));
  }

  std::size_t places() const { return height * width; }

  std::size_t height, width, filters;
  std::size_t seen;                 // numbers that a filter sees at one place
  std::vector<std::uint32_t> from;  // [places][seen] their places in a sample
  Weights<Scalar> weights;
  std::size_t biases;
};

template <class Scalar>
class Picture final : public Layer<Scalar> {
 public:
  using typename Layer<Scalar>::Pass;
  using typename Layer<Scalar>::Own;

  Picture(Claims& claims, const PictureFront& front, std::size_t columns, Activation activation)
      : Layer<Scalar>(columns, features_of(front)), activation_(activation) {
    std::size_t height = front.height, width = front.width, channels = front.channels;
    for (std::size_t i = 0; i < front.layers.size(); ++i) {
      auto& now = stages_.emplace_back(claims, front.name + "." + std::to_string(i), height, width,
                                       channels, front.layers[i]);
      // Where numbers stand: first in the columns, then in the results before, whose rows have a
      // stride.
      for (auto& at : now.from)
        at = i == 0 ? front.columns[at]
                    : static_cast<std::uint32_t>(at / channels * row_stride<Scalar>(channels) +
                                                 at % channels);
      height = now.height;
      width = now.width;
      channels = now.filters;
    }
  }

  void initialise(Scalar* parameters, RandomStream& random, double gain) const override {
    for (const auto& stage : stages_) stage.weights.initialise(parameters, random, gain);
  }
  void prepare(const Scalar* parameters, Scalar* prepared) const override {
    for (const auto& stage : stages_) stage.weights.prepare(parameters, prepared);
  }

  // Per stage its results, their gradient, and (for SiLU) what was there before; then the copied
  // rows and their gradient.
  Own own(std::size_t most_rows) const override {
    Own own;
    std::size_t most = 0;
    for (const auto& stage : stages_) {
      for (std::size_t i = 0; i < buffers_each; ++i)
        own.add(room_for<Scalar>(
            i == 2 && activation_ != Activation::silu ? 0 : most_rows * stage.places(),
            stage.filters));
      most = std::max(most, at_once(stage) * stage.places() * row_stride<Scalar>(stage.seen));
    }
    own.add(AlignedBuffer<Scalar>(most));
    own.add(AlignedBuffer<Scalar>(most));
    return own;
  }

  void forward(const Pass& pass, Rows<const Scalar> in, Rows<Scalar> out, Own& own) const override {
    for (std::size_t i = 0; i < stages_.size(); ++i) {
      const auto& stage = stages_[i];
      const auto results = results_of(i, own, in.count);
      each_block(stage, in.count, [&](std::size_t first, std::size_t n) {
        const auto seen = copy_seen(i, in, own, first, n);
        stage.weights.forward(pass.prepared, seen, pass.parameters + stage.biases,
                              results.part(first * stage.places(), n * stage.places()));
      });
      activate(activation_, results, stage.filters, before(i, own));
    }
    const auto& last = stages_.back();
    const auto results = results_of(stages_.size() - 1, own, in.count);
    for (std::size_t s = 0; s < in.count; ++s)
      for (std::size_t p = 0; p < last.places(); ++p)
        std::copy_n(results.row(s * last.places() + p), last.filters,
                    out.row(s) + p * last.filters);
  }

  void backward(const Pass& pass, Rows<const Scalar> in, Rows<const Scalar>, Rows<Scalar> by_out,
                Rows<Scalar>, Own& own, Scalar* gradient) const override {
    const auto& last = stages_.back();
    const auto by_last = gradient_of(stages_.size() - 1, own, in.count);
    for (std::size_t s = 0; s < in.count; ++s)
      for (std::size_t p = 0; p < last.places(); ++p)
        std::copy_n(by_out.row(s) + p * last.filters, last.filters,
                    by_last.row(s * last.places() + p));
    for (std::size_t i = stages_.size(); i-- > 0;) {
      const auto& stage = stages_[i];
      const auto by = gradient_of(i, own, in.count);
      by_slope<Scalar>(activation_, results_of(i, own, in.count), before(i, own), stage.filters,
                       by);
      add_rows<Scalar>(by, stage.filters, gradient + stage.biases);
      if (i > 0) {
        const auto earlier = gradient_of(i - 1, own, in.count);
        std::fill_n(earlier.at, earlier.count * earlier.stride, Scalar{0});
      }
      each_block(stage, in.count, [&](std::size_t first, std::size_t n) {
        const auto by_block = by.part(first * stage.places(), n * stage.places());
        stage.weights.learn(copy_seen(i, in, own, first, n), by_block, gradient);
        if (i == 0) return;
        const Rows<Scalar> by_seen = rows_in(own[own.size() - 1], n * stage.places(), stage.seen);
        stage.weights.back(pass.parameters, by_block, by_seen);
        const auto earlier = gradient_of(i - 1, own, in.count);
        const std::size_t block = stages_[i - 1].places();
        for (std::size_t s = 0; s < n; ++s)
          for (std::size_t p = 0; p < stage.places(); ++p) {
            Scalar* const to = earlier.row((first + s) * block);
            const std::uint32_t* const at = stage.from.data() + p * stage.seen;
            const Scalar* const part = by_seen.row(s * stage.places() + p);
            for (std::size_t k = 0; k < stage.seen; ++k) to[at[k]] += part[k];
          }
      });
    }
  }

 private:
  static constexpr std::size_t buffers_each = 3;

  static std::size_t features_of(const PictureFront& front) {
    std::size_t height = front.height, width = front.width, channels = front.channels;
    for (const auto& layer : front.layers) {
      height = after_convolution(height, layer);
      width = after_convolution(width, layer);
      channels = static_cast<std::size_t>(layer.filters);
    }
    return height * width * channels;
  }

  static std::size_t at_once(const Convolution<Scalar>& stage) {
    return std::max<std::size_t>(1, rows_at_once / stage.places());
  }
  template <class Work>
  static void each_block(const Convolution<Scalar>& stage, std::size_t samples, Work work) {
    for (std::size_t first = 0; first < samples; first += at_once(stage))
      work(first, std::min(at_once(stage), samples - first));
  }

  Rows<Scalar> results_of(std::size_t stage, Own& own, std::size_t samples) const {
    return rows_in(own[buffers_each * stage], samples * stages_[stage].places(),
                   stages_[stage].filters);
  }
  Rows<Scalar> gradient_of(std::size_t stage, Own& own, std::size_t samples) const {
    return rows_in(own[buffers_each * stage + 1], samples * stages_[stage].places(),
                   stages_[stage].filters);
  }
  Scalar* before(std::size_t stage, Own& own) const { return own[buffers_each * stage + 2].data(); }

  Rows<const Scalar> copy_seen(std::size_t i, Rows<const Scalar> in, Own& own, std::size_t first,
                               std::size_t samples) const {
    const auto& stage = stages_[i];
    const Rows<Scalar> seen = rows_in(own[own.size() - 2], samples * stage.places(), stage.seen);
    for (std::size_t s = 0; s < samples; ++s) {
      const Scalar* const source =
          i == 0 ? in.row(first + s)
                 : results_of(i - 1, own, in.count).row((first + s) * stages_[i - 1].places());
      for (std::size_t p = 0; p < stage.places(); ++p) {
        Scalar* const row = seen.row(s * stage.places() + p);
        const std::uint32_t* const at = stage.from.data() + p * stage.seen;
        for (std::size_t k = 0; k < stage.seen; ++k) row[k] = source[at[k]];
        // The room is shared by stages of different widths.
        std::fill(row + stage.seen, row + whole_vectors<Scalar>(stage.seen), Scalar{0});
      }
    }
    return seen;
  }

  Activation activation_;
  std::vector<Convolution<Scalar>> stages_;
};

}  // namespace

template <class Scalar>
std::unique_ptr<Layer<Scalar>> picture_layer(Claims& claims, const PictureFront& front,
                                             std::size_t columns, Activation activation) {
  return std::make_unique<Picture<Scalar>>(claims, front, columns, activation);
}
template std::unique_ptr<Layer<float>> picture_layer(Claims&, const PictureFront&, std::size_t,
                                                     Activation);
template std::unique_ptr<Layer<double>> picture_layer(Claims&, const PictureFront&, std::size_t,
                                                      Activation);

}  // namespace zithercraft::net_internal
