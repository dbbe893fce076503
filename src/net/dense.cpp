#include <optional>
#include <type_traits>

#include "net/layers.hpp"
#include "net/orthogonal.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::net_internal {
namespace {

template <class Scalar, class Change>
void each_vector(Rows<Scalar> rows, std::size_t width, Change change) {
  for (std::size_t r = 0; r < rows.count; ++r)
#pragma GCC unroll 4
    for (std::size_t j = 0; j < width; j += vec_width<Scalar>) change(r * rows.stride + j);
}

template <class Scalar>
class Dense final : public Layer<Scalar> {
 public:
  using typename Layer<Scalar>::Pass;
  using typename Layer<Scalar>::Own;

  Dense(Claims& claims, const std::string& name, std::size_t inputs, std::size_t outputs,
        std::optional<Activation> activation)
      : Layer<Scalar>(inputs, outputs),
        activation_(activation),
        weights_(claims, name + ".weight", outputs, inputs),
        biases_(claims.part<Scalar>(name + ".bias", 1, outputs)) {}

  void initialise(Scalar* parameters, RandomStream& random, double gain) const override {
    weights_.initialise(parameters, random, gain);
  }
  void prepare(const Scalar* parameters, Scalar* prepared) const override {
    weights_.prepare(parameters, prepared);
  }
  Own own(std::size_t most_rows) const override {
    Own own;
    if (activation_ == Activation::silu) own.add(room_for<Scalar>(most_rows, this->outputs()));
    return own;
  }

  void forward(const Pass& pass, Rows<const Scalar> in, Rows<Scalar> out, Own& own) const override {
    weights_.forward(pass.prepared, in, pass.parameters + biases_, out);
    if (activation_) activate(*activation_, out, this->outputs(), before(own));
  }

  void backward(const Pass& pass, Rows<const Scalar> in, Rows<const Scalar> out,
                Rows<Scalar> by_out, Rows<Scalar> by_in, Own& own,
                Scalar* gradient) const override {
    if (activation_) by_slope(*activation_, out, before(own), this->outputs(), by_out);
    if (gradient != nullptr) {
      weights_.learn(in, by_out, gradient);
      add_rows<Scalar>(by_out, this->outputs(), gradient + biases_);
    }
    if (by_in.at != nullptr) weights_.back(pass.parameters, by_out, by_in);
  }

 private:
  static Scalar* before(Own& own) { return own.size() == 0 ? nullptr : own[0].data(); }

  std::optional<Activation> activation_;
  Weights<Scalar> weights_;
  std::size_t biases_;
};

}  // namespace

template <class Scalar>
Weights<Scalar>::Weights(Claims& claims, const std::string& name, std::size_t outputs,
                         std::size_t inputs)
    : outputs_(outputs),
      inputs_(inputs),
      offset_(claims.part<Scalar>(name, outputs, inputs)),
      prepared_(claims.prepare(inputs * row_stride<Scalar>(outputs))) {}

template <class Scalar>
void Weights<Scalar>::initialise(Scalar* parameters, RandomStream& random, double gain) const {
  const auto values = orthogonal(outputs_, inputs_, random);
  for (std::size_t o = 0; o < outputs_; ++o)
    for (std::size_t i = 0; i < inputs_; ++i)
      parameters[offset_ + o * row_stride<Scalar>(inputs_) + i] =
          static_cast<Scalar>(gain * values[o * inputs_ + i]);
}

template <class Scalar>
void Weights<Scalar>::prepare(const Scalar* parameters, Scalar* prepared) const {
  if constexpr (std::is_same_v<Scalar, float>)
    if (outputs_ <= narrow_width)
      return pair_rows(plain(parameters), inputs_, prepared + prepared_);
  prepare_across(parameters, prepared);
}
template <class Scalar>
void Weights<Scalar>::prepare_across(const Scalar* parameters, Scalar* prepared) const {
  transpose(plain(parameters),
            Rows<Scalar>{prepared + prepared_, inputs_, row_stride<Scalar>(outputs_)});
}

template <class Scalar>
void Weights<Scalar>::forward(const Scalar* prepared, Rows<const Scalar> in, const Scalar* first,
                              Rows<Scalar> out) const {
  if constexpr (std::is_same_v<Scalar, float>)
    if (outputs_ <= narrow_width)
      return multiply_narrow(in, prepared + prepared_, inputs_, first, out, false);
  multiply<Scalar>(as_it_is(in), across(prepared), inputs_, outputs_, first, out);
}
template <class Scalar>
void Weights<Scalar>::add_forward(const Scalar* prepared, Rows<const Scalar> in,
                                  Rows<Scalar> out) const {
  if constexpr (std::is_same_v<Scalar, float>)
    if (outputs_ <= narrow_width)
      return multiply_narrow(in, prepared + prepared_, inputs_, nullptr, out, true);
  multiply_add<Scalar>(as_it_is(in), across(prepared), inputs_, outputs_, out);
}

