#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <string>
#include <utility>

#include "learn/policy/policy_learner.hpp"
#include "learn/ppo/ppo_metrics.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::learn_internal {

// ---- What is learned from

// Advantages are brought to mean 0 and standard deviation 1, returns into the value network's
// scale.
void PolicyLearner::prepare_samples(PolicyGradientReport& report) {
  SampleSums all;
  for (const SampleSums& sums : group_sums_) {
    all.count += sums.count;
    all.advantage += sums.advantage;
    all.advantage_square += sums.advantage_square;
    all.target += sums.target;
    all.target_square += sums.target_square;
    all.off += sums.off;
    all.off_square += sums.off_square;
  }
  const double n = std::max(1.0, all.count), mean = all.advantage / n, target_mean = all.target / n;
  const double stddev = std::sqrt(std::max(0.0, all.advantage_square / n - mean * mean));
  const double off_variance = all.off_square / n - (all.off / n) * (all.off / n);
  const double target_variance = all.target_square / n - target_mean * target_mean;
  if (settings_.baseline && target_variance > 1e-12)
    report.explained_variance = 1.0 - off_variance / target_variance;
  if (settings_.normalise_returns) {
    // The last ten rollouts' returns set the scale: returns grow as the policy learns.
    const auto change = value_scale_.fold(n, target_mean, std::max(0.0, target_variance),
                                          10.0 * static_cast<double>(samples_of(rollout_.horizon)));
    if (nets_.shared || nets_.guesses)
      change_output(nets_.policy.parts(), nets_.policy_part(parameters_.span()),
                    nets_.heads.outputs(), change);
    if (!nets_.shared)
      change_output(nets_.value.parts(), nets_.value_part(parameters_.span()), 0, change);
    for (std::size_t output = 0; nets_.credits && output < nets_.credit.outputs(); ++output)
      change_output(nets_.credit.parts(), nets_.credit_part(parameters_.span()), output, change);
    parameters_changed();
  }
  context_.pool.run(context_.own_count, [&](std::size_t g, std::size_t) {
    Rollout& r = rollout_;
    const GroupSamples& samples = own_groups()[g];
    for (std::size_t i = samples.first_sample; i < samples.first_sample + samples.rows * r.horizon;
         ++i) {
      r.advantage[i] =
          static_cast<float>((static_cast<double>(r.advantage[i]) - mean) / (stddev + 1e-8));
      r.target[i] = value_scale_.to_output(r.target[i]);
      r.value[i] = value_scale_.to_output(r.value[i]);
    }
  });
}

void PolicyLearner::schedule(PolicyGradientReport& report) {
  const double done =
      std::min(1.0, static_cast<double>(context_.steps - context_.rollout_steps) /
                        static_cast<double>(std::max<std::int64_t>(1, context_.total_steps)));
  const double fallen = settings_.learning_rate_decay == Decay::linear
                            ? done
                            : 0.5 * (1.0 - std::cos(std::numbers::pi * done));
  report.learning_rate =
      settings_.learning_rate + (settings_.last_learning_rate - settings_.learning_rate) * fallen;
  loss_.entropy_weight =
      *settings_.entropy_weight + (*settings_.last_entropy_weight - *settings_.entropy_weight) *
                                      std::min(1.0, done / settings_.entropy_fades_by);
  loss_.teacher_weight =
      advised() ? settings_.teacher_weight * std::max(0.0, 1.0 - done / settings_.teacher_fades_by)
                : 0.0;
}

// ---- Gradients

// Convolutions are far more work than their few weights tell, so that a minibatch of pictures is
// shared out in more portions.
std::size_t PolicyLearner::spans_per_portion() const {
  constexpr std::size_t fewest_of_pictures = 8;
  const std::size_t usual =
      std::max<std::size_t>(1, samples_per_portion(nets_.parameters) / span_samples());
  if (signature_.policy.pictures.empty()) return usual;
  return std::min(usual, (spans_per_minibatch() + fewest_of_pictures - 1) / fewest_of_pictures);
}
std::size_t PolicyLearner::spans_per_minibatch() const {
  return std::clamp<std::size_t>(static_cast<std::size_t>(*settings_.minibatch) / span_samples(), 1,
                                 spans());
}

LossSums PolicyLearner::add_span(const GroupSamples& samples, std::size_t span, double scale,
                                 Room& room, std::span<float> own_gradient) {
  const Rollout& r = rollout_;
  const std::size_t first = samples.sample(span * r.span, 0), n = r.span * samples.rows;
  if (remembers()) {
    const auto before = remembered_before(samples, span);
    std::copy(before.begin(), before.end(), room.memory.begin());
  }
  const auto of = [&](const auto& buffer, std::size_t each) {
    return buffer.span().subspan(first * each, n * each);
  };
  const Batch<float> batch{
      {r.span, samples.rows, of(r.inputs, r.input_stride),
       remembers() ? of(r.begins, 1) : std::span<const std::uint8_t>{}, room.memory.span(),
       of(r.value_inputs, r.value_stride), of(r.credit_inputs, r.credit_stride)},
      of(r.actions, r.controls),
      of(r.log_probability, 1),
      of(r.advantage, 1),
      of(r.target, 1),
      of(r.value, 1),
      of(r.allowed, r.masks),
      of(r.counts, 1),
      // Once it does not count any more, it is not looked at.
      loss_.teacher_weight > 0.0 ? of(r.teacher, r.controls) : std::span<const float>{}};
  return add_loss<float>(nets_, numbers(), batch, loss_, static_cast<float>(scale), room.loss,
                         own_gradient);
}

