#include "zithercraft/net/mlp.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>
#include <utility>

#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

template <class Scalar>
void fill(AlignedBuffer<Scalar>& values, std::uint64_t seed, double size = 1.0) {
  RandomStream random(seed, 0, 0, Purpose::user);
  for (Scalar& v : values) v = static_cast<Scalar>(random.between(-size, size));
}

TEST(Mlp, ForwardIsWhatTheFormulaSays) {
  const Mlp<double> net({2, 3, 1});
  AlignedBuffer<double> p(net.parameters()), x(4);
  fill(p, 1);
  fill(x, 2);
  auto room = net.workspace(2);
  const auto y = net.forward(p.span(), x.span(), 2, room);
  const auto& [first, second] = std::pair{net.layers()[0], net.layers()[1]};
  for (std::size_t s = 0; s < 2; ++s) {
    double out = p[second.biases];
    for (std::size_t h = 0; h < 3; ++h) {
      double sum = p[first.biases + h];
      for (std::size_t i = 0; i < 2; ++i) sum += p[first.weights + h * 2 + i] * x[s * 2 + i];
      out += p[second.weights + h] * std::tanh(sum);
    }
    EXPECT_NEAR(y[s], out, 1e-12);
  }
}

TEST(Mlp, GradientsMatchFiniteDifferences) {
  const Mlp<double> net({5, 8, 6, 3});
  constexpr std::size_t n = 7;
  AlignedBuffer<double> p(net.parameters()), x(n * 5), weight(n * 3), gradient(net.parameters());
  fill(p, 1, 0.7);
  fill(x, 2, 2.0);
  fill(weight, 3);
  auto room = net.workspace(n);
  const auto loss = [&] {
    const auto y = net.forward(p.span(), x.span(), n, room);
    return std::inner_product(y.begin(), y.end(), weight.begin(), 0.0);
  };
  loss();
  net.backward(p.span(), x.span(), n, weight.span(), room, gradient.span());
  int moved = 0;
  for (std::size_t i = 0; i < p.size(); ++i) {
    constexpr double h = 1e-5;
    const double kept = std::exchange(p[i], p[i] + h);
    const double up = loss();
    p[i] = kept - h;
    const double down = loss();
    p[i] = kept;
    EXPECT_NEAR(gradient[i], (up - down) / (2 * h), 1e-7) << "parameter " << i;
    moved += gradient[i] != 0.0 ? 1 : 0;
  }
  EXPECT_EQ(moved, 5 * 8 + 8 + 8 * 6 + 6 + 6 * 3 + 3);
}

TEST(Mlp, InitialWeightsAreOrthogonalWithTheirGain) {
  const Mlp<float> net({10, 4, 20});
  AlignedBuffer<float> p(net.parameters());
  RandomStream random(1, 0, 0, Purpose::initialise);
  net.initialise(p.span(), random, 0.5);
  const auto check = [&](const Mlp<float>::Layer& l, double gain) {
    const std::size_t count = std::min(l.inputs, l.outputs);
    const bool by_rows = l.outputs <= l.inputs;
    for (std::size_t a = 0; a < count; ++a)
      for (std::size_t b = 0; b < count; ++b) {
        double dot = 0;
        for (std::size_t k = 0; k < std::max(l.inputs, l.outputs); ++k)
          dot += static_cast<double>(p[l.weights + (by_rows ? a * l.inputs + k : k * l.inputs + a)]) *
                 static_cast<double>(p[l.weights + (by_rows ? b * l.inputs + k : k * l.inputs + b)]);
        EXPECT_NEAR(dot, a == b ? gain * gain : 0.0, 1e-5);
      }
  };
  check(net.layers()[0], std::sqrt(2.0));
  check(net.layers()[1], 0.5);
}

}  // namespace
}  // namespace zithercraft
