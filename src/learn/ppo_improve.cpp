#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <string>

#include "ppo_state.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {

// ---- What is learned from

// Advantages are brought to mean 0 and spread 1, returns into the value network's scale.
void Ppo::State::prepare_samples(ImproveReport& report) {
  Rollout& r = rollout;
  double n = 0.0, mean = 0.0, square = 0.0, target_mean = 0.0, target_square = 0.0;
  for (std::size_t i = 0; i < r.samples(); ++i) {
    if (r.counts[i] == 0) continue;
    const auto a = static_cast<double>(r.advantage[i]), t = static_cast<double>(r.target[i]);
    n += 1.0;
    mean += a;
    square += a * a;
    target_mean += t;
    target_square += t * t;
  }
  n = std::max(1.0, n);
  mean /= n;
  target_mean /= n;
  const double off_square = square / n - mean * mean;  // target - value is the advantage
  const double spread = std::sqrt(std::max(0.0, off_square));
  const double target_variance = target_square / n - target_mean * target_mean;
  if (settings.baseline && target_variance > 1e-12) report.explained_variance = 1.0 - off_square / target_variance;
  if (settings.normalise_returns) {
    // The last ten rollouts' worth of returns tell the scale: returns grow as the policy learns.
    const auto change = value_scale.fold(n, target_mean, std::max(0.0, target_variance),
                                         10.0 * static_cast<double>(r.samples()));
    if (nets.shared) {
      change_output(nets.policy.parts(), nets.policy_part(parameters.span()), nets.heads.outputs(), change);
    } else {
      change_output(nets.value.parts(), nets.value_part(parameters.span()), 0, change);
    }
    parameters_changed();
  }
  for (std::size_t i = 0; i < r.samples(); ++i) {
    r.advantage[i] = static_cast<float>((static_cast<double>(r.advantage[i]) - mean) / (spread + 1e-8));
    r.target[i] = value_scale.to_output(r.target[i]);
    r.value[i] = value_scale.to_output(r.value[i]);
  }
}

void Ppo::State::schedule(ImproveReport& report) {
  const double done = std::min(1.0, static_cast<double>(decisions - static_cast<std::int64_t>(rollout.samples())) /
                                        static_cast<double>(std::max<std::int64_t>(1, total_decisions)));
  const double fallen =
      settings.learning_rate_falls == Fall::linear ? done : 0.5 * (1.0 - std::cos(std::numbers::pi * done));
  report.learning_rate = settings.learning_rate + (settings.last_learning_rate - settings.learning_rate) * fallen;
  loss.entropy_weight = settings.entropy_weight + (settings.last_entropy_weight - settings.entropy_weight) *
                                                      std::min(1.0, done / settings.entropy_fades_by);
}

// Samples lie far apart in memory: what will be copied soon is asked for early.
void Ppo::State::fetch_soon(std::size_t sample) const {
  const float* const row = rollout.raw.data() + sample * rollout.columns;
  for (std::size_t i = 0; i < rollout.columns; i += 16) __builtin_prefetch(row + i);
}

