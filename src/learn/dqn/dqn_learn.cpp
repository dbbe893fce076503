#include <algorithm>
#include <cmath>
#include <utility>

#include "learn/dqn/dqn_trainee.hpp"

namespace zithercraft::learn_internal {

void DqnTrainee::begin_improvement() {
  sums_ = {};
  renew_noise();  // the scale of values may have changed
}

void DqnTrainee::stock_changed(std::size_t place, bool learnable) {
  if (dqn_.priority > 0.0) priorities_.set(place, learnable ? most_priority_ : 0.0);
}

// Of a step by which it is drawn; of networks that remember, the mean over its span.
double DqnTrainee::weight_of(std::size_t place) const {
  if (!remembers()) return priorities_.weight(place);
  Experience::Moment moment = experience_.moment_of(place);
  moment.step -= moment.step % span_;
  double sum = 0.0;
  for (std::size_t i = 0; i < span_; ++i, ++moment.step)
    if (experience_.holds(moment)) sum += priorities_.weight(experience_.place_of(moment));
  return sum / static_cast<double>(span_);
}

// Steps are drawn in proportion to a power of their last error. In the loss they weigh the less the
// more often they are drawn, relative to the rarest one of the minibatch.
void DqnTrainee::draw_transitions(std::span<Transition> out, RandomStream& random) {
  if (dqn_.priority <= 0.0) return OffPolicy::draw_transitions(out, random);
  const double part = priorities_.total() / static_cast<double>(out.size()),
               correction = std::lerp(dqn_.priority_correction, 1.0, done());
  double least = most_priority_;
  for (std::size_t i = 0; i < out.size(); ++i) {
    const double point = part * (static_cast<double>(i) + static_cast<double>(random.uniform()));
    out[i] = experience_.transition_at(priorities_.at(point), steps_ahead(), *settings_.discount);
    least = std::min(least, weight_of(out[i].place));
  }
  for (Transition& transition : out)
    transition.weight =
        static_cast<float>(std::pow(weight_of(transition.place) / least, -correction));
}

// The loss, and how it changes with each predicted quantile, `weight` times.
float DqnTrainee::find_slopes(std::span<const float> predicted, std::span<const float> targets,
                              float weight, std::span<float> slopes) const {
  const std::size_t n = predicted.size();
  const float share = 1.0f / static_cast<float>(n);
  float loss = 0.0f;
  for (std::size_t k = 0; k < n; ++k) {
    const float level = (static_cast<float>(k) + 0.5f) * share;
    float slope = 0.0f;
    for (const float target : targets) {
      // Huber's loss of width 1; for quantiles, what lies above counts by the quantile's level.
      const float off = predicted[k] - target;
      const float side = n == 1 ? 1.0f : off > 0.0f ? 1.0f - level : level;
      loss += side * (std::fabs(off) <= 1.0f ? 0.5f * off * off : std::fabs(off) - 0.5f) * share;
      slope += side * std::clamp(off, -1.0f, 1.0f) * share;
    }
    slopes[k] = weight * slope;
  }
  return loss;
}

// The quantiles of the return that each transition teaches, in the scale of the outputs. What is
// best next is found choice by choice; its quantiles are the mean over choices.
void DqnTrainee::find_targets(const TransitionRows& rows, std::span<const float> ahead,
                              std::span<const float> judged, Room& room) const {
  const std::size_t choices = action_values_.choices(), quantiles = action_values_.quantiles(),
                    masks = heads_.masks();
  const auto values = room.values.span();
  const float share = 1.0f / static_cast<float>(choices);
  for (std::size_t i = 0; i < rows.transitions.size(); ++i) {
    const std::size_t next = rows.spans != nullptr ? rows.spans->next[i] : i;
    const auto targets = std::span(room.targets).subspan(i * quantiles, quantiles);
    const auto of_row = outputs_of(ahead, next);
    action_values_.means(outputs_of(judged, next), values);
    heads_.forbid<float>(rows.next_allowed.subspan(i * masks, masks), values);
    std::fill(targets.begin(), targets.end(), 0.0f);
    for (std::size_t c = 0; c < choices; ++c) {
      const float* const begin = values.data() + action_values_.first(c);
      const float* const end = values.data() + action_values_.first(c + 1);
      const auto best = static_cast<std::size_t>(std::max_element(begin, end) - values.data());
      action_values_.quantiles_of(of_row, c, best, room.predicted);
      for (std::size_t k = 0; k < quantiles; ++k) targets[k] += room.predicted[k] * share;
    }
    const Transition& transition = rows.transitions[i];
    for (float& target : targets)
      target = value_scale_.to_output(transition.reward) + transition.discount * target;
  }
}

void DqnTrainee::learn_row(const TransitionRows& rows, std::size_t row,
                           std::span<const float> outputs, std::span<float> gradient, Room& room,
                           Sums& sums) {
  const std::size_t choices = action_values_.choices(), quantiles = action_values_.quantiles();
  const Transition& transition = rows.transitions[row];
  const auto action = source_of(transition).action(transition.place);
  const auto targets = std::span<const float>(room.targets).subspan(row * quantiles, quantiles);
  const float share = 1.0f / static_cast<float>(choices),
              part = 1.0f / static_cast<float>(quantiles);
  float error = 0.0f;
  for (std::size_t c = 0; c < choices; ++c) {
    const std::size_t option = action_values_.first(c) + static_cast<std::size_t>(action[c]);
    action_values_.quantiles_of(outputs, c, option, room.predicted);
    sums.loss += static_cast<double>(share * find_slopes(room.predicted, targets,
                                                         rows.scale * transition.weight * share,
                                                         room.slopes));
    action_values_.add_gradient(c, option, room.slopes, gradient);
    float off = 0.0f, value = 0.0f;
    for (std::size_t k = 0; k < quantiles; ++k) {
      value += part * room.predicted[k];
      off += part * targets[k];
    }
    error += share * std::fabs(off - value);
    sums.value += static_cast<double>(share * value);
  }
  errors_[rows.first + row] = error;
  sums.count += 1.0;
  if (*settings_.conservative_weight > 0.0) hold_back(rows, row, outputs, gradient, room);
}

// The option that was taken is valued above the others, unless what came of it says otherwise: the
// loss is the logarithm of the sum over options of exponentials of their values, minus the value of
// the one that was taken (Kumar, Zhou, Tucker, Levine: "Conservative Q-learning for offline
// reinforcement learning", 2020).
void DqnTrainee::hold_back(const TransitionRows& rows, std::size_t row,
                           std::span<const float> outputs, std::span<float> gradient,
                           Room& room) const {
  const std::size_t choices = action_values_.choices(), quantiles = action_values_.quantiles(),
                    masks = heads_.masks();
  const Transition& transition = rows.transitions[row];
  const auto action = source_of(transition).action(transition.place);
  const auto values = room.values.span();
  action_values_.means(outputs, values);
  heads_.forbid<float>(rows.allowed.subspan(row * masks, masks), values);
  const float weight = rows.scale * static_cast<float>(*settings_.conservative_weight) /
                       static_cast<float>(choices * quantiles);
  for (std::size_t c = 0; c < choices; ++c) {
    const std::size_t first = action_values_.first(c), end = action_values_.first(c + 1),
                      taken = first + static_cast<std::size_t>(action[c]);
    const float top = *std::max_element(values.data() + first, values.data() + end);
    float sum = 0.0f;
    for (std::size_t o = first; o < end; ++o) sum += std::exp(values[o] - top);
    for (std::size_t o = first; o < end; ++o) {
      const float slope = std::exp(values[o] - top) / sum - (o == taken ? 1.0f : 0.0f);
      std::fill(room.slopes.begin(), room.slopes.end(), weight * slope);
      action_values_.add_gradient(c, o, room.slopes, gradient);
    }
  }
}

std::span<const float> DqnTrainee::read_spans(std::span<const float> parameters,
                                              std::span<const float> prepared,
                                              const TransitionRows& rows,
                                              Network<float>::Workspace& workspace,
                                              Room& room) const {
  const SpanRows& spans = *rows.spans;
  const std::size_t each = net_.memory_stride();
  const auto memory = room.memory.span().first(spans.rows * each);
  std::copy(spans.memory_before.begin(), spans.memory_before.end(), memory.begin());
  net_.forward(parameters, prepared, spans.inputs_before,
               {spans.steps_before, spans.rows, spans.begins_before, memory}, workspace);
  for (std::size_t s = 0; s < spans.rows; ++s)
    if (spans.any_before[s] == 0)
      std::copy_n(spans.memory.begin() + static_cast<std::ptrdiff_t>(s * each), each,
                  memory.begin() + static_cast<std::ptrdiff_t>(s * each));
  return net_.forward(parameters, prepared, rows.inputs,
                      {spans.steps, spans.rows, spans.begins, memory}, workspace);
}

void DqnTrainee::add_transitions(const TransitionRows& rows, std::span<float> gradient) {
  Room& room = rooms_[rows.worker];
  const auto target = means(std::as_const(target_).span());
  Network<float>::Order order{1, rows.transitions.size(), {}, {}};
  std::span<const float> outputs;
  if (rows.spans != nullptr) {
    order = {rows.spans->steps, rows.spans->rows, rows.spans->begins, room.memory.span()};
    const auto ahead = read_spans(target, target_prepared_.span(), rows, room.next, room);
    outputs = read_spans(present(), present_prepared(), rows, room.net, room);
    find_targets(rows, ahead, dqn_.double_q ? outputs : ahead, room);
  } else {
    const auto ahead =
        net_.forward(target, target_prepared_.span(), rows.next_inputs, order, room.next);
    const auto judged = dqn_.double_q ? net_.forward(present(), present_prepared(),
                                                     rows.next_inputs, order, room.net)
                                      : ahead;
    find_targets(rows, ahead, judged, room);
    outputs = net_.forward(present(), present_prepared(), rows.inputs, order, room.net);
  }
  const std::size_t stride = net_.output_stride();
  const auto output_gradient = room.gradient.span().first(order.rows() * stride);
  std::fill(output_gradient.begin(), output_gradient.end(), 0.0f);
  Sums& sums = portion_sums_[rows.portion] = {};
  for (std::size_t i = 0; i < rows.transitions.size(); ++i) {
    const std::size_t row = rows.spans != nullptr ? rows.spans->place[i] : i;
    if (rows.transitions[i].counts)
      learn_row(rows, i, outputs_of(outputs, row),
                output_gradient.subspan(row * stride, net_.outputs()), room, sums);
  }
  net_.backward(present(), present_prepared(), rows.inputs, order, output_gradient, room.net,
                means(gradient));
  if (dqn_.noisy) noisy_.add_gradient(means(gradient), gradient.subspan(net_.parameters()));
}

void DqnTrainee::after_step() {
  renew_noise();
  for (const Sums& sums : portion_sums_) {
    sums_.loss += sums.loss;
    sums_.value += sums.value;
    sums_.count += sums.count;
  }
  if (dqn_.priority > 0.0) {
    constexpr double least_error = 1e-3;  // nothing is forgotten altogether
    for (std::size_t i = 0; i < transitions_.size(); ++i) {
      if (transitions_[i].shown || !transitions_[i].counts) continue;
      const double weight = std::pow(static_cast<double>(errors_[i]) + least_error, dqn_.priority);
      most_priority_ = std::max(most_priority_, weight);
      if (experience_.learnable(transitions_[i].place))
        priorities_.set(transitions_[i].place, weight);
    }
  }
}

void DqnTrainee::follow_target() {
  if (dqn_.target_every == 0) return OffPolicy::follow_target();
  if (minibatches_ % dqn_.target_every != 0) return;
  target_ = parameters_;
  target_prepared_ = prepared_;
}

void DqnTrainee::add_metrics(std::vector<Metric>& metrics) const {
  const double count = std::max(1.0, sums_.count);
  metrics.push_back({"value_loss", sums_.loss / count});
  metrics.push_back({"mean_value", sums_.value / count * value_scale_.stddev()});
  metrics.push_back({"epsilon", dqn_.exploration == Exploration::epsilon ? epsilon_of(0) : 0.0});
}

}  // namespace zithercraft::learn_internal
