#include "zithercraft/net/heads.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

constexpr double half_log_two_pi = 0.91893853320467274178;
constexpr float forbidden = -1e30f, unknown = -1e29f;  // of an option: it is not allowed, or no way

// Logarithm of the sum of exponentials.
template <class Scalar>
Scalar log_sum(std::span<const Scalar> logits) {
  const Scalar top = *std::max_element(logits.begin(), logits.end());
  Scalar sum{0};
  for (const Scalar l : logits) sum += std::exp(l - top);
  return top + std::log(sum);
}

}  // namespace

Heads::Heads(std::span<const ControlInfo> controls, std::span<const Column> columns) {
  for (const ControlInfo& control : controls) {
    for (std::size_t option = 0; option < control.options.size(); ++option) {
      for (std::size_t column = 0; column < columns.size(); ++column)
        if (is_mask_of(columns[column], control, option))
          masks_.push_back({column, outputs_ + option});
    }
    Head head{outputs_, control.options.size(), dials_, 0.0f, 1.0f};
    if (!control.is_choice()) {
      head.middle = static_cast<float>(0.5 * (control.low + control.high));
      head.half = static_cast<float>(0.5 * (control.high - control.low));
      ++dials_;
    }
    outputs_ += control.is_choice() ? head.options : 1;
    heads_.push_back(head);
  }
}

void Heads::read_masks(std::span<const float> senses, std::span<float> allowed) const {
  for (std::size_t i = 0; i < masks_.size(); ++i) allowed[i] = senses[masks_[i].column];
}

template <class Scalar>
void Heads::forbid(std::span<const float> allowed, std::span<Scalar> outputs) const {
  for (std::size_t i = 0; i < masks_.size(); ++i)
    if (allowed[i] < 0.5f) outputs[masks_[i].output] = static_cast<Scalar>(forbidden);
}

float Heads::sample(std::span<const float> outputs, std::span<const float> log_stddev,
                    RandomStream& random, std::span<float> action) const {
  float log_probability = 0.0f;
  for (std::size_t i = 0; i < heads_.size(); ++i) {
    const Head& head = heads_[i];
    if (head.options == 0) {
      const float z = random.normal(), stddev = log_stddev[head.dial];
      action[i] = outputs[head.first_output] + std::exp(stddev) * z;
      log_probability -= z * z / 2 + stddev + static_cast<float>(half_log_two_pi);
      continue;
    }
    const auto logits = outputs.subspan(head.first_output, head.options);
    const float total = log_sum(logits);
    float left = random.uniform();
    std::size_t option = 0;
    while (option + 1 < head.options && (left -= std::exp(logits[option] - total)) >= 0.0f)
      ++option;
    action[i] = static_cast<float>(option);
    log_probability += logits[option] - total;
  }
  return log_probability;
}

void Heads::greedy(std::span<const float> outputs, std::span<float> action) const {
  for (std::size_t i = 0; i < heads_.size(); ++i) {
    const Head& head = heads_[i];
    const auto logits = outputs.subspan(head.first_output, std::max<std::size_t>(1, head.options));
    action[i] =
        head.options == 0
            ? logits[0]
            : static_cast<float>(std::max_element(logits.begin(), logits.end()) - logits.begin());
  }
}

void Heads::squash(std::span<float> action) const {
  for (std::size_t i = 0; i < heads_.size(); ++i)
    if (heads_[i].options == 0) action[i] = std::tanh(action[i]);
}

float Heads::best(std::span<const float> outputs) const {
  float sum = 0.0f, choices = 0.0f;
  for (const Head& head : heads_) {
    if (head.options == 0) continue;
    const auto options = outputs.subspan(head.first_output, head.options);
    sum += *std::max_element(options.begin(), options.end());
    choices += 1.0f;
  }
  return choices > 0.0f ? sum / choices : 0.0f;
}

