#include <array>
#include <cassert>
#include <cmath>

#include "net/layers.hpp"

// A gated recurrent unit. With x what comes in and h what was remembered:
//   update    z = sigmoid(Wz x + Uz h + bz)
//   reset     r = sigmoid(Wr x + Ur h + br)
//   candidate n = tanh(Wn x + bn + r * (Un h + cn))
//   h' = (1 - z) * n + z * h
//
// An update of z keeps what is remembered for about z / (1 - z) steps. At first the units keep it
// for 1 to 64 steps, evenly spread by their logarithms: what is forgotten within a few steps cannot
// show what it would have been good for (Tallec, Ollivier: "Can recurrent neural networks warp
// time?", 2018).

namespace zithercraft::net_internal {
namespace {

template <class Scalar>
class Memory final : public Layer<Scalar> {
 public:
  using typename Layer<Scalar>::Order;
  using typename Layer<Scalar>::Pass;
  using typename Layer<Scalar>::Own;

  Memory(Claims& claims, std::size_t inputs, std::size_t memory)
      : Layer<Scalar>(inputs, memory),
        gates_{Gate(claims, "memory.update", memory, inputs),
               Gate(claims, "memory.reset", memory, inputs),
               Gate(claims, "memory.candidate", memory, inputs)},
        kept_bias_(claims.part<Scalar>("memory.candidate.kept_bias", 1, memory)) {}

  void initialise(Scalar* parameters, RandomStream& random, double) const override {
    for (const Gate& gate : gates_) {
      gate.sensed.initialise(parameters, random, 1.0);
      gate.kept.initialise(parameters, random, 1.0);
    }
    constexpr double longest = 64.0;  // steps
    for (std::size_t i = 0; i < this->outputs(); ++i) {
      const double place = (static_cast<double>(i) + 0.5) / static_cast<double>(this->outputs());
      parameters[gates_[0].bias + i] = static_cast<Scalar>(place * std::log(longest));
    }
  }
  void prepare(const Scalar* parameters, Scalar* prepared) const override {
    for (const Gate& gate : gates_) {
      gate.sensed.prepare(parameters, prepared);
      gate.kept.prepare(parameters, prepared);
    }
  }

  Own own(std::size_t most_rows) const override {
    Own own;
    for (std::size_t i = 0; i < kinds; ++i) own.add(room_for<Scalar>(most_rows, this->outputs()));
    return own;
  }

  void forward(const Pass& pass, Rows<const Scalar> in, Rows<Scalar> out, Own& own) const override {
    const Kept k(*this, own, in.count);
    for (std::size_t g = 0; g < 3; ++g)
      gates_[g].sensed.forward(pass.prepared, in, pass.parameters + gates_[g].bias, k.gate(g));
    const std::size_t n = pass.order.sequences;
    assert(pass.order.memory.size() >= n * stride());
    for (std::size_t t = 0; t < pass.order.steps; ++t) {
      const auto before = k.before.part(t * n, n);
      const Rows<const Scalar> last =
          t == 0 ? Rows<const Scalar>{pass.order.memory.data(), n, stride()}
                 : out.part((t - 1) * n, n);
      for (std::size_t s = 0; s < n; ++s) {
        if (begins(pass.order, t * n + s)) {
          std::fill_n(before.row(s), stride(), Scalar{0});
        } else {
          std::copy_n(last.row(s), stride(), before.row(s));
        }
      }
      gates_[0].kept.add_forward(pass.prepared, before, k.update.part(t * n, n));
      gates_[1].kept.add_forward(pass.prepared, before, k.reset.part(t * n, n));
      gates_[2].kept.forward(pass.prepared, before, pass.parameters + kept_bias_,
                             k.recalled.part(t * n, n));
      each(t * n, n, [&](std::size_t i) {
        const Vec<Scalar> z = sigmoid_of<Scalar>(vec_at(k.update.at + i)),
                          r = sigmoid_of<Scalar>(vec_at(k.reset.at + i));
        const Vec<Scalar> c = tanh_of(vec_at(k.candidate.at + i) + r * vec_at(k.recalled.at + i));
        vec_at(k.update.at + i) = z;
        vec_at(k.reset.at + i) = r;
        vec_at(k.candidate.at + i) = c;
        vec_at(out.at + i) = (Scalar{1} - z) * c + z * vec_at(k.before.at + i);
      });
      clear_ends(out.part(t * n, n));
    }
    const auto last = out.part((pass.order.steps - 1) * n, n);
    std::copy_n(last.at, n * stride(), pass.order.memory.data());
  }

