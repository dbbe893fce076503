#include "zithercraft/net/network.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>
#include <ostream>
#include <utility>

#include "support.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

template <class Scalar>
void fill(AlignedBuffer<Scalar>& values, std::size_t width, std::size_t stride, std::uint64_t seed,
          double size = 1.0) {
  RandomStream random(seed, 0, 0, Purpose::user);
  for (std::size_t r = 0; r * stride < values.size(); ++r)
    for (std::size_t i = 0; i < width; ++i)
      values[r * stride + i] = static_cast<Scalar>(random.between(-size, size));
}

template <class Scalar>
AlignedBuffer<Scalar> weights_for(const Network<Scalar>& net, std::uint64_t seed, double size) {
  AlignedBuffer<Scalar> p(net.parameters());
  RandomStream random(seed, 0, 0, Purpose::user);
  for (const NetworkPart& part : net.parts())
    for (std::size_t r = 0; r < part.rows; ++r)
      for (std::size_t i = 0; i < part.width; ++i)
        p[part.offset + r * part.stride + i] = static_cast<Scalar>(random.between(-size, size));
  return p;
}

const NetworkPart& part_of(const Network<double>& net, const std::string& name) {
  for (const NetworkPart& part : net.parts())
    if (part.name == name) return part;
  throw std::runtime_error("no part " + name);
}

std::vector<std::uint32_t> counted(std::uint32_t first, std::uint32_t n) {
  std::vector<std::uint32_t> columns(n);
  std::iota(columns.begin(), columns.end(), first);
  return columns;
}

struct Kind {
  const char* name;
  NetworkPlan plan;
};
void PrintTo(const Kind& kind, std::ostream* out) { *out << kind.name; }

const PictureFront picture{"eye", 7, 6, 2, counted(2, 84), {{3, 3, 1}, {4, 2, 2}}};
// The same numbers with the channels in planes of their own, the last first.
PictureFront in_planes() {
  PictureFront front{"eye", 7, 6, 4, {}, {{3, 3, 2}, {4, 2, 1}}};
  for (std::uint32_t pixel = 0; pixel < 42; ++pixel)
    for (const std::uint32_t plane : {3u, 1u, 2u, 0u})
      front.columns.push_back(2 + 42 * plane + pixel);
  return front;
}
// Channels side by side, but not in order.
PictureFront shuffled() {
  PictureFront front{"eye", 7, 6, 4, {}, {{3, 3, 1}}};
  for (std::uint32_t pixel = 0; pixel < 42; ++pixel)
    for (const std::uint32_t channel : {0u, 2u, 1u, 3u})
      front.columns.push_back(2 + 4 * pixel + channel);
  return front;
}
const CrowdFront crowd{"crowd", 4, 3, 0, counted(86, 12), 5, 2};

const PointerHead pointer{"mark", 2, 4, 3, counted(86, 12), 6};

const std::vector<Kind> kinds{
    {"Tanh", {.columns = 5, .hidden = {8, 6}, .outputs = 3}},
    {"Relu", {.columns = 5, .hidden = {18, 6}, .activation = Activation::relu, .outputs = 3}},
    {"Silu", {.columns = 5, .hidden = {8, 16}, .activation = Activation::silu, .outputs = 17}},
    {"Linear", {.columns = 4, .outputs = 2}},
    {"Memory", {.columns = 5, .hidden = {6}, .memory = 7, .outputs = 3}},
    {"Picture", {.columns = 86, .pictures = {picture}, .hidden = {9}, .outputs = 2}},
    {"PictureInPlanes", {.columns = 170, .pictures = {in_planes()}, .hidden = {9}, .outputs = 2}},
    {"ShuffledPicture", {.columns = 170, .pictures = {shuffled()}, .outputs = 2}},
    {"Crowd", {.columns = 98, .crowds = {crowd}, .hidden = {9}, .outputs = 2}},
    {"Pointer",
     {.columns = 98, .crowds = {crowd}, .hidden = {9}, .outputs = 7, .pointers = {pointer}}},
    {"PointerWithMemory",
     {.columns = 98,
      .crowds = {crowd},
      .hidden = {9},
      .activation = Activation::silu,
      .memory = 5,
      .outputs = 6,
      .pointers = {pointer}}},
    {"Everything",
     {.columns = 98,
      .pictures = {picture},
      .crowds = {crowd},
      .hidden = {10},
      .activation = Activation::silu,
      .memory = 9,
      .outputs = 2}},
};