void PolicyLearner::add_portion(std::size_t portion, std::size_t epoch, double scale, Room& room) {
  PhaseClock clock;
  const Portion& own = portions_[portion];
  const auto& order = orders_[epoch * context_.own_count + own.group - context_.first_own];
  const auto own_gradient = portion_gradients_[portion].span();
  std::fill(own_gradient.begin(), own_gradient.end(), 0.0f);
  portion_sums_[portion] = {};
  for (std::size_t i = own.first; i < own.end; ++i)
    portion_sums_[portion] += add_span(groups_[own.group], order[i], scale, room, own_gradient);
  clock.add_to(room.times.learn);
}

// Adds the portions of own groups [first, end) up in pairs of halves, from number `begin` of the
// gradient on. Returns where the sum is, or no_portion.
std::size_t PolicyLearner::add_groups_up(std::size_t first, std::size_t end, std::size_t begin,
                                         std::size_t count) {
  const auto add = [&](std::size_t to, std::size_t from) {
    float* const sum = portion_gradients_[to].data() + begin;
    const float* const more = portion_gradients_[from].data() + begin;
    for (std::size_t i = 0; i < count; ++i) sum[i] += more[i];
  };
  if (end - first == 1) {
    const std::size_t here = first_portions_[first];
    for (std::size_t portion = here + 1; portion < first_portions_[end]; ++portion)
      add(here, portion);
    return here < first_portions_[end] ? here : no_portion;
  }
  const std::size_t middle = first + (end - first) / 2;
  const std::size_t low = add_groups_up(first, middle, begin, count),
                    high = add_groups_up(middle, end, begin, count);
  if (low == no_portion || high == no_portion) return low == no_portion ? high : low;
  add(low, high);
  return low;
}

void PolicyLearner::add_gradients_up() {
  // Numbers; all portions' parts of this size fit the nearer caches.
  constexpr std::size_t at_once = 4096;
  context_.pool.run((gradient_.size() + at_once - 1) / at_once, [&](std::size_t part, std::size_t) {
    const std::size_t begin = part * at_once, count = std::min(at_once, gradient_.size() - begin);
    const std::size_t sum = add_groups_up(0, context_.own_count, begin, count);
    if (sum == no_portion) {
      std::fill_n(gradient_.begin() + begin, count, 0.0f);
    } else {
      std::copy_n(portion_gradients_[sum].begin() + begin, count, gradient_.begin() + begin);
    }
  });
  if (context_.processes != nullptr) context_.processes->add_up(gradient_.span());
}

void PolicyLearner::report_bad_gradient(double norm) const {
  const std::string where = "update " + std::to_string(context_.updates + 1),
                    fix = "lower the learning rate or the rewards";
  const auto check = [&](const std::string& prefix, const Network<float>& net,
                         std::span<const float> part) {
    for (const NetworkPart& p : net.parts()) {
      const double own = norm_of(part.subspan(p.offset, p.rows * p.stride));
      if (!std::isfinite(own))
        throw Error(ErrorKind::numbers,
                    "the gradient of '" + prefix + "." + p.name + "' is not finite", where, fix);
      if (std::isfinite(norm) && own > 0.5 * norm)
        throw Error(ErrorKind::numbers,
                    "the gradient explodes: that of '" + prefix + "." + p.name + "' has length " +
                        std::to_string(own),
                    where, fix);
    }
  };
  check("policy", nets_.policy, nets_.policy_part(gradient_.span()));
  if (!nets_.shared) check("value", nets_.value, nets_.value_part(gradient_.span()));
  if (nets_.credits) check("credit", nets_.credit, nets_.credit_part(gradient_.span()));
  throw Error(ErrorKind::numbers,
              std::isfinite(norm) ? "the gradient explodes: it has length " + std::to_string(norm)
                                  : "the gradient of a dial's standard deviation is not finite",
              where, fix);
}

void PolicyLearner::step(double rate, PolicyGradientReport& report) {
  constexpr double most_norm = 1e9;  // beyond it floats have no digits left for what is learned
  for (std::size_t i = 0; i < frozen_.size(); ++i)
    if (frozen_[i] != 0) gradient_[i] = 0.0f;
  const auto limit = [&](std::span<float> part) {
    const double norm = norm_of(part);
    if (!(norm <= most_norm)) report_bad_gradient(norm);
    if (norm > settings_.gradient_limit) {
      const auto shrink = static_cast<float>(settings_.gradient_limit / norm);
      for (float& g : part) g *= shrink;
    }
    return norm;
  };
  report.gradient_norm += limit(gradient_.span().first(nets_.value_offset));
  if (!nets_.shared) report.value_gradient_norm += limit(nets_.value_part(gradient_.span()));
  if (nets_.credits) limit(nets_.credit_part(gradient_.span()));
  adam_.step(parameters_.span(), gradient_.span(), rate);
  parameters_changed();
}