  void backward(const Pass& pass, Rows<const Scalar> in, Rows<const Scalar>, Rows<Scalar> by_out,
                Rows<Scalar> by_in, Own& own, Scalar* gradient) const override {
    const Kept k(*this, own, in.count);
    const std::size_t n = pass.order.sequences;
    for (std::size_t t = pass.order.steps; t-- > 0;) {
      // Each gate's value gives way to the gradient of what went into it.
      each(t * n, n, [&](std::size_t i) {
        const Vec<Scalar> by = vec_at(by_out.at + i), h = vec_at(k.before.at + i),
                          z = vec_at(k.update.at + i), r = vec_at(k.reset.at + i),
                          c = vec_at(k.candidate.at + i), u = vec_at(k.recalled.at + i);
        const Vec<Scalar> by_candidate = by * (Scalar{1} - z) * (Scalar{1} - c * c);
        vec_at(k.update.at + i) = by * (h - c) * z * (Scalar{1} - z);
        vec_at(k.reset.at + i) = by_candidate * u * r * (Scalar{1} - r);
        vec_at(k.candidate.at + i) = by_candidate;
        vec_at(k.recalled.at + i) = by_candidate * r;
        vec_at(k.carried.at + i) = by * z;
      });
      for (const auto& rows : {k.update, k.reset, k.candidate, k.recalled, k.carried})
        clear_ends(rows.part(t * n, n));
      if (t == 0) break;
      const auto carried = k.carried.part(t * n, n);
      gates_[0].kept.add_back(pass.parameters, k.update.part(t * n, n), carried);
      gates_[1].kept.add_back(pass.parameters, k.reset.part(t * n, n), carried);
      gates_[2].kept.add_back(pass.parameters, k.recalled.part(t * n, n), carried);
      for (std::size_t s = 0; s < n; ++s) {
        if (begins(pass.order, t * n + s)) continue;
        Scalar* const by = by_out.row((t - 1) * n + s);
        for (std::size_t j = 0; j < this->outputs(); ++j) by[j] += carried.row(s)[j];
      }
    }
    for (std::size_t g = 0; g < 3; ++g) {
      const Gate& gate = gates_[g];
      gate.sensed.learn(in, k.gate(g), gradient);
      gate.kept.learn(k.before, g == 2 ? k.recalled : k.gate(g), gradient);
      add_rows<Scalar>(k.gate(g), this->outputs(), gradient + gate.bias);
      if (by_in.at == nullptr) continue;
      g == 0 ? gate.sensed.back(pass.parameters, k.gate(g), by_in)
             : gate.sensed.add_back(pass.parameters, k.gate(g), by_in);
    }
    add_rows<Scalar>(k.recalled, this->outputs(), gradient + kept_bias_);
  }

 private:
  static constexpr std::size_t kinds = 6;

  struct Gate {
    Gate(Claims& claims, const std::string& name, std::size_t memory, std::size_t inputs)
        : sensed(claims, name + ".weight", memory, inputs),
          kept(claims, name + ".kept", memory, memory),
          bias(claims.part<Scalar>(name + ".bias", 1, memory)) {}
    Weights<Scalar> sensed, kept;
    std::size_t bias;
  };

  // What is kept of a batch: the gates, what was recalled (Un h + cn), what was remembered before,
  // and the gradient that goes back in time.
  struct Kept {
    Kept(const Memory& memory, Own& own, std::size_t rows)
        : update(rows_in(own[0], rows, memory.outputs())),
          reset(rows_in(own[1], rows, memory.outputs())),
          candidate(rows_in(own[2], rows, memory.outputs())),
          recalled(rows_in(own[3], rows, memory.outputs())),
          before(rows_in(own[4], rows, memory.outputs())),
          carried(rows_in(own[5], rows, memory.outputs())) {}
    const Rows<Scalar>& gate(std::size_t g) const {
      return g == 0 ? update : g == 1 ? reset : candidate;
    }
    Rows<Scalar> update, reset, candidate, recalled, before, carried;
  };

  std::size_t stride() const { return row_stride<Scalar>(this->outputs()); }
  static bool begins(const Order& order, std::size_t row) {
    return !order.begins.empty() && order.begins[row] != 0;
  }

  template <class Change>
  void each(std::size_t first, std::size_t rows, Change change) const {
    for (std::size_t r = first; r < first + rows; ++r)
      for (std::size_t j = 0; j < this->outputs(); j += vec_width<Scalar>) change(r * stride() + j);
  }
  // The last vector of a row may reach beyond its end, where numbers must stay 0.
  void clear_ends(Rows<Scalar> rows) const {
    if (this->outputs() % vec_width<Scalar> == 0) return;
    for (std::size_t r = 0; r < rows.count; ++r)
      std::fill(rows.row(r) + this->outputs(), rows.row(r) + whole_vectors<Scalar>(this->outputs()),
                Scalar{0});
  }

  std::array<Gate, 3> gates_;
  std::size_t kept_bias_;
};

}  // namespace

template <class Scalar>
std::unique_ptr<Layer<Scalar>> memory_layer(Claims& claims, std::size_t inputs,
                                            std::size_t memory) {
  return std::make_unique<Memory<Scalar>>(claims, inputs, memory);
}
template std::unique_ptr<Layer<float>> memory_layer(Claims&, std::size_t, std::size_t);
template std::unique_ptr<Layer<double>> memory_layer(Claims&, std::size_t, std::size_t);

}  // namespace zithercraft::net_internal
