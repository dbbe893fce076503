#include <algorithm>
#include <array>
#include <utility>

#include "evolve/vector_batch.hpp"
#include "net/product.hpp"
#include "net/vectors.hpp"
#include "zithercraft/base/aligned.hpp"
#include "zithercraft/base/pool.hpp"

namespace zithercraft::evolve_internal {
using namespace net_internal;
namespace {

using V = Vec<float>;
using Vector = VectorOf<float>::whole;
constexpr std::size_t wide = vec_width<float>;
// Outputs whose sums are kept at once, so that none waits for itself.
constexpr std::size_t most_at_once = 8;

// As many networks as a vector has lanes stand beside each other, a lane each. A layer is a row of
// vectors: for each few outputs their biases, then for each input their weights.
struct Place {
  std::size_t inputs = 0, outputs = 0, offset = 0;
};

template <class Change>
void each_vector(float* at, std::size_t count, Change change) {
  for (std::size_t i = 0; i < count; ++i) vec_at(at + i * wide) = change(vec_at(at + i * wide));
}
void activate(Activation activation, float* at, std::size_t count) {
  switch (activation) {
    case Activation::tanh: return each_vector(at, count, [](const V& x) { return tanh_of(x); });
    case Activation::relu:
      return each_vector(at, count, [](const V& x) { return x > 0.0f ? x : V{}; });
    case Activation::silu:
      return each_vector(at, count, [](const V& x) { return x * sigmoid_of<float>(x); });
  }
}

template <std::size_t count>
const float* sum_up(const float* weights, const float* in, std::size_t inputs, float* out) {
  V sums[count];
  for (std::size_t o = 0; o < count; ++o, weights += wide) sums[o] = vec_at(weights);
  for (std::size_t i = 0; i < inputs; ++i) {
    const V x = vec_at(in + i * wide);
    for (std::size_t o = 0; o < count; ++o, weights += wide) sums[o] += x * vec_at(weights);
  }
  for (std::size_t o = 0; o < count; ++o) vec_at(out + o * wide) = sums[o];
  return weights;
}

// As `multiply_narrow` adds up: every other input apart, and the biases last. Whoever leads has to
// decide as a policy to the last bit.
template <std::size_t count>
const float* sum_up_narrow(const float* weights, const float* in, std::size_t inputs, float* out) {
  V sums[2][count]{};
  const float* const biases = weights;
  weights += count * wide;
  for (std::size_t i = 0; i < inputs; ++i) {
    const V x = vec_at(in + i * wide);
    for (std::size_t o = 0; o < count; ++o, weights += wide) sums[i % 2][o] += x * vec_at(weights);
  }
  for (std::size_t o = 0; o < count; ++o)
    vec_at(out + o * wide) = vec_at(biases + o * wide) + (sums[0][o] + sums[1][o]);
  return weights;
}

std::size_t at_once(std::size_t outputs_left) {
  return outputs_left >= most_at_once ? most_at_once : outputs_left >= 4 ? 4 : 1;
}

void apply(const Place& place, const float* weights, const float* in, float* out) {
  const bool narrow = place.outputs <= narrow_width;
  for (std::size_t o = 0; o < place.outputs;) {
    const std::size_t count = at_once(place.outputs - o);
    float* to = out + o * wide;
    const auto add = [&]<std::size_t few>() {
      return narrow ? sum_up_narrow<few>(weights, in, place.inputs, to)
                    : sum_up<few>(weights, in, place.inputs, to);
    };
    weights = count == most_at_once ? add.template operator()<most_at_once>()
              : count == 4          ? add.template operator()<4>()
                                    : add.template operator()<1>();
    o += count;
  }
}

// Rows become columns: the lane `i` of row `k` changes places with lane `k` of row `i`, for ever
// smaller squares. Of the first rows; of the columns that become rows, those of the higher half are
// made if they are wanted.
struct Block {
  V row[wide];
};
template <std::size_t square, std::size_t rows, bool both>
[[gnu::always_inline]] inline void turn_squares(Block& block) {
  Vector low{}, high{};
  for (std::uint32_t lane = 0; lane < wide; ++lane) {
    const bool odd = (lane & square) != 0;
    low[lane] =
        odd ? lane - static_cast<std::uint32_t>(square) + static_cast<std::uint32_t>(wide) : lane;
    high[lane] =
        odd ? lane + static_cast<std::uint32_t>(wide) : lane + static_cast<std::uint32_t>(square);
  }
  for (std::size_t k = 0; k < rows; ++k) {
    if ((k & square) != 0) continue;
    const V a = block.row[k], b = block.row[k + square];
    block.row[k] = chosen(a, b, low);
    if constexpr (both) block.row[k + square] = chosen(a, b, high);
  }
}
// Inlined, so that a block stays in registers. The first `wanted` columns become the first rows.
template <std::size_t wanted, std::size_t square = wide / 2, std::size_t rows = wide>
[[gnu::always_inline]] inline void turn(Block& block) {
  constexpr bool both = wanted > square;
  turn_squares<square, rows, both>(block);
  if constexpr (square > 1) turn<wanted, square / 2, both ? rows : square>(block);
}
constexpr std::size_t few_outputs = 4;  // answers for which a quarter of the work is enough
static_assert(wide >= few_outputs);

class SmallNetworkBatch final : public VectorBatch {
 public:
  SmallNetworkBatch(const NetworkPlan& plan, std::size_t most_networks, std::size_t most_rows,
                    std::size_t workers)
      : net_(plan), activation_(plan.activation), numbers_(plain_numbers(net_)), scratch_(workers) {
    std::size_t inputs = plan.columns, widest = whole_vectors<float>(inputs);
    const auto add = [&](std::size_t outputs) {
      places_.push_back({inputs, outputs, each_ * wide});
      each_ += (inputs + 1) * outputs;
      widest = std::max(widest, whole_vectors<float>(outputs));
      inputs = outputs;
    };
    for (const std::size_t outputs : plan.hidden) add(outputs);
    add(plan.outputs);
    room_ = networks_at_a_time(most_networks, each_, workers);
    weights_ = AlignedBuffer<float>((room_ + wide - 1) / wide * wide * each_);
    for (Scratch& scratch : scratch_) {
      scratch.vector.resize(numbers_);
      scratch.in = AlignedBuffer<float>(widest * wide);
      scratch.out = AlignedBuffer<float>(widest * wide);
      scratch.nothing = AlignedBuffer<float>(input_stride());
      scratch.outputs = AlignedBuffer<float>(most_rows * output_stride());
    }
  }