void Heads::controls_of(std::span<const float> action, std::span<float> controls) const {
  for (std::size_t i = 0; i < heads_.size(); ++i) {
    const Head& head = heads_[i];
    controls[i] = head.options == 0 ? head.middle + head.half * std::clamp(action[i], -1.0f, 1.0f)
                                    : action[i];
  }
}

void Heads::action_of(std::span<const float> controls, std::span<float> action) const {
  for (std::size_t i = 0; i < heads_.size(); ++i) {
    const Head& head = heads_[i];
    action[i] = head.options == 0 ? std::clamp((controls[i] - head.middle) / head.half, -1.0f, 1.0f)
                                  : controls[i];
  }
}

void Heads::probabilities(std::span<const float> outputs, std::span<const float> log_stddev,
                          std::span<float> probabilities) const {
  std::size_t at = 0;
  for (const Head& head : heads_) {
    if (head.options == 0) {
      probabilities[at++] = head.middle + head.half * outputs[head.first_output];
      probabilities[at++] = head.half * std::exp(log_stddev[head.dial]);
      continue;
    }
    const auto logits = outputs.subspan(head.first_output, head.options);
    const float total = log_sum(logits);
    for (const float logit : logits) probabilities[at++] = std::exp(logit - total);
  }
}

void Heads::squashed_probabilities(std::span<const float> outputs,
                                   std::span<const float> log_stddev, std::span<float> out) const {
  probabilities(outputs, log_stddev, out);
  std::size_t at = 0;
  for (const Head& head : heads_) {
    if (head.options == 0) {
      const float mean = std::tanh(outputs[head.first_output]);
      out[at] = head.middle + head.half * mean;
      out[at + 1] *= 1.0f - mean * mean;
    }
    at += head.options == 0 ? 2 : head.options;
  }
}

std::size_t Heads::combinations() const noexcept {
  constexpr std::size_t countless = std::size_t{1} << 32;
  std::size_t all = 1;
  for (const Head& head : heads_)
    all = std::min(countless, all * std::max<std::size_t>(1, head.options));
  return all;
}

std::size_t Heads::combination(std::span<const float> action) const {
  std::size_t number = 0;
  for (std::size_t i = 0; i < heads_.size(); ++i)
    if (heads_[i].options > 0)
      number = number * heads_[i].options + static_cast<std::size_t>(action[i]);
  return number;
}

void Heads::read_combinations(std::span<const float> values, std::span<float> options) const {
  // The output of a choice in a way of setting all of them; the last choice is the last digit.
  const auto output = [&](std::size_t way, std::size_t choice) {
    std::size_t rest = way;
    for (std::size_t later = heads_.size(); --later > choice;)
      rest /= std::max<std::size_t>(1, heads_[later].options);
    return heads_[choice].first_output + rest % heads_[choice].options;
  };
  const auto allowed = [&](std::size_t way) {
    for (std::size_t choice = 0; choice < heads_.size(); ++choice)
      if (options[output(way, choice)] == forbidden) return false;
    return true;
  };
  for (float& option : options) option = option < 0.0f ? forbidden : unknown;
  std::size_t best = values.size();
  for (std::size_t way = 0; way < values.size(); ++way) {
    if (!allowed(way)) continue;
    if (best == values.size() || values[way] > values[best]) best = way;
    for (std::size_t choice = 0; choice < heads_.size(); ++choice) {
      float& option = options[output(way, choice)];
      option = std::max(option, values[way]);
    }
  }
  if (best == values.size()) return;
  for (std::size_t choice = 0; choice < heads_.size(); ++choice)
    for (std::size_t o = 0; o < heads_[choice].options; ++o) {
      float& option = options[heads_[choice].first_output + o];
      if (heads_[choice].first_output + o != output(best, choice) && option == values[best])
        option = std::nextafter(option, unknown);
    }
}

