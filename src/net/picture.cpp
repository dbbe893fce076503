#include <algorithm>

#include "net/layers.hpp"

// Convolutions as products without a copy of what filters see: a filter's window lies at the same
// distances from its corner everywhere, so the number that a place sees at position k is found at
// the place's corner plus a distance that depends on k alone. Places of one row lie equally far
// apart.

namespace zithercraft::net_internal {
namespace {

/// Where a picture's numbers stand in a sample: `columns[c] + y * down + x * across`.
struct Grid {
  std::size_t height, width;
  std::size_t down, across;
  std::vector<std::uint32_t> channels;  // of the pixel at the top left
};

template <class Scalar>
class Convolution {
 public:
  Convolution(Claims& claims, const std::string& name, const Grid& from,
              const ConvolutionLayer& layer)
      : height(after_convolution(from.height, layer)),
        width(after_convolution(from.width, layer)),
        filters(static_cast<std::size_t>(layer.filters)),
        size(static_cast<std::size_t>(layer.size)),
        channels(from.channels.size()),
        seen(size * size * channels),
        across(from.across),
        weights(claims, name + ".weight", filters, seen),
        biases(claims.part<Scalar>(name + ".bias", 1, filters)) {
    const auto stride = static_cast<std::size_t>(layer.stride);
    step = stride * across;
    for (std::size_t y = 0; y < height; ++y)
      for (std::size_t x = 0; x < width; ++x)
        corner.push_back(static_cast<std::uint32_t>(y * stride * from.down + x * step));
    for (std::size_t v = 0; v < size; ++v)
      for (std::size_t u = 0; u < size; ++u)
        for (const std::uint32_t channel : from.channels)
          window.push_back(static_cast<std::uint32_t>(v * from.down + u * across + channel));
    // Channels that lie side by side make runs of whole rows of the window.
    side_by_side = across == channels;
    for (std::size_t c = 0; c < channels; ++c)
      side_by_side = side_by_side && from.channels[c] == from.channels[0] + c;
  }

  std::size_t places() const { return height * width; }
  /// How its results stand in a sample.
  Grid results() const {
    const std::size_t stride = row_stride<Scalar>(filters);
    Grid grid{height, width, width * stride, stride, {}};
    for (std::size_t f = 0; f < filters; ++f)
      grid.channels.push_back(static_cast<std::uint32_t>(f));
    return grid;
  }

  void forward(const Scalar* parameters, const Scalar* prepared, const Scalar* sample,
               Rows<Scalar> out) const {
    const Rows<const Scalar> b = weights.across(prepared);
    for (std::size_t y = 0; y < height; ++y)
      multiply<Scalar>({sample + corner[y * width], step, window.data()}, b, seen, filters,
                       parameters + biases, out.part(y * width, width));
  }

  /// Adds to the gradient of the weights' transpose.
  void learn(const Scalar* sample, Rows<const Scalar> by_out, Rows<Scalar> gradient) const {
    if (side_by_side) {
      for (std::size_t v = 0; v < size; ++v)
        learn_run(sample, by_out, gradient, v * size * channels, 1, size * channels, 1);
    } else {
      for (std::size_t v = 0; v < size; ++v)
        for (std::size_t c = 0; c < channels; ++c)
          learn_run(sample, by_out, gradient, v * size * channels + c, across, size, channels);
    }
  }

  /// Adds what the windows of some places say to the numbers that they lie over.
  void add_windows(Rows<const Scalar> by_window, std::size_t first_place, Scalar* sample) const {
    for (std::size_t p = 0; p < by_window.count; ++p) {
      Scalar* const to = sample + corner[first_place + p];
      const Scalar* const from = by_window.row(p);
      if (channels % vec_width<Scalar> == 0) {
        for (std::size_t k = 0; k < seen; k += vec_width<Scalar>)
          vec_at(to + window[k]) += vec_at(from + k);
      } else {
        for (std::size_t k = 0; k < seen; ++k) to[window[k]] += from[k];
      }
    }
  }

  std::size_t height, width, filters;
  std::size_t size, channels;
  std::size_t seen;                   // numbers that a filter sees at one place
  std::size_t across, step;           // numbers from pixel to pixel and from place to place
  std::vector<std::uint32_t> corner;  // of each place: where its window begins in a sample
  std::vector<std::uint32_t> window;  // [seen] from there
  bool side_by_side = false;
  Weights<Scalar> weights;
  std::size_t biases;

 private:
  // Of `count` numbers of the window, `apart` in the sample and `rows` rows in the gradient.
  void learn_run(const Scalar* sample, Rows<const Scalar> by_out, Rows<Scalar> gradient,
                 std::size_t first, std::size_t apart, std::size_t count, std::size_t rows) const {
    multiply_add<Scalar>({sample + window[first], apart, corner.data()}, by_out, places(), filters,
                         {gradient.row(first), count, rows * gradient.stride});
  }
};

template <class Scalar>
class Picture final : public Layer<Scalar> {
 public:
  using typename Layer<Scalar>::Pass;
  using typename Layer<Scalar>::Own;

