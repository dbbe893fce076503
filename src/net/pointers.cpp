#include <algorithm>
#include <cmath>

#include "net/layers.hpp"
#include "zithercraft/base/random.hpp"

// The last layer of a network that points at others: a dense layer, and for each pointer a question
// from the last hidden layer and an answer from each other's columns, whose scaled product is added
// to the other's output.

namespace zithercraft::net_internal {
namespace {

template <class Scalar>
class Pointing final : public Layer<Scalar> {
 public:
  using typename Layer<Scalar>::Pass;
  using typename Layer<Scalar>::Own;

  Pointing(Claims& claims, std::size_t inputs, const NetworkPlan& plan)
      : Layer<Scalar>(inputs, plan.outputs),
        activation_(plan.activation),
        dense_(dense_layer<Scalar>(claims, "output", inputs, plan.outputs)) {
    for (const PointerHead& head : plan.pointers)
      pointers_.push_back(
          {head, Weights<Scalar>(claims, head.name + ".question", head.width, inputs),
           Weights<Scalar>(claims, head.name + ".answer", head.width, head.columns_each),
           claims.part<Scalar>(head.name + ".answer_bias", 1, head.width)});
  }

  // At first nobody is pointed at more than another, as far as the last layer's gain says.
  void initialise(Scalar* parameters, RandomStream& random, double gain) const override {
    dense_->initialise(parameters, random, gain);
    for (const Pointer& p : pointers_) {
      p.question.initialise(parameters, random, gain);
      p.answer.initialise(parameters, random, std::sqrt(2.0));
    }
  }
  void prepare(const Scalar* parameters, Scalar* prepared) const override {
    dense_->prepare(parameters, prepared);
    for (const Pointer& p : pointers_) {
      p.question.prepare(parameters, prepared);
      p.answer.prepare(parameters, prepared);
    }
  }

  // For each pointer: the others' columns, their answers (and what was there before the
  // activation), the questions, and the gradients of answers and questions.
  Own own(std::size_t most_rows) const override {
    Own own;
    own.parts.push_back(dense_->own(most_rows));
    for (const Pointer& p : pointers_) {
      const std::size_t all = most_rows * p.head.others;
      own.add(room_for<Scalar>(all, p.head.columns_each));
      own.add(room_for<Scalar>(all, p.head.width));
      own.add(room_for<Scalar>(activation_ == Activation::silu ? all : 0, p.head.width));
      own.add(room_for<Scalar>(most_rows, p.head.width));
      own.add(room_for<Scalar>(all, p.head.width));
      own.add(room_for<Scalar>(most_rows, p.head.width));
    }
    return own;
  }

  void forward(const Pass& pass, Rows<const Scalar> in, Rows<Scalar> out, Own& own) const override {
    dense_->forward(pass, in, out, own.parts[0]);
    for (std::size_t i = 0; i < pointers_.size(); ++i) {
      const Pointer& p = pointers_[i];
      const Kept k(p.head, own, i, in.count);
      for (std::size_t r = 0; r < in.count; ++r)
        for (std::size_t o = 0; o < p.head.others; ++o)
          for (std::size_t c = 0; c < p.head.columns_each; ++c)
            k.others.row(r * p.head.others + o)[c] =
                pass.inputs.row(r)[p.head.columns[o * p.head.columns_each + c]];
      p.answer.forward(pass.prepared, k.others, pass.parameters + p.bias, k.answers);
      activate(activation_, k.answers, p.head.width, k.before);
      p.question.forward(pass.prepared, in, nullptr, k.questions);
      for (std::size_t r = 0; r < in.count; ++r)
        for (std::size_t o = 0; o < p.head.others; ++o)
          out.row(r)[p.head.first_output + o] +=
              sharpness(p.head) *
              dot_of(k.questions.row(r), k.answers.row(r * p.head.others + o), p.head.width);
    }
  }

  void backward(const Pass& pass, Rows<const Scalar> in, Rows<const Scalar> out,
                Rows<Scalar> by_out, Rows<Scalar> by_in, Own& own,
                Scalar* gradient) const override {
    for (std::size_t i = 0; i < pointers_.size(); ++i) {
      const Pointer& p = pointers_[i];
      const Kept k(p.head, own, i, in.count);
      std::fill_n(k.by_questions.at, k.by_questions.count * k.by_questions.stride, Scalar{0});
      std::fill_n(k.by_answers.at, k.by_answers.count * k.by_answers.stride, Scalar{0});
      for (std::size_t r = 0; r < in.count; ++r)
        for (std::size_t o = 0; o < p.head.others; ++o) {
          const std::size_t other = r * p.head.others + o;
          const Scalar by = sharpness(p.head) * by_out.row(r)[p.head.first_output + o];
          for (std::size_t f = 0; f < p.head.width; ++f) {
            k.by_questions.row(r)[f] += by * k.answers.row(other)[f];
            k.by_answers.row(other)[f] = by * k.questions.row(r)[f];
          }
        }
      if (gradient == nullptr) continue;
      p.question.learn(in, k.by_questions, gradient);
      by_slope<Scalar>(activation_, k.answers, k.before, p.head.width, k.by_answers);
      p.answer.learn(k.others, k.by_answers, gradient);
      add_rows<Scalar>(k.by_answers, p.head.width, gradient + p.bias);
    }
    dense_->backward(pass, in, out, by_out, by_in, own.parts[0], gradient);
    if (by_in.at == nullptr) return;
    for (std::size_t i = 0; i < pointers_.size(); ++i)
      pointers_[i].question.add_back(pass.parameters,
                                     Kept(pointers_[i].head, own, i, in.count).by_questions, by_in);
  }

 private:
  struct Pointer {
    PointerHead head;
    Weights<Scalar> question, answer;
    std::size_t bias;
  };
  struct Kept {
    Kept(const PointerHead& head, Own& own, std::size_t pointer, std::size_t rows)
        : others(rows_in(own[6 * pointer], rows * head.others, head.columns_each)),
          answers(rows_in(own[6 * pointer + 1], rows * head.others, head.width)),
          questions(rows_in(own[6 * pointer + 3], rows, head.width)),
          by_answers(rows_in(own[6 * pointer + 4], rows * head.others, head.width)),
          by_questions(rows_in(own[6 * pointer + 5], rows, head.width)),
          before(own[6 * pointer + 2].data()) {}
    Rows<Scalar> others, answers, questions, by_answers, by_questions;
    Scalar* before;
  };

  static Scalar sharpness(const PointerHead& head) {
    return Scalar{1} / std::sqrt(static_cast<Scalar>(head.width));
  }
  Activation activation_;
  std::unique_ptr<Layer<Scalar>> dense_;
  std::vector<Pointer> pointers_;
};

}  // namespace

template <class Scalar>
std::unique_ptr<Layer<Scalar>> pointing_layer(Claims& claims, std::size_t inputs,
                                              const NetworkPlan& plan) {
  return std::make_unique<Pointing<Scalar>>(claims, inputs, plan);
}
template std::unique_ptr<Layer<float>> pointing_layer(Claims&, std::size_t, const NetworkPlan&);
template std::unique_ptr<Layer<double>> pointing_layer(Claims&, std::size_t, const NetworkPlan&);

}  // namespace zithercraft::net_internal
