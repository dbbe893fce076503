// Critics that see no play of their own learn that what nobody has tried is worth less (Kumar,
// Zhou, Tucker, Levine: "Conservative Q-learning for offline reinforcement learning", 2020). Their
// loss grows by the logarithm of the sum over all controls of exponentials of their values, minus
// the value of those that were taken. The sum over dials is estimated from draws.

#include <algorithm>
#include <cmath>
#include <limits>

#include "learn/sac/sac_trainee.hpp"

namespace zithercraft::learn_internal {

// Dials drawn anywhere, then by the policy; each with the logarithm of its density.
void SacTrainee::try_others(const TransitionRows& rows, std::span<RandomStream> random,
                            Room& room) const {
  const std::size_t n = rows.transitions.size(), each = n * dials_.size();
  const auto outputs =
      policy_.forward(policy_part(parameters_.span()), prepared_policy(prepared_.span()),
                      rows.inputs, {1, n, {}, {}}, room.policy);
  const std::size_t anywhere = dials_.empty() ? 0 : draws_of_each;
  const float density = -std::log(2.0f) * static_cast<float>(dials_.size());
  for (std::size_t i = 0; i < anywhere; ++i) {
    std::fill_n(room.densities.begin() + static_cast<std::ptrdiff_t>(i * n), n, density);
    for (std::size_t row = 0; row < n; ++row)
      for (std::size_t d = 0; d < dials_.size(); ++d)
        room.tried[i * each + row * dials_.size() + d] = 2.0f * random[row].uniform() - 1.0f;
  }
  for (std::size_t i = anywhere; i < draws(); ++i) {
    draw(outputs, rows.allowed, false, random, room.drawn);
    std::copy_n(room.drawn.dials.begin(), each,
                room.tried.begin() + static_cast<std::ptrdiff_t>(i * each));
    std::copy_n(room.drawn.log_density.begin(), n,
                room.densities.begin() + static_cast<std::ptrdiff_t>(i * n));
  }
  if (anywhere == draws()) draw(outputs, rows.allowed, false, random, room.drawn);
}

// What a critic says of all that is tried, each divided by its density; then each one's share.
void SacTrainee::judge_others(std::size_t critic, const TransitionRows& rows, Room& room) const {
  const std::size_t n = rows.transitions.size(), each = n * dials_.size(),
                    stride = critic_.output_stride();
  for (std::size_t i = 0; i < draws(); ++i) {
    show_dials(std::span(room.tried).subspan(i * each, each), n, room);
    const auto said = judge(critic, parameters_.span(), prepared_.span(), n, room);
    for (std::size_t row = 0; row < n; ++row)
      for (std::size_t c = 0; c < combinations_; ++c)
        room.tried_values[(i * n + row) * combinations_ + c] =
            room.drawn.combined[row * combinations_ + c] > 0.0f
                ? said[row * stride + c] - room.densities[i * n + row]
                : -std::numeric_limits<float>::infinity();
  }
  for (std::size_t row = 0; row < n; ++row) {
    const auto each_of_row = [&](auto function) {
      for (std::size_t i = 0; i < draws(); ++i)
        for (std::size_t c = 0; c < combinations_; ++c)
          function(room.tried_values[(i * n + row) * combinations_ + c]);
    };
    float top = -std::numeric_limits<float>::infinity(), sum = 0.0f;
    each_of_row([&](float value) { top = std::max(top, value); });
    each_of_row([&](float& value) { sum += value = std::exp(value - top); });
    each_of_row([&](float& value) { value /= sum; });
  }
}

void SacTrainee::hold_back(const TransitionRows& rows, std::span<RandomStream> random, Room& room,
                           std::span<float> gradient) const {
  const std::size_t n = rows.transitions.size(), stride = critic_.output_stride(),
                    each = n * dials_.size();
  try_others(rows, random, room);
  const auto by_output = room.critic_gradient.span().first(n * stride);
  const float weight = rows.scale * static_cast<float>(*settings_.conservative_weight);
  for (std::size_t critic = 0; critic < critics_; ++critic) {
    judge_others(critic, rows, room);
    for (std::size_t i = 0; i < draws(); ++i) {
      show_dials(std::span(room.tried).subspan(i * each, each), n, room);
      judge(critic, parameters_.span(), prepared_.span(), n, room);
      std::fill(by_output.begin(), by_output.end(), 0.0f);
      for (std::size_t row = 0; row < n; ++row)
        for (std::size_t c = 0; c < combinations_; ++c)
          by_output[row * stride + c] =
              weight * room.tried_values[(i * n + row) * combinations_ + c];
      critic_.backward(critic_part(parameters_.span(), critic),
                       prepared_critic(prepared_.span(), critic), room.judged.span(),
                       {1, n, {}, {}}, by_output, room.critics[critic],
                       critic_part(gradient, critic));
    }
  }
}

}  // namespace zithercraft::learn_internal