// Twelve steps of three agents, two of which begin an episode on the way.
template <class Scalar>
struct Played {
  static constexpr std::size_t steps = 4, sequences = 3, rows = steps * sequences;

  explicit Played(const NetworkPlan& plan)
      : net(plan),
        parameters(weights_for(net, 1, 0.7)),
        prepared(net.prepared()),
        inputs(rows * net.input_stride()),
        before(sequences * net.memory_stride()),
        memory(before.size()),
        room(net.workspace(rows)) {
    fill(inputs, plan.columns, net.input_stride(), 2, 1.5);
    fill(before, plan.memory, std::max<std::size_t>(1, net.memory_stride()), 3);
    // Presence is a flag; in the last row nobody is there.
    for (const CrowdFront& front : plan.crowds)
      for (std::size_t r = 0; r < rows; ++r)
        for (std::size_t o = 0; o < front.others; ++o)
          inputs[r * net.input_stride() + front.columns[o * front.columns_each + front.here]] =
              static_cast<Scalar>((r + o) % 3 == 0 && r + 1 < rows ? 1 : 0);
  }

  std::span<Scalar> forward() {
    net.prepare(parameters.span(), prepared.span());
    memory = before;
    return net.forward(parameters.span(), prepared.span(), inputs.span(), order(), room);
  }
  typename Network<Scalar>::Order order() { return {steps, sequences, begins, memory.span()}; }

  Network<Scalar> net;
  AlignedBuffer<Scalar> parameters, prepared, inputs, before, memory;
  std::vector<std::uint8_t> begins = std::vector<std::uint8_t>{0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0};
  typename Network<Scalar>::Workspace room;
};

class EachNetwork : public ::testing::TestWithParam<Kind> {};
INSTANTIATE_TEST_SUITE_P(Network, EachNetwork, ::testing::ValuesIn(kinds),
                         [](const auto& one) { return one.param.name; });

TEST_P(EachNetwork, GradientsMatchFiniteDifferences) {
  Played<double> played(GetParam().plan);
  const auto& net = played.net;
  AlignedBuffer<double> weight(Played<double>::rows * net.output_stride()),
      gradient(net.parameters());
  fill(weight, net.outputs(), net.output_stride(), 4);
  const auto loss = [&] {
    const auto y = played.forward();
    return std::inner_product(y.begin(), y.end(), weight.begin(), 0.0);
  };
  loss();
  AlignedBuffer<double> by_output = weight;
  net.backward(played.parameters.span(), played.prepared.span(), played.inputs.span(),
               played.order(), by_output.span(), played.room, gradient.span());
  std::size_t moved = 0, all = 0;
  for (const NetworkPart& part : net.parts())
    for (std::size_t r = 0; r < part.rows; ++r)
      for (std::size_t i = 0; i < part.stride; ++i) {
        const std::size_t at = part.offset + r * part.stride + i;
        if (i >= part.width) {
          EXPECT_EQ(gradient[at], 0.0) << part.name << ": what lies between rows stays 0";
          continue;
        }
        constexpr double h = 1e-6;
        const double kept = std::exchange(played.parameters[at], played.parameters[at] + h);
        const double up = loss();
        played.parameters[at] = kept - h;
        const double down = loss();
        played.parameters[at] = kept;
        EXPECT_NEAR(gradient[at], (up - down) / (2 * h), 2e-7 * (1 + std::fabs(gradient[at])))
            << part.name << " [" << r << "][" << i << "]";
        moved += gradient[at] != 0.0 ? 1u : 0u;
        ++all;
      }
  EXPECT_GT(moved, all * 3 / 4);
}