// Copies the samples of some units, in the order of this epoch, into the thread's room.
void Ppo::State::gather(std::size_t first_unit, std::size_t count, Room& room) const {
  constexpr std::size_t ahead = 6;
  const Rollout& r = rollout;
  const std::size_t steps = unit_samples(), stride = nets.policy.input_stride(), of_policy = nets.policy_memory(),
                    of_value = nets.value_memory();
  for (std::size_t u = 0; u < count; ++u) {
    const std::size_t unit = order[first_unit + u];
    if (!remembers() && u + ahead < count) fetch_soon(order[first_unit + u + ahead]);
    // A sample's number, or which span of which row.
    const std::size_t row = unit % r.rows, span = unit / r.rows;
    const Group* group = nullptr;
    if (remembers()) {
      group = &groups[row / groups[0].rows];
      const float* const from = r.remembered.data() + (span * r.rows + row) * r.memory;
      std::copy_n(from, of_policy, room.memory.begin() + u * of_policy);
      std::copy_n(from + of_policy, of_value, room.memory.begin() + count * of_policy + u * of_value);
    }
    for (std::size_t t = 0; t < steps; ++t) {
      const std::size_t time = span * r.span + t, to = t * count + u;
      const std::size_t s = group == nullptr ? unit : group->sample(r.horizon, time, row - group->first_row);
      normaliser.apply({r.raw.data() + s * r.columns, r.columns}, room.inputs.span().subspan(to * stride), stride);
      std::copy_n(r.decisions.data() + s * r.controls, r.controls, room.decisions.data() + to * r.controls);
      std::copy_n(r.allowed.data() + s * r.masks, r.masks, room.allowed.data() + to * r.masks);
      room.log_probability[to] = r.log_probability[s];
      room.advantage[to] = r.advantage[s];
      room.target[to] = r.target[s];
      room.value[to] = r.value[s];
      room.counts[to] = r.counts[s];
      if (group != nullptr)
        room.begins[to] =
            time > 0 && r.ended[group->sample(r.horizon, time - 1, row - group->first_row)] != 0 ? 1 : 0;
    }
  }
}

// ---- Gradients

void Ppo::State::add_shard(std::size_t shard, std::size_t first_unit, std::size_t count, double scale, Room& room) {
  PhaseClock clock;
  auto& own = shard_gradients[shard];
  std::fill(own.begin(), own.end(), 0.0f);
  shard_sums[shard] = {};
  const std::size_t at_once = remembers() ? count : samples_per_tile;
  for (std::size_t first = 0; first < count; first += at_once) {
    const std::size_t n = std::min(at_once, count - first), samples = n * unit_samples();
    gather(first_unit + first, n, room);
    const Batch<float> batch{{unit_samples(), n, room.inputs.span(),
                              remembers() ? room.begins.span().first(samples) : std::span<std::uint8_t>{},
                              room.memory.span()},
                             room.decisions.span(),
                             room.log_probability.span(),
                             room.advantage.span(),
                             room.target.span(),
                             room.value.span(),
                             room.allowed.span(),
                             room.counts.span()};
    shard_sums[shard] +=
        add_loss<float>(nets, numbers(), batch, loss, static_cast<float>(scale), room.loss, own.span());
  }
  clock.add_to(room.times.learn);
}

void Ppo::State::report_bad_gradient(double norm) const {
  const std::string where = "update " + std::to_string(updates + 1), mend = "lower the learning rate or the rewards";
  const auto check = [&](const std::string& prefix, const Network<float>& net, std::span<const float> part) {
    for (const NetworkPart& p : net.parts()) {
      const double own = norm_of(part.subspan(p.offset, p.rows * p.stride));
      if (!std::isfinite(own))
        throw Error(Fault::numbers, "the gradient of '" + prefix + "." + p.name + "' is not finite", where, mend);
      if (std::isfinite(norm) && own > 0.5 * norm)
        throw Error(Fault::numbers,
                    "the gradient explodes: that of '" + prefix + "." + p.name + "' has length " + std::to_string(own),
                    where, mend);
    }
  };
  check("policy", nets.policy, nets.policy_part(gradient.span()));
  if (!nets.shared) check("value", nets.value, nets.value_part(gradient.span()));
  throw Error(Fault::numbers,
              std::isfinite(norm) ? "the gradient explodes: it has length " + std::to_string(norm)
                                  : "the gradient of a dial's spread is not finite",
              where, mend);
}

void Ppo::State::step(double rate, ImproveReport& report) {
  constexpr double most_norm = 1e9;  // beyond it floats have no digits left for what is learned
  for (std::size_t i = 0; i < frozen.size(); ++i)
    if (frozen[i] != 0) gradient[i] = 0.0f;
  const auto limit = [&](std::span<float> part) {
    const double norm = norm_of(part);
    if (!(norm <= most_norm)) report_bad_gradient(norm);
    if (norm > settings.gradient_limit) {
      const auto shrink = static_cast<float>(settings.gradient_limit / norm);
      for (float& g : part) g *= shrink;
    }
    return norm;
  };
  report.gradient_norm += limit(gradient.span().first(nets.value_offset));
  if (!nets.shared) report.value_gradient_norm += limit(nets.value_part(gradient.span()));
  adam.step(parameters.span(), gradient.span(), rate);
  parameters_changed();
}