  Picture(Claims& claims, const PictureFront& front, std::size_t columns, Activation activation)
      : Layer<Scalar>(columns, features_of(front)), activation_(activation) {
    const auto at = [&](std::size_t y, std::size_t x) {
      return front.columns[(y * front.width + x) * front.channels];
    };
    Grid grid{front.height,
              front.width,
              front.height > 1 ? at(1, 0) - at(0, 0) : 0,
              front.width > 1 ? at(0, 1) - at(0, 0) : 0,
              {front.columns.begin(),
               front.columns.begin() + static_cast<std::ptrdiff_t>(front.channels)}};
    for (std::size_t i = 0; i < front.layers.size(); ++i)
      grid =
          stages_.emplace_back(claims, front.name + "." + std::to_string(i), grid, front.layers[i])
              .results();
  }

  void initialise(Scalar* parameters, RandomStream& random, double gain) const override {
    for (const auto& stage : stages_) stage.weights.initialise(parameters, random, gain);
  }
  void prepare(const Scalar* parameters, Scalar* prepared) const override {
    for (const auto& stage : stages_) stage.weights.prepare_across(parameters, prepared);
  }

  // Per stage its results, their gradient, (for SiLU) what was there before, and the gradient of
  // its weights' transpose; then the gradient of some windows.
  Own own(std::size_t most_rows) const override {
    Own own;
    std::size_t most = 0;
    for (const auto& stage : stages_) {
      const std::size_t rows = most_rows * stage.places();
      own.add(room_for<Scalar>(rows, stage.filters));
      own.add(room_for<Scalar>(rows, stage.filters));
      own.add(room_for<Scalar>(activation_ == Activation::silu ? rows : 0, stage.filters));
      own.add(room_for<Scalar>(stage.seen, stage.filters));
      most = std::max(most, stage.seen);
    }
    own.add(room_for<Scalar>(places_at_once, most));
    return own;
  }

  void forward(const Pass& pass, Rows<const Scalar> in, Rows<Scalar> out, Own& own) const override {
    for (std::size_t i = 0; i < stages_.size(); ++i) {
      const auto& stage = stages_[i];
      const auto results = results_of(i, own, in.count);
      for (std::size_t s = 0; s < in.count; ++s)
        stage.forward(pass.parameters, pass.prepared, sample(i, in, own, s),
                      results.part(s * stage.places(), stage.places()));
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
      learn(stage, i, in, own, gradient);
      if (i > 0) go_back(stage, i, in.count, pass, own);
    }
  }

 private:
  static constexpr std::size_t buffers_each = 4;
  static constexpr std::size_t places_at_once = 24;

  static std::size_t features_of(const PictureFront& front) {
    std::size_t height = front.height, width = front.width, channels = front.channels;
    for (const auto& layer : front.layers) {
      height = after_convolution(height, layer);
      width = after_convolution(width, layer);
      channels = static_cast<std::size_t>(layer.filters);
    }
    return height * width * channels;
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

  // What a stage sees of a sample.
  const Scalar* sample(std::size_t i, Rows<const Scalar> in, Own& own, std::size_t s) const {
    return i == 0 ? in.row(s) : results_of(i - 1, own, in.count).row(s * stages_[i - 1].places());
  }

  void learn(const Convolution<Scalar>& stage, std::size_t i, Rows<const Scalar> in, Own& own,
             Scalar* gradient) const {
    const auto by = gradient_of(i, own, in.count);
    const Rows<Scalar> transpose = rows_in(own[buffers_each * i + 3], stage.seen, stage.filters);
    std::fill_n(transpose.at, transpose.count * transpose.stride, Scalar{0});
    for (std::size_t s = 0; s < in.count; ++s)
      stage.learn(sample(i, in, own, s), by.part(s * stage.places(), stage.places()), transpose);
    stage.weights.add_transpose(transpose, gradient);
  }

  // The gradient of what the stage sees, which is what the stage before makes.
  void go_back(const Convolution<Scalar>& stage, std::size_t i, std::size_t samples,
               const Pass& pass, Own& own) const {
    const auto by = gradient_of(i, own, samples), earlier = gradient_of(i - 1, own, samples);
    std::fill_n(earlier.at, earlier.count * earlier.stride, Scalar{0});
    for (std::size_t s = 0; s < samples; ++s)
      for (std::size_t p = 0; p < stage.places(); p += places_at_once) {
        const std::size_t n = std::min(places_at_once, stage.places() - p);
        const Rows<Scalar> by_window = rows_in(own[own.size() - 1], n, stage.seen);
        stage.weights.back(pass.parameters, by.part(s * stage.places() + p, n), by_window);
        stage.add_windows(by_window, p, earlier.row(s * stages_[i - 1].places()));
      }
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