// With respect to plain columns; the parameters' gradient can be left out where nothing is
// remembered.
TEST_P(EachNetwork, InputGradientsMatchFiniteDifferences) {
  const NetworkPlan& plan = GetParam().plan;
  Played<double> played(plan);
  const auto& net = played.net;
  AlignedBuffer<double> weights(played.rows * net.output_stride());
  fill(weights, plan.outputs, net.output_stride(), 4);
  const auto loss = [&] {
    const auto outputs = played.forward();
    double sum = 0.0;
    for (std::size_t i = 0; i < outputs.size(); ++i) sum += weights[i] * outputs[i];
    return sum;
  };
  loss();
  AlignedBuffer<double> by_output = weights, gradient(net.parameters()),
                        by_input(played.inputs.size());
  const auto wanted = plan.memory > 0 ? gradient.span() : std::span<double>{};
  net.backward(played.parameters.span(), played.prepared.span(), played.inputs.span(),
               played.order(), by_output.span(), played.room, wanted, by_input.span());
  std::vector<bool> plain(plan.columns, true);
  for (const PictureFront& front : plan.pictures)
    for (const std::uint32_t column : front.columns) plain[column] = false;
  for (const CrowdFront& front : plan.crowds)
    for (const std::uint32_t column : front.columns) plain[column] = false;
  for (std::size_t r = 0; r < played.rows; ++r)
    for (std::size_t c = 0; c < plan.columns; ++c) {
      const std::size_t at = r * net.input_stride() + c;
      if (!plain[c]) {
        EXPECT_EQ(by_input[at], 0.0);
        continue;
      }
      constexpr double step = 1e-6;
      const double here = played.inputs[at];
      played.inputs[at] = here + step;
      const double above = loss();
      played.inputs[at] = here - step;
      const double below = loss();
      played.inputs[at] = here;
      EXPECT_NEAR(by_input[at], (above - below) / (2 * step), 1e-6) << r << " " << c;
    }
}

TEST_P(EachNetwork, GivesTheSameBitsAloneAndAmongOthers) {
  Played<float> played(GetParam().plan);
  const auto& net = played.net;
  const auto together = played.forward();
  const std::vector<float> all(together.begin(), together.end());
  AlignedBuffer<float> row(net.input_stride()), memory(net.memory_stride());
  auto room = net.workspace(1);
  for (std::size_t s = 0; s < Played<float>::sequences; ++s) {
    std::copy_n(played.before.begin() + s * net.memory_stride(), net.memory_stride(),
                memory.begin());
    for (std::size_t t = 0; t < Played<float>::steps; ++t) {
      const std::size_t r = t * Played<float>::sequences + s;
      std::copy_n(played.inputs.begin() + r * net.input_stride(), net.input_stride(), row.begin());
      const auto alone =
          net.forward(played.parameters.span(), played.prepared.span(), row.span(),
                      {1, 1, std::span(played.begins).subspan(r, 1), memory.span()}, room);
      for (std::size_t i = 0; i < net.output_stride(); ++i)
        EXPECT_EQ(alone[i], all[r * net.output_stride() + i]);
    }
  }
}

TEST_P(EachNetwork, StandsInAFileAsItIs) {
  const NetworkPlan& plan = GetParam().plan;
  EXPECT_EQ(NetworkPlan::from_json(plan.to_json()), plan);
}

TEST(Network, ForwardIsWhatTheFormulaSays) {
  Played<double> played({.columns = 2, .hidden = {3}, .outputs = 1});
  const auto y = played.forward();
  const auto number = [&](const char* name, std::size_t r, std::size_t i) {
    const NetworkPart& part = part_of(played.net, name);
    return played.parameters[part.offset + r * part.stride + i];
  };
  for (std::size_t s = 0; s < Played<double>::rows; ++s) {
    double out = number("output.bias", 0, 0);
    for (std::size_t h = 0; h < 3; ++h) {
      double sum = number("hidden.0.bias", 0, h);
      for (std::size_t i = 0; i < 2; ++i)
        sum += number("hidden.0.weight", h, i) * played.inputs[s * played.net.input_stride() + i];
      out += number("output.weight", 0, h) * std::tanh(sum);
    }
    EXPECT_NEAR(y[s * played.net.output_stride()], out, 1e-12);
  }
}

// One that moves to another place of the crowd is scored as before, except for what the place says.
TEST(Network, PointersScoreOthersByWhatTheyAreLike) {
  Played<double> played(
      {.columns = 98, .crowds = {crowd}, .hidden = {9}, .outputs = 7, .pointers = {pointer}});
  // What the last layer says of places is switched off.
  for (const char* name : {"output.weight", "output.bias"}) {
    const NetworkPart& part = part_of(played.net, name);
    std::fill_n(played.parameters.begin() + part.offset, part.rows * part.stride, 0.0);
  }
  const auto first = played.forward();
  const std::vector<double> before(first.begin(), first.end());
  // The first and the third of the crowd change places.
  for (std::size_t r = 0; r < Played<double>::rows; ++r)
    for (std::size_t c = 0; c < 3; ++c)
      std::swap(played.inputs[r * played.net.input_stride() + 86 + c],
                played.inputs[r * played.net.input_stride() + 86 + 6 + c]);
  const auto after = played.forward();
  for (std::size_t r = 0; r < Played<double>::rows; ++r) {
    const std::size_t row = r * played.net.output_stride();
    EXPECT_NEAR(after[row + 2], before[row + 4], 1e-12);
    EXPECT_NEAR(after[row + 4], before[row + 2], 1e-12);
    EXPECT_NEAR(after[row + 3], before[row + 3], 1e-12);
    EXPECT_NE(before[row + 2], before[row + 4]);
    EXPECT_EQ(before[row], 0.0) << "nobody is pointed at by the others' outputs alone";
  }
}