void Heads::combination_probabilities(std::span<const float> outputs,
                                      std::span<float> probabilities) const {
  probabilities[0] = 1.0f;
  std::size_t so_far = 1;
  for (const Head& head : heads_) {
    if (head.options == 0) continue;
    const auto logits = outputs.subspan(head.first_output, head.options);
    const float total = log_sum(logits);
    for (std::size_t before = so_far;
         before-- > 0;)  // from the back: what is read is not yet overwritten
      for (std::size_t o = head.options; o-- > 0;)
        probabilities[before * head.options + o] =
            probabilities[before] * std::exp(logits[o] - total);
    so_far *= head.options;
  }
}

// For a dial `kept` holds how far the action lies from the mean, in standard deviations, and one
// over the standard deviation; for a choice the logarithms of the probabilities, and the
// probabilities.
template <class Scalar>
Heads::Judged<Scalar> Heads::judge(std::span<const Scalar> outputs,
                                   std::span<const Scalar> log_stddev,
                                   std::span<const float> action, std::span<Scalar> kept) const {
  Judged<Scalar> sum;
  for (std::size_t i = 0; i < heads_.size(); ++i) {
    const Head& head = heads_[i];
    Scalar* const first = kept.data() + head.first_output;
    Scalar* const second = first + outputs_;
    if (head.options == 0) {
      const Scalar stddev = log_stddev[head.dial];
      *second = std::exp(-stddev);
      *first = (static_cast<Scalar>(action[i]) - outputs[head.first_output]) * *second;
      sum.log_probability += -(*first * *first) / 2 - stddev - static_cast<Scalar>(half_log_two_pi);
      sum.entropy += stddev + static_cast<Scalar>(half_log_two_pi + 0.5);
      continue;
    }
    const auto logits = outputs.subspan(head.first_output, head.options);
    const Scalar total = log_sum(logits);
    for (std::size_t o = 0; o < head.options; ++o) {
      first[o] = logits[o] - total;
      second[o] = std::exp(first[o]);
      sum.entropy -= second[o] * first[o];
    }
    sum.log_probability += first[static_cast<std::size_t>(action[i])];
  }
  return sum;
}

template <class Scalar>
void Heads::add_gradient(std::span<const Scalar> kept, std::span<const float> action,
                         Scalar by_log_probability, Scalar by_entropy,
                         std::span<Scalar> output_gradient,
                         std::span<Scalar> stddev_gradient) const {
  for (std::size_t i = 0; i < heads_.size(); ++i) {
    const Head& head = heads_[i];
    const Scalar* const first = kept.data() + head.first_output;
    const Scalar* const second = first + outputs_;
    if (head.options == 0) {
      output_gradient[head.first_output] += by_log_probability * *first * *second;
      stddev_gradient[head.dial] += by_log_probability * (*first * *first - 1) + by_entropy;
      continue;
    }
    Scalar entropy{0};
    for (std::size_t o = 0; o < head.options; ++o) entropy -= second[o] * first[o];
    for (std::size_t o = 0; o < head.options; ++o) {
      const Scalar chosen = static_cast<std::size_t>(action[i]) == o ? Scalar{1} : Scalar{0};
      output_gradient[head.first_output + o] +=
          by_log_probability * (chosen - second[o]) - by_entropy * second[o] * (first[o] + entropy);
    }
  }
}

template void Heads::forbid(std::span<const float>, std::span<float>) const;
template void Heads::forbid(std::span<const float>, std::span<double>) const;
template Heads::Judged<float> Heads::judge(std::span<const float>, std::span<const float>,
                                           std::span<const float>, std::span<float>) const;
template Heads::Judged<double> Heads::judge(std::span<const double>, std::span<const double>,
                                            std::span<const float>, std::span<double>) const;
template void Heads::add_gradient(std::span<const float>, std::span<const float>, float, float,
                                  std::span<float>, std::span<float>) const;
template void Heads::add_gradient(std::span<const double>, std::span<const float>, double, double,
                                  std::span<double>, std::span<double>) const;

}  // namespace zithercraft