  std::size_t inputs() const noexcept override { return places_.front().inputs; }
  std::size_t outputs() const noexcept override { return places_.back().outputs; }
  std::size_t capacity() const noexcept override { return room_; }
  std::size_t width() const noexcept override { return wide; }
  std::size_t memory() const noexcept override { return 0; }
  std::size_t input_stride() const noexcept override { return whole_vectors<float>(inputs()); }
  std::size_t output_stride() const noexcept override { return whole_vectors<float>(outputs()); }
  std::size_t dimension() const noexcept override { return numbers_; }

  void load(std::size_t count, const std::function<void(std::size_t, std::span<float>)>& candidate,
            WorkerPool& pool) override {
    const auto stddevs = first_stddevs(net_);
    pool.run(count, [&](std::size_t at, std::size_t worker) {
      const std::span<float> vector = scratch_[worker].vector;
      candidate(at, vector);
      // Parts follow each other layer by layer: weights, [outputs][inputs], then biases.
      const float* from = vector.data();
      for (std::size_t l = 0; l < places_.size(); ++l) {
        const Place& p = places_[l];
        const float* biases = from + p.outputs * p.inputs;
        float* to = weights_.data() + at / wide * wide * each_ + p.offset + at % wide;
        for (std::size_t first = 0, few = 0; first < p.outputs; first += few) {
          few = at_once(p.outputs - first);
          for (std::size_t o = first; o < first + few; ++o, to += wide)
            *to = stddevs[2 * l + 1] * biases[o];
          for (std::size_t i = 0; i < p.inputs; ++i)
            for (std::size_t o = first; o < first + few; ++o, to += wide)
              *to = stddevs[2 * l] * from[o * p.inputs + i];
        }
        from = biases + p.outputs;
      }
    });
  }