TEST(Network, FloatsStayCloseToDoubles) {
  for (const Kind& kind : kinds) {
    Played<float> narrow(kind.plan);
    Played<double> wide(kind.plan);
    const auto y = narrow.forward();
    const auto z = wide.forward();
    for (std::size_t r = 0; r < Played<float>::rows; ++r)
      for (std::size_t i = 0; i < kind.plan.outputs; ++i)
        EXPECT_NEAR(static_cast<double>(y[r * narrow.net.output_stride() + i]),
                    z[r * wide.net.output_stride() + i], 2e-5)
            << kind.name;
  }
}

// A chain of one unit with weights of 1 passes on what its activation makes of the input.
TEST(Network, ActivationsAreExactToAFewUnitsInTheLastPlace) {
  const auto units_off = [](Activation activation, double (*right)(double)) {
    const Network<float> net({.columns = 1, .hidden = {1}, .activation = activation, .outputs = 1});
    AlignedBuffer<float> parameters(net.parameters()), prepared(net.prepared());
    for (const NetworkPart& part : net.parts())
      if (part.name.ends_with("weight")) parameters[part.offset] = 1.0f;
    net.prepare(parameters.span(), prepared.span());
    constexpr std::size_t rows = 6001;
    AlignedBuffer<float> inputs(rows * net.input_stride());
    for (std::size_t r = 0; r < rows; ++r)
      inputs[r * net.input_stride()] =
          (static_cast<float>(r) - 3000.0f) * (r % 2 == 0 ? 0.005f : 1e-5f);
    auto room = net.workspace(rows);
    const auto outputs =
        net.forward(parameters.span(), prepared.span(), inputs.span(), {1, rows}, room);
    double most = 0.0;
    for (std::size_t r = 0; r < rows; ++r) {
      const double exact = right(static_cast<double>(inputs[r * net.input_stride()]));
      const auto near = static_cast<float>(exact);
      const double unit =
          static_cast<double>(std::nextafter(std::fabs(near), 100.0f) - std::fabs(near));
      most = std::max(
          most, std::fabs(static_cast<double>(outputs[r * net.output_stride()]) - exact) / unit);
    }
    return most;
  };
  EXPECT_LT(units_off(Activation::tanh, [](double x) { return std::tanh(x); }), 5.0);
  EXPECT_LT(units_off(Activation::silu, [](double x) { return x / (1.0 + std::exp(-x)); }), 8.0);
  EXPECT_EQ(units_off(Activation::relu, [](double x) { return std::max(0.0, x); }), 0.0);
}

TEST(Network, ForgetsWhereEpisodesBegin) {
  Played<float> played({.columns = 3, .memory = 5, .outputs = 2});
  played.begins.assign(Played<float>::rows, 0);
  played.begins[0] = 1;
  const auto first = played.forward();
  const std::vector<float> kept(first.begin(), first.end());
  for (float& m : played.before.span().first(5)) m = 1.0f;  // of the agent whose episode begins
  const auto again = played.forward();
  for (std::size_t i = 0; i < kept.size(); ++i) EXPECT_EQ(again[i], kept[i]);
  // Of a sequence that continues.
  for (float& m : played.before.span().subspan(played.net.memory_stride(), 5)) m = 1.0f;
  const auto changed = played.forward();
  EXPECT_NE(changed[played.net.output_stride()], kept[played.net.output_stride()]);
}