void Ppo::State::shuffle() {
  pool.run(orders.size(), [&](std::size_t epoch, std::size_t) {
    auto& own = orders[epoch];
    std::iota(own.begin(), own.end(), 0u);
    RandomStream random(seed, static_cast<std::uint32_t>(epoch), static_cast<std::uint32_t>(updates), Purpose::shuffle);
    for (std::size_t i = own.size(); i > 1; --i)
      std::swap(own[i - 1], own[random.below(static_cast<std::uint32_t>(i))]);
  });
}

LossSums Ppo::State::learn_minibatch(std::size_t first_unit, std::size_t count, ImproveReport& report) {
  const std::size_t each = units_per_shard(), shards = (count + each - 1) / each;
  const double scale = 1.0 / static_cast<double>(count * unit_samples());
  pool.run(shards, [&](std::size_t shard, std::size_t worker) {
    const std::size_t begin = shard * each;
    add_shard(shard, first_unit + begin, std::min(each, count - begin), scale, rooms[worker]);
  });
  PhaseClock clock;
  std::copy(shard_gradients[0].begin(), shard_gradients[0].end(), gradient.begin());
  for (std::size_t shard = 1; shard < shards; ++shard)
    for (std::size_t p = 0; p < gradient.size(); ++p) gradient[p] += shard_gradients[shard][p];
  LossSums sums;
  for (std::size_t shard = 0; shard < shards; ++shard) sums += shard_sums[shard];
  step(report.learning_rate, report);
  clock.add_to(report.times.step);
  return sums;
}

ImproveReport Ppo::improve() {
  State& s = *state_;
  ImproveReport report;
  PhaseClock clock;
  s.prepare_samples(report);
  s.schedule(report);
  s.shuffle();
  const std::size_t units = s.units();
  const std::size_t batch =
      std::clamp<std::size_t>(static_cast<std::size_t>(s.settings.minibatch) / s.unit_samples(), 1, units);
  const double n = std::max(1.0, static_cast<double>(std::count(s.rollout.counts.begin(), s.rollout.counts.end(), 1)));
  double steps = 0.0;
  for (std::int64_t epoch = 0; epoch < s.settings.epochs; ++epoch) {
    s.order = s.orders[static_cast<std::size_t>(epoch)];
    LossSums sums;
    for (std::size_t first = 0; first < units; first += batch, steps += 1.0)
      sums += s.learn_minibatch(first, std::min(batch, units - first), report);
    ++report.epochs;
    report.policy_loss = sums.policy / n;
    report.value_loss = sums.value / n;
    report.entropy = sums.entropy / n;
    report.kl = sums.kl / n;
    report.clip_share = sums.clipped / n;
    if (!std::isfinite(report.policy_loss) || !std::isfinite(report.value_loss))
      throw Error(Fault::numbers, "the loss is not finite", "update " + std::to_string(s.updates + 1),
                  "lower the learning rate or the rewards");
    if (s.settings.kl_limit > 0.0 && report.kl > s.settings.kl_limit) break;
  }
  report.gradient_norm /= steps;
  report.value_gradient_norm /= steps;
  for (const float log_spread : s.nets.spread_part(s.parameters.span()))
    report.spread += std::exp(static_cast<double>(log_spread)) / static_cast<double>(s.nets.heads.dials());
  if (s.settings.normalise)
    for (const auto& moments : s.group_moments) s.normaliser.fold(moments);
  ++s.updates;
  for (auto& room : s.rooms) report.times += std::exchange(room.times, {});
  clock.add_to(report.times.wall);
  return report;
}

}  // namespace zithercraft