  // Networks that stand beside each other answer together, each for its first row that has none
  // yet.
  std::span<float> decide(std::span<const std::uint32_t> places, std::span<const float> inputs,
                          std::span<float>, std::size_t worker) override {
    const TinyIsNothing scope;
    Scratch& scratch = scratch_[worker];
    const std::size_t in = input_stride(), out = output_stride();
    std::array<const float*, wide> from;
    std::array<float*, wide> to;
    for (std::size_t first = 0, stop = 0; first < places.size(); first = stop) {
      const std::size_t group = places[first] / wide;
      while (stop < places.size() && places[stop] / wide == group) ++stop;
      for (std::size_t left = stop - first, pass = 0; left > 0; ++pass) {
        from.fill(scratch.nothing.data());
        to.fill(nullptr);
        std::size_t nth = 0;  // of the rows of one network
        for (std::size_t r = first; r < stop; ++r) {
          nth = r > first && places[r] == places[r - 1] ? nth + 1 : 0;
          if (nth != pass) continue;
          from[places[r] % wide] = inputs.data() + r * in;
          to[places[r] % wide] = scratch.outputs.data() + r * out;
          --left;
        }
        ask(weights_.data() + group * wide * each_, from, to, scratch);
      }
    }
    return scratch.outputs.span();
  }

 private:
  struct Scratch {
    std::vector<float> vector{};
    AlignedBuffer<float> in{}, out{}, nothing{}, outputs{};
  };

  void ask(const float* weights, const std::array<const float*, wide>& from,
           const std::array<float*, wide>& to, Scratch& scratch) const {
    float *in = scratch.in.data(), *out = scratch.out.data();
    std::size_t i = 0;
    for (; i + wide / 2 < inputs(); i += wide) turn_inputs<wide>(from, i, in);
    if (i < inputs()) turn_inputs<wide / 2>(from, i, in);
    for (const Place& place : places_) {
      apply(place, weights + place.offset, in, out);
      if (&place != &places_.back()) activate(activation_, out, place.outputs);
      std::swap(in, out);
    }
    if (outputs() <= few_outputs) return turn_few_outputs(in, to);
    Block block;
    for (std::size_t o = 0; o < outputs(); o += wide) {
      for (std::size_t r = 0; r < wide; ++r) block.row[r] = vec_at(in + (o + r) * wide);
      turn<wide>(block);
      for (std::size_t r = 0; r < wide; ++r)
        if (to[r] != nullptr) vec_at(to[r] + o) = block.row[r];
    }
  }

  template <std::size_t count>
  static void turn_inputs(const std::array<const float*, wide>& from, std::size_t first,
                          float* in) {
    Block block;
    for (std::size_t r = 0; r < wide; ++r) block.row[r] = vec_at(from[r] + first);
    turn<count>(block);
    for (std::size_t r = 0; r < count; ++r) vec_at(in + (first + r) * wide) = block.row[r];
  }

  // Squares of four by four lanes turned within their rows: then those of row `r` hold the answers
  // of the networks `r`, `r + 4`, and so on.
  static void turn_few_outputs(const float* out, const std::array<float*, wide>& to) {
    Block block;
    for (std::size_t r = 0; r < few_outputs; ++r) block.row[r] = vec_at(out + r * wide);
    turn_squares<2, few_outputs, true>(block);
    turn_squares<1, few_outputs, true>(block);
    for (std::size_t r = 0; r < few_outputs; ++r) {
      const auto* answers = reinterpret_cast<const float*>(&block.row[r]);
      for (std::size_t n = 0; n < wide; n += few_outputs)
        if (to[n + r] != nullptr) std::copy_n(answers + n, few_outputs, to[n + r]);
    }
  }

  Network<float> net_;
  Activation activation_;
  std::size_t numbers_, room_ = 0, each_ = 0;
  std::vector<Place> places_;
  AlignedBuffer<float> weights_;
  std::vector<Scratch> scratch_;
};

}  // namespace

std::unique_ptr<VectorBatch> small_batch(const NetworkPlan& plan, std::size_t most_networks,
                                         std::size_t most_rows, std::size_t workers) {
  return std::make_unique<SmallNetworkBatch>(plan, most_networks, most_rows, workers);
}

}  // namespace zithercraft::evolve_internal