void PolicyLearner::shuffle() {
  context_.pool.run(orders_.size(), [&](std::size_t i, std::size_t) {
    auto& own = orders_[i];
    const std::size_t epochs = static_cast<std::size_t>(*settings_.epochs),
                      epoch = i / context_.own_count;
    std::iota(own.begin(), own.end(), 0u);
    RandomStream random(
        seed(), static_cast<std::uint32_t>(context_.first_own + i % context_.own_count),
        static_cast<std::uint32_t>(static_cast<std::size_t>(context_.updates) * epochs + epoch),
        Purpose::shuffle);
    for (std::size_t left = own.size(); left > 1; --left)
      std::swap(own[left - 1], own[random.below(static_cast<std::uint32_t>(left))]);
  });
}

std::size_t PolicyLearner::share_out_minibatch(std::size_t first, std::size_t count) {
  // Span number i of the epoch is the (i / groups)th in the order of group i % groups.
  const auto place = [&](std::size_t number, std::size_t samples) {
    return number <= samples ? 0 : (number - samples + groups_.size() - 1) / groups_.size();
  };
  std::size_t all = 0;
  portions_.clear();
  first_portions_.clear();
  for (std::size_t g = 0; g < groups_.size(); ++g) {
    const std::size_t begin = place(first, g), end = place(first + count, g);
    all += (end - begin) * rollout_.span * groups_[g].rows;
    if (!context_.owns(g)) continue;
    first_portions_.push_back(portions_.size());
    for (std::size_t i = begin; i < end; i += spans_per_portion())
      if (groups_[g].rows > 0) portions_.push_back({g, i, std::min(end, i + spans_per_portion())});
  }
  first_portions_.push_back(portions_.size());
  return all;
}

void PolicyLearner::learn_minibatch(std::size_t epoch, std::size_t first, std::size_t count,
                                    PolicyGradientReport& report) {
  const double scale =
      1.0 / static_cast<double>(std::max<std::size_t>(1, share_out_minibatch(first, count)));
  context_.pool.run(portions_.size(), [&](std::size_t portion, std::size_t worker) {
    add_portion(portion, epoch, scale, rooms_[worker]);
  });
  PhaseClock clock;
  for (std::size_t portion = 0; portion < portions_.size(); ++portion)
    group_losses_[portions_[portion].group] += portion_sums_[portion];
  add_gradients_up();
  step(report.learning_rate, report);
  clock.add_to(report.times.optimise);
}

void PolicyLearner::improve() {
  PolicyGradientReport& report = report_ = {};
  PhaseClock clock;
  prepare_samples(report);
  schedule(report);
  shuffle();
  const std::size_t all = spans(), batch = spans_per_minibatch();
  double n = 0.0;
  for (const SampleSums& sums : group_sums_) n += sums.count;
  n = std::max(1.0, n);
  double steps = 0.0;
  for (std::size_t epoch = 0; epoch < static_cast<std::size_t>(*settings_.epochs); ++epoch) {
    std::fill(group_losses_.begin(), group_losses_.end(), LossSums{});
    for (std::size_t first = 0; first < all; first += batch, steps += 1.0)
      learn_minibatch(epoch, first, std::min(batch, all - first), report);
    share_losses();
    LossSums sums;
    for (const LossSums& own : group_losses_) sums += own;
    ++report.epochs;
    report.policy_loss = sums.policy / n;
    report.value_loss = sums.value / n;
    report.credit_loss = sums.credit / n;
    report.entropy = sums.entropy / n;
    report.kl = sums.kl / n;
    report.clip_share = sums.clipped / n;
    report.teacher_loss = sums.teacher / n;
    if (!std::isfinite(report.policy_loss) || !std::isfinite(report.value_loss))
      throw Error(ErrorKind::numbers, "the loss is not finite",
                  "update " + std::to_string(context_.updates + 1),
                  "lower the learning rate or the rewards");
    if (settings_.kl_limit > 0.0 && report.kl > settings_.kl_limit) break;
  }
  report.gradient_norm /= steps;
  report.value_gradient_norm /= steps;
  for (const float log_stddev : nets_.stddev_part(parameters_.span()))
    report.stddev +=
        std::exp(static_cast<double>(log_stddev)) / static_cast<double>(nets_.heads.dials());
  if (settings_.normalise)
    for (const auto& moments : group_moments_)
      if (moments.count > 0.0) normaliser_.fold(moments);
  if (settings_.normalise) team_.fold();
  for (auto& room : rooms_) report.times += std::exchange(room.times, {});
  clock.add_to(report.times.wall);
}

std::vector<Metric> PolicyLearner::metrics() const { return metrics_of(report_); }

}  // namespace zithercraft::learn_internal
