#include "learn/policy/student.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "net/network_tensors.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::learn_internal {
using namespace net_internal;
namespace {

// Of a policy that only plays, and samples.
PolicySignature player_like(const PolicySignature& signature) {
  PolicySignature player = signature.without_judges();
  player.policy.outputs = Heads(player.controls, player.columns).outputs();
  player.sampled = true;
  player.rates = player.squashed = false;
  return player;
}

std::size_t rows_of(const Environment& environment, std::span<const std::size_t> roles) {
  std::size_t rows = 0;
  for (const std::size_t role : roles) rows += environment.rows(role);
  return rows;
}

}  // namespace

Student::Student(const Environment& environment, std::vector<std::size_t> roles,
                 const TensorFile& like, std::uint64_t seed)
    : roles_(std::move(roles)),
      signature_(player_like(PolicySignature::from(like))),
      heads_(signature_.controls, signature_.columns),
      net_(signature_.policy),
      normaliser_(fetch_normaliser(like, signature_.policy)),
      rows_(rows_of(environment, roles_)),
      stddev_offset_(net_.parameters()),
      parameters_(net_.parameters() + heads_.dials()),
      prepared_(net_.prepared()),
      gradient_(parameters_.size()),
      adam_(parameters_.size()),
      room_(net_.workspace(rows_ * span)),
      inputs_(rows_ * span * net_.input_stride()),
      memory_(rows_ * net_.memory_stride()),
      before_(rows_ * net_.memory_stride()),
      output_gradient_(rows_ * span * net_.output_stride()),
      kept_(2 * heads_.outputs()),
      actions_(rows_ * span * heads_.controls()),
      allowed_(rows_ * span * heads_.masks()),
      begins_(rows_ * span),
      counts_(rows_ * span) {
  RandomStream random(derived_seed(seed, signature_.role), 0, 0, Purpose::initialise);
  net_.initialise(parameters_.span().first(net_.parameters()), random, 0.01);
  constexpr float first_stddev = 0.5f;
  std::fill(parameters_.begin() + stddev_offset_, parameters_.end(), std::log(first_stddev));
  net_.prepare(parameters_.span(), prepared_.span());
}

void Student::watch_row(const Environment& environment, std::size_t role, std::size_t row,
                        std::size_t sample) {
  const auto senses = environment.observation(role, row);
  const std::size_t stride = net_.input_stride(), controls = heads_.controls(),
                    masks = heads_.masks();
  normaliser_.apply(senses, inputs_.span().subspan(sample * stride, stride), stride);
  heads_.read_masks(senses, std::span(allowed_).subspan(sample * masks, masks));
  const auto given = environment.given_controls(role).subspan(row * controls, controls);
  for (std::size_t c = 0; c < controls; ++c) {
    const ControlInfo& control = signature_.controls[c];
    const double middle = 0.5 * (control.low + control.high),
                 half = 0.5 * (control.high - control.low);
    actions_[sample * controls + c] =
        control.is_choice() ? given[c]
                            : static_cast<float>((static_cast<double>(given[c]) - middle) / half);
  }
  const std::size_t lane = row / environment.seats(role);
  begins_[sample] = environment.steps(lane) == 0 ? 1 : 0;
  counts_[sample] = environment.present(role, row) ? 1 : 0;
}

void Student::watch(const Environment& environment, std::size_t time) {
  std::size_t sample = time * rows_;
  for (const std::size_t role : roles_)
    for (std::size_t row = 0; row < environment.rows(role); ++row)
      watch_row(environment, role, row, sample++);
}

void Student::add_gradient(std::size_t first, std::size_t count) {
  const std::size_t begin = first * rows_, end = begin + count * rows_;
  const Network<float>::Order order{count, rows_, std::span(begins_).subspan(begin, end - begin),
                                    memory_.span()};
  const std::size_t width = heads_.outputs(), stride = net_.output_stride(),
                    controls = heads_.controls(), masks = heads_.masks();
  const auto inputs = std::as_const(inputs_).span().subspan(begin * net_.input_stride(),
                                                            (end - begin) * net_.input_stride());
  const auto outputs = net_.forward(parameters_.span(), prepared_.span(), inputs, order, room_);
  const auto stddev = std::as_const(parameters_).span().subspan(stddev_offset_);
  std::fill(gradient_.begin(), gradient_.end(), 0.0f);
  const auto output_gradient = output_gradient_.span().first((end - begin) * stride);
  std::fill(output_gradient.begin(), output_gradient.end(), 0.0f);
  const auto all = std::count(counts_.begin() + static_cast<std::ptrdiff_t>(begin),
                              counts_.begin() + static_cast<std::ptrdiff_t>(end), std::uint8_t{1});
  const float scale = 1.0f / static_cast<float>(std::max<std::ptrdiff_t>(1, all));
  for (std::size_t i = begin; i < end; ++i) {
    if (counts_[i] == 0) continue;
    const auto row = outputs.subspan((i - begin) * stride, width);
    heads_.forbid<float>(std::span(allowed_).subspan(i * masks, masks), row);
    const auto action = std::span<const float>(actions_).subspan(i * controls, controls);
    heads_.judge<float>(row, stddev, action, kept_.span());
    heads_.add_gradient<float>(kept_.span(), action, -scale, 0.0f,
                               output_gradient.subspan((i - begin) * stride, width),
                               gradient_.span().subspan(stddev_offset_));
  }
  net_.backward(parameters_.span(), prepared_.span(), inputs, order, output_gradient, room_,
                gradient_.span());
}

void Student::learn(double learning_rate) {
  constexpr int times = 4;
  constexpr double longest = 1.0;  // gradient
  // What is remembered is learned through time; else a few steps are enough for a gradient.
  const std::size_t together = net_.memory_stride() > 0 ? span : 4;
  std::copy(memory_.begin(), memory_.end(), before_.begin());
  for (std::size_t i = 0; i < times * span / together; ++i) {
    std::copy(before_.begin(), before_.end(), memory_.begin());
    add_gradient(i * together % span, together);
    const double length = norm_of(gradient_.span());
    if (length > longest)
      for (float& g : gradient_) g *= static_cast<float>(longest / length);
    adam_.step(parameters_.span(), gradient_.span(), learning_rate);
    net_.prepare(parameters_.span(), prepared_.span());
  }
}

void Student::store(TensorFile& file) const {
  signature_.store(file);
  store_network(file, "policy", net_, parameters_.span());
  file.put("policy.log_stddev", {heads_.dials()}, parameters_.span().subspan(stddev_offset_));
  constexpr std::array<double, 4> no_values{0.0, 1.0, 0.0, 0.0};
  file.put("value.scale", std::span<const double>(no_values));
  store_normaliser(file, normaliser_);
}

}  // namespace zithercraft::learn_internal