// How far apart two agents' memories are that saw opposite things at first and nothing since.
float apart_after(const Network<float>& net, std::size_t steps) {
  constexpr std::size_t agents = 2;
  AlignedBuffer<float> parameters(net.parameters()), prepared(net.prepared()),
      inputs(steps * agents * net.input_stride()), memory(agents * net.memory_stride());
  RandomStream random(1, 0, 0, Purpose::initialise);
  net.initialise(parameters.span(), random, 1.0);
  net.prepare(parameters.span(), prepared.span());
  inputs[0] = 1.0f;
  inputs[net.input_stride()] = -1.0f;
  auto room = net.workspace(steps * agents);
  net.forward(parameters.span(), prepared.span(), inputs.span(), {steps, agents, {}, memory.span()},
              room);
  float most = 0;
  for (std::size_t i = 0; i < net.memory_stride(); ++i)
    most = std::max(most, std::fabs(memory[i] - memory[net.memory_stride() + i]));
  return most;
}

TEST(Network, AFreshMemoryTellsWhatWasLongAgo) {
  const Network<float> net({.columns = 1, .memory = 16, .outputs = 1});
  EXPECT_GT(apart_after(net, 41), 0.005f * apart_after(net, 1));
}

TEST(Network, InitialWeightsAreOrthogonalWithTheirGain) {
  const Network<double> net({.columns = 10, .hidden = {4}, .outputs = 20});
  AlignedBuffer<double> p(net.parameters());
  RandomStream random(1, 0, 0, Purpose::initialise);
  net.initialise(p.span(), random, 0.01);
  const auto check = [&](const char* name, double gain, bool by_rows) {
    const NetworkPart& part = part_of(net, name);
    const std::size_t vectors = by_rows ? part.rows : part.width,
                      length = by_rows ? part.width : part.rows;
    const auto at = [&](std::size_t v, std::size_t i) {
      return p[part.offset + (by_rows ? v * part.stride + i : i * part.stride + v)];
    };
    for (std::size_t a = 0; a < vectors; ++a)
      for (std::size_t b = 0; b < vectors; ++b) {
        double product = 0;
        for (std::size_t i = 0; i < length; ++i) product += at(a, i) * at(b, i);
        EXPECT_NEAR(product, a == b ? gain * gain : 0.0, 1e-12);
      }
  };
  check("hidden.0.weight", std::sqrt(2.0), true);
  check("output.weight", 0.01, false);
  for (const double b : p.span().subspan(part_of(net, "hidden.0.bias").offset, 4))
    EXPECT_EQ(b, 0.0);
}

TEST(Network, RefusesPlansThatCannotBeBuilt) {
  const auto refused = [](NetworkPlan plan) {
    return test::error_of([&] { Network<float> net(plan); }).kind() == ErrorKind::spec;
  };
  EXPECT_TRUE(refused({.columns = 0, .outputs = 1}));
  EXPECT_TRUE(refused({.columns = 1, .hidden = {0}, .outputs = 1}));
  PictureFront small = picture;
  small.layers = {{4, 8, 1}};
  EXPECT_TRUE(refused({.columns = 98, .pictures = {small}, .outputs = 1}));
  EXPECT_TRUE(refused({.columns = 80, .pictures = {picture}, .outputs = 1}));
  PictureFront ragged = picture;
  std::swap(ragged.columns[3], ragged.columns[4]);
  EXPECT_TRUE(refused({.columns = 98, .pictures = {ragged}, .outputs = 1}));
  PictureFront backwards = picture;
  std::reverse(backwards.columns.begin(), backwards.columns.end());
  EXPECT_TRUE(refused({.columns = 98, .pictures = {backwards}, .outputs = 1}));
  CrowdFront headless = crowd;
  headless.here = 3;
  EXPECT_TRUE(refused({.columns = 98, .crowds = {headless}, .outputs = 1}));
  PointerHead beyond = pointer;
  beyond.first_output = 4;
  EXPECT_TRUE(refused({.columns = 98, .outputs = 7, .pointers = {beyond}}));
  EXPECT_EQ(test::error_of([] { NetworkPlan::from_json("{\"columns\": 3}"); }).kind(),
            ErrorKind::file);
  EXPECT_EQ(test::error_of([] { NetworkPlan::from_json("?"); }).kind(), ErrorKind::file);
  std::string unknown = NetworkPlan{.columns = 3, .outputs = 1}.to_json();
  EXPECT_EQ(NetworkPlan::from_json(unknown).activation, Activation::tanh);
  unknown.replace(unknown.find("tanh"), 4, "sine");
  EXPECT_EQ(test::error_of([&] { NetworkPlan::from_json(unknown); }).kind(), ErrorKind::file);
}

}  // namespace
}  // namespace zithercraft