template <class Scalar>
void Weights<Scalar>::learn(Rows<const Scalar> in, Rows<const Scalar> by_out,
                            Scalar* gradient) const {
  multiply_add<Scalar>(transposed(by_out), in, in.count, inputs_,
                       {gradient + offset_, outputs_, row_stride<Scalar>(inputs_)});
}

template <class Scalar>
void Weights<Scalar>::back(const Scalar* parameters, Rows<const Scalar> by_out,
                           Rows<Scalar> by_in) const {
  multiply<Scalar>(as_it_is(by_out), plain(parameters), outputs_, inputs_, nullptr, by_in);
}
template <class Scalar>
void Weights<Scalar>::add_back(const Scalar* parameters, Rows<const Scalar> by_out,
                               Rows<Scalar> by_in) const {
  multiply_add<Scalar>(as_it_is(by_out), plain(parameters), outputs_, inputs_, by_in);
}

template <class Scalar>
void Weights<Scalar>::add_transpose(Rows<const Scalar> transposed, Scalar* gradient) const {
  for (std::size_t o = 0; o < outputs_; ++o) {
    Scalar* const row = gradient + offset_ + o * row_stride<Scalar>(inputs_);
    for (std::size_t k = 0; k < inputs_; ++k) row[k] += transposed.row(k)[o];
  }
}

template <class Scalar>
void activate(Activation activation, Rows<Scalar> rows, std::size_t width, Scalar* before) {
  Scalar* const at = rows.at;
  switch (activation) {
    case Activation::tanh:
      each_vector(rows, width, [at](std::size_t i) { vec_at(at + i) = tanh_of(vec_at(at + i)); });
      break;
    case Activation::relu:
      each_vector(rows, width, [at](std::size_t i) {
        const Vec<Scalar> x = vec_at(at + i);
        vec_at(at + i) = x > Scalar{0} ? x : Vec<Scalar>{};
      });
      break;
    case Activation::silu:
      each_vector(rows, width, [at, before](std::size_t i) {
        const Vec<Scalar> x = vec_at(at + i);
        vec_at(before + i) = x;
        vec_at(at + i) = x * sigmoid_of<Scalar>(x);
      });
      break;
  }
}

template <class Scalar>
void by_slope(Activation activation, Rows<const Scalar> results, const Scalar* before,
              std::size_t width, Rows<Scalar> gradient) {
  const Scalar* const at = results.at;
  Scalar* const by = gradient.at;
  switch (activation) {
    case Activation::tanh:
      each_vector(gradient, width, [at, by](std::size_t i) {
        const Vec<Scalar> y = vec_at(at + i);
        vec_at(by + i) *= Scalar{1} - y * y;
      });
      break;
    case Activation::relu:
      each_vector(gradient, width, [at, by](std::size_t i) {
        vec_at(by + i) = vec_at(at + i) > Scalar{0} ? vec_at(by + i) : Vec<Scalar>{};
      });
      break;
    case Activation::silu:
      each_vector(gradient, width, [before, by](std::size_t i) {
        const Vec<Scalar> x = vec_at(before + i), s = sigmoid_of<Scalar>(x);
        vec_at(by + i) *= s * (Scalar{1} + x * (Scalar{1} - s));
      });
      break;
  }
}

template <class Scalar>
std::unique_ptr<Layer<Scalar>> dense_layer(Claims& claims, const std::string& name,
                                           std::size_t inputs, std::size_t outputs) {
  return std::make_unique<Dense<Scalar>>(claims, name, inputs, outputs, std::nullopt);
}
template <class Scalar>
std::unique_ptr<Layer<Scalar>> dense_layer(Claims& claims, const std::string& name,
                                           std::size_t inputs, std::size_t outputs,
                                           Activation activation) {
  return std::make_unique<Dense<Scalar>>(claims, name, inputs, outputs, activation);
}

template class Weights<float>;
template class Weights<double>;
template void activate(Activation, Rows<float>, std::size_t, float*);
template void activate(Activation, Rows<double>, std::size_t, double*);
template void by_slope(Activation, Rows<const float>, const float*, std::size_t, Rows<float>);
template void by_slope(Activation, Rows<const double>, const double*, std::size_t, Rows<double>);
template std::unique_ptr<Layer<float>> dense_layer(Claims&, const std::string&, std::size_t,
                                                   std::size_t);
template std::unique_ptr<Layer<double>> dense_layer(Claims&, const std::string&, std::size_t,
                                                    std::size_t);
template std::unique_ptr<Layer<float>> dense_layer(Claims&, const std::string&, std::size_t,
                                                   std::size_t, Activation);
template std::unique_ptr<Layer<double>> dense_layer(Claims&, const std::string&, std::size_t,
                                                    std::size_t, Activation);

}  // namespace zithercraft::net_internal
