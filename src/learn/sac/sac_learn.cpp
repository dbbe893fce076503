#include <algorithm>
#include <cmath>

#include "learn/sac/sac_trainee.hpp"

namespace zithercraft::learn_internal {

void SacTrainee::show(std::span<const float> inputs, std::span<const float> others,
                      std::size_t rows, Room& room) const {
  const std::size_t stride = critic_.input_stride(), columns = role().columns.size(),
                    others_each = view_.others_columns();
  for (std::size_t row = 0; row < rows; ++row) {
    float* const judged = room.judged.data() + row * stride;
    std::copy_n(inputs.data() + row * input_stride_, columns, judged);
    std::copy_n(others.data() + row * others_each, others_each, judged + columns);
  }
}

void SacTrainee::show_dials(std::span<const float> dials, std::size_t rows, Room& room) const {
  for (std::size_t row = 0; row < rows; ++row)
    std::copy_n(dials.data() + row * dials_.size(), dials_.size(),
                room.judged.data() + row * critic_.input_stride() + dials_at());
}

std::span<const float> SacTrainee::judge(std::size_t critic, std::span<const float> parameters,
                                         std::span<const float> prepared, std::size_t rows,
                                         Room& room) const {
  return room.said[critic] =
             critic_.forward(critic_part(parameters, critic), prepared_critic(prepared, critic),
                             room.judged.span(), {1, rows, {}, {}}, room.critics[critic]);
}

std::pair<float, std::size_t> SacTrainee::least(const Room& room, std::size_t row,
                                                std::size_t c) const {
  const std::size_t at = row * critic_.output_stride() + c;
  std::size_t critic = 0;
  for (std::size_t other = 1; other < critics_; ++other)
    if (room.said[other][at] < room.said[critic][at]) critic = other;
  return {room.said[critic][at], critic};
}

// What follows a step is worth what the target critics say of the actions that the policy would
// draw then, and of how undecided it would be.
void SacTrainee::find_targets(const TransitionRows& rows, std::span<RandomStream> random,
                              Room& room) const {
  const std::size_t n = rows.transitions.size();
  const auto player = samples_dials() ? parameters_.span() : target_.span();
  const auto prepared = samples_dials() ? prepared_.span() : target_prepared_.span();
  const auto outputs = policy_.forward(policy_part(player), prepared_policy(prepared),
                                       rows.next_inputs, {1, n, {}, {}}, room.policy);
  draw(outputs, rows.next_allowed, true, random, room.drawn);
  show(rows.next_inputs, rows.next_others, n, room);
  show_dials(room.drawn.dials, n, room);
  for (std::size_t c = 0; c < critics_; ++c)
    judge(c, target_.span(), target_prepared_.span(), n, room);
  const float by_dials = temperature(of_dials), by_choices = temperature(of_choices);
  for (std::size_t row = 0; row < n; ++row) {
    float value = 0.0f;
    for (std::size_t c = 0; c < combinations_; ++c)
      value += room.drawn.combined[row * combinations_ + c] * least(room, row, c).first;
    if (samples_dials()) {
      value -= by_dials * room.drawn.log_density[row];
      for (std::size_t o = 0; o < heads_.outputs() && !choices_.empty(); ++o) {
        const std::size_t at = row * heads_.outputs() + o;
        value -= by_choices * room.drawn.shares[at] * room.drawn.logs[at];
      }
    }
    const Transition& transition = rows.transitions[row];
    room.targets[row] = value_scale_.to_output(transition.reward) + transition.discount * value;
  }
}

void SacTrainee::learn_values(const TransitionRows& rows, Room& room, std::span<float> gradient,
                              Sums& sums) {
  const std::size_t n = rows.transitions.size(), stride = critic_.output_stride();
  for (std::size_t row = 0; row < n; ++row)
    for (std::size_t d = 0; d < dials_.size(); ++d)
      room.drawn.dials[row * dials_.size() + d] =
          source_of(rows.transitions[row]).action(rows.transitions[row].place)[dials_[d].control];
  show(rows.inputs, rows.others, n, room);
  show_dials(room.drawn.dials, n, room);
  const auto by_output = room.critic_gradient.span().first(n * stride);
  const auto caution = static_cast<float>(*settings_.conservative_weight);
  for (std::size_t c = 0; c < critics_; ++c) {
    const auto said = judge(c, parameters_.span(), prepared_.span(), n, room);
    std::fill(by_output.begin(), by_output.end(), 0.0f);
    for (std::size_t row = 0; row < n; ++row) {
      const std::size_t at =
          row * stride +
          heads_.combination(source_of(rows.transitions[row]).action(rows.transitions[row].place));
      const float off = said[at] - room.targets[row];
      by_output[at] = rows.scale * (off - caution);
      sums.value_loss += static_cast<double>(off * off / 2) / static_cast<double>(critics_);
      sums.value += static_cast<double>(said[at]) / static_cast<double>(critics_);
    }
    critic_.backward(critic_part(parameters_.span(), c), prepared_critic(prepared_.span(), c),
                     room.judged.span(), {1, n, {}, {}}, by_output, room.critics[c],
                     critic_part(gradient, c));
  }
  sums.count += static_cast<double>(n);
}

// How the loss, minus the value of what the policy draws, changes with each dial.
void SacTrainee::find_dial_slopes(std::size_t n, Room& room) const {
  std::fill(room.by_dial.begin(), room.by_dial.end(), 0.0f);
  if (dials_.empty()) return;
  const std::size_t stride = critic_.output_stride(), judged = critic_.input_stride();
  const auto by_output = room.critic_gradient.span().first(n * stride);
  for (std::size_t critic = 0; critic < critics_; ++critic) {
    std::fill(by_output.begin(), by_output.end(), 0.0f);
    for (std::size_t row = 0; row < n; ++row)
      for (std::size_t c = 0; c < combinations_; ++c)
        if (least(room, row, c).second == critic)
          by_output[row * stride + c] = -room.drawn.combined[row * combinations_ + c];
    critic_.backward(critic_part(std::as_const(parameters_).span(), critic),
                     prepared_critic(std::as_const(prepared_).span(), critic), room.judged.span(),
                     {1, n, {}, {}}, by_output, room.critics[critic], {},
                     room.judged_gradient.span());
    for (std::size_t row = 0; row < n; ++row)
      for (std::size_t d = 0; d < dials_.size(); ++d)
        room.by_dial[row * dials_.size() + d] +=
            room.judged_gradient[row * judged + dials_at() + d];
  }
}

// Through the hyperbolic tangent, and through the density of what is drawn.
void SacTrainee::add_dial_slopes(std::size_t row, float scale, std::span<const float> outputs,
                                 Room& room) const {
  const auto gradient =
      room.policy_gradient.span().subspan(row * policy_.output_stride(), policy_.outputs());
  const float by_density = samples_dials() ? temperature(of_dials) : 0.0f;
  for (std::size_t d = 0; d < dials_.size(); ++d) {
    const std::size_t at = row * dials_.size() + d;
    const float action = room.drawn.dials[at];
    const float slope = room.by_dial[at] * (1.0f - action * action) + by_density * 2.0f * action;
    gradient[dials_[d].output] = scale * slope;
    if (!samples_dials()) continue;
    const float log = outputs[heads_.outputs() + d];
    if (log > Heads::least_log_stddev && log < Heads::most_log_stddev)
      gradient[heads_.outputs() + d] =
          scale * (slope * room.drawn.stddev[at] * room.drawn.noise[at] - by_density);
  }
}

// Of the expectation over options, each choice's with those of the others as they are.
void SacTrainee::add_choice_slopes(std::size_t row, float scale, Room& room) const {
  const auto gradient =
      room.policy_gradient.span().subspan(row * policy_.output_stride(), policy_.outputs());
  const float by_entropy = temperature(of_choices);
  const float* const logs = room.drawn.logs.data() + row * heads_.outputs();
  const float* const shares = room.drawn.shares.data() + row * heads_.outputs();
  if (choices_.empty()) return;
  for (std::size_t c = 0; c < combinations_; ++c)
    room.worth[c] = room.drawn.combined[row * combinations_ + c] * least(room, row, c).first;
  std::size_t below = combinations_;  // combinations of the choices that follow
  for (const Place& choice : choices_) {
    below = std::max<std::size_t>(1, below / choice.options);
    const auto slopes = gradient.subspan(choice.output, choice.options);
    for (std::size_t o = 0; o < choice.options; ++o)
      slopes[o] = by_entropy * shares[choice.output + o] * logs[choice.output + o];
    for (std::size_t c = 0; c < combinations_; ++c)
      slopes[c / below % choice.options] -= room.worth[c];
    float all = 0.0f;
    for (const float slope : slopes) all += slope;
    for (std::size_t o = 0; o < choice.options; ++o)
      slopes[o] = scale * (slopes[o] - shares[choice.output + o] * all);
  }
}

void SacTrainee::learn_policy(const TransitionRows& rows, std::span<RandomStream> random,
                              Room& room, std::span<float> gradient, Sums& sums) {
  const std::size_t n = rows.transitions.size(), stride = policy_.output_stride();
  const auto outputs =
      policy_.forward(policy_part(parameters_.span()), prepared_policy(prepared_.span()),
                      rows.inputs, {1, n, {}, {}}, room.policy);
  draw(outputs, rows.allowed, false, random, room.drawn);
  show_dials(room.drawn.dials, n, room);  // the rest they have seen before
  for (std::size_t c = 0; c < critics_; ++c)
    judge(c, parameters_.span(), prepared_.span(), n, room);
  find_dial_slopes(n, room);
  const auto by_output = room.policy_gradient.span().first(n * stride);
  std::fill(by_output.begin(), by_output.end(), 0.0f);
  double dial_entropy = 0.0, choice_entropy = 0.0;
  for (std::size_t row = 0; row < n; ++row) {
    add_dial_slopes(row, rows.scale, outputs.subspan(row * stride, policy_.outputs()), room);
    add_choice_slopes(row, rows.scale, room);
    dial_entropy -= static_cast<double>(room.drawn.log_density[row]);
    for (const Place& choice : choices_)
      for (std::size_t o = 0; o < choice.options; ++o) {
        const std::size_t at = row * heads_.outputs() + choice.output + o;
        choice_entropy -= static_cast<double>(room.drawn.shares[at] * room.drawn.logs[at]);
      }
  }
  policy_.backward(policy_part(parameters_.span()), prepared_policy(prepared_.span()), rows.inputs,
                   {1, n, {}, {}}, by_output, room.policy, policy_part(gradient));
  // More entropy than is wanted lowers a temperature.
  const double scale = static_cast<double>(rows.scale), count = static_cast<double>(n);
  gradient[temperatures_offset_ + of_dials] += static_cast<float>(
      scale * (dial_entropy - count * static_cast<double>(wanted_dial_entropy_)));
  gradient[temperatures_offset_ + of_choices] += static_cast<float>(
      scale * (choice_entropy - count * static_cast<double>(wanted_choice_entropy_)));
  sums.dial_entropy += dial_entropy;
  sums.choice_entropy += choice_entropy;
  sums.drawn += count;
}

void SacTrainee::add_transitions(const TransitionRows& rows, std::span<float> gradient) {
  Room& room = rooms_[rows.worker];
  Sums& sums = portion_sums_[rows.portion] = {};
  const std::uint64_t own = derived_seed(seed(), "imagine");
  room.random.clear();
  for (std::size_t row = 0; row < rows.transitions.size(); ++row)
    room.random.emplace_back(own, static_cast<std::uint32_t>(rows.first + row),
                             static_cast<std::uint32_t>(minibatches_), Purpose::decide);
  find_targets(rows, room.random, room);
  learn_values(rows, room, gradient, sums);
  if (cautious()) hold_back(rows, room.random, room, gradient);
  if (part_learns(0)) learn_policy(rows, room.random, room, gradient, sums);
}

void SacTrainee::after_step() {
  for (const Sums& sums : portion_sums_) sums_ += sums;
}

void SacTrainee::add_metrics(std::vector<Metric>& metrics) const {
  const double count = std::max(1.0, sums_.count), drawn = std::max(1.0, sums_.drawn);
  metrics.insert(metrics.end(), {{"value_loss", sums_.value_loss / count},
                                 {"mean_value", sums_.value / count * value_scale_.stddev()}});
  if (!samples_dials()) return;
  if (!dials_.empty())
    metrics.insert(metrics.end(),
                   {{"dial_entropy", sums_.dial_entropy / drawn},
                    {"dial_temperature", static_cast<double>(temperature(of_dials))}});
  if (!choices_.empty())
    metrics.insert(metrics.end(),
                   {{"choice_entropy", sums_.choice_entropy / drawn},
                    {"choice_temperature", static_cast<double>(temperature(of_choices))}});
}

}  // namespace zithercraft::learn_internal
