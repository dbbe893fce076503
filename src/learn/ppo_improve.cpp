#include <algorithm>
#include <cmath>
#include <numeric>
#include <string>

#include "ppo_state.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {

void Ppo::State::add_shard(std::size_t shard, std::size_t first, std::size_t count, std::size_t batch, Room& room) {
  const Rollout& r = rollout;
  for (std::size_t i = 0; i < count; ++i) {
    const std::size_t s = order[first + i];
    std::copy_n(r.inputs.data() + s * r.columns, r.columns, room.inputs.data() + i * r.columns);
    std::copy_n(r.decisions.data() + s * r.controls, r.controls, room.decisions.data() + i * r.controls);
    room.log_probability[i] = r.log_probability[s];
    room.advantage[i] = r.advantage[s];
    room.target[i] = r.target[s];
  }
  auto& own = shard_gradients[shard];
  std::fill(own.begin(), own.end(), 0.0f);
  const Batch<float> gathered{count,
                              room.inputs.span(),
                              room.decisions.span(),
                              room.log_probability.span(),
                              room.advantage.span(),
                              room.target.span()};
  shard_sums[shard] =
      add_loss<float>(nets, parameters.span(), gathered, loss, 1.0f / static_cast<float>(batch), room.loss, own.span());
}

void Ppo::State::report_not_finite() const {
  const auto check = [&](const std::string& prefix, const Mlp<float>& net, std::span<const float> part) {
    for (std::size_t i = 0; i < net.layers().size(); ++i) {
      const auto& layer = net.layers()[i];
      if (!std::isfinite(norm_of(part.subspan(layer.weights, layer.inputs * layer.outputs))))
        throw Error(Fault::numbers,
                    "the gradient of layer " + std::to_string(i) + " of the " + prefix + " network is not finite",
                    "update " + std::to_string(updates + 1), "lower the learning rate or the rewards");
    }
  };
  check("policy", nets.policy, nets.policy_part(gradient.span()));
  check("value", nets.value, nets.value_part(gradient.span()));
  throw Error(Fault::numbers, "the gradient of a bias or of a dial's spread is not finite",
              "update " + std::to_string(updates + 1), "lower the learning rate or the rewards");
}

void Ppo::State::step(double rate, ImproveReport& report) {
  const auto limit = [&](std::span<float> part) {
    const double norm = norm_of(part);
    if (norm > settings.gradient_limit) {
      const auto shrink = static_cast<float>(settings.gradient_limit / norm);
      for (float& g : part) g *= shrink;
    }
    return norm;
  };
  const double policy_norm = limit(gradient.span().first(nets.value_offset));
  const double value_norm = limit(nets.value_part(gradient.span()));
  if (!std::isfinite(policy_norm) || !std::isfinite(value_norm)) report_not_finite();
  report.gradient_norm += policy_norm;
  adam.step(parameters.span(), gradient.span(), rate);
}

ImproveReport Ppo::improve() {
  State& s = *state_;
  const Rollout& r = s.rollout;
  const std::size_t samples = r.samples(), batch = std::min(static_cast<std::size_t>(s.settings.minibatch), samples);
  ImproveReport report;

  // Advantages to mean 0 and spread 1; how much of the returns' variance the values explain.
  double mean = 0.0, square = 0.0, target_mean = 0.0, target_square = 0.0;
  for (std::size_t i = 0; i < samples; ++i) {
    const auto a = static_cast<double>(r.advantage[i]), t = static_cast<double>(r.target[i]);
    mean += a;
    square += a * a;
    target_mean += t;
    target_square += t * t;
  }
  const auto n = static_cast<double>(samples);
  mean /= n;
  target_mean /= n;
  const double off_square = square / n - mean * mean;  // target - value is the advantage
  const double spread = std::sqrt(std::max(0.0, off_square));
  const double target_variance = target_square / n - target_mean * target_mean;
  report.explained_variance = target_variance > 1e-12 ? 1.0 - off_square / target_variance : 0.0;
  for (float& a : s.rollout.advantage.span()) a = static_cast<float>((static_cast<double>(a) - mean) / (spread + 1e-8));

  const double done = std::min(1.0, static_cast<double>(s.decisions - static_cast<std::int64_t>(samples)) /
                                        static_cast<double>(std::max<std::int64_t>(1, s.total_decisions)));
  report.learning_rate = s.settings.learning_rate + (s.settings.last_learning_rate - s.settings.learning_rate) * done;
  s.loss.entropy_weight = s.settings.entropy_weight + (s.settings.last_entropy_weight - s.settings.entropy_weight) *
                                                          std::min(1.0, done / s.settings.entropy_fades_by);

  std::iota(s.order.begin(), s.order.end(), 0u);
  RandomStream shuffle(s.seed, 0, static_cast<std::uint32_t>(s.updates), Purpose::shuffle);
  std::size_t steps = 0;
  for (std::int64_t epoch = 0; epoch < s.settings.epochs; ++epoch) {
    for (std::size_t i = samples; i > 1; --i)
      std::swap(s.order[i - 1], s.order[shuffle.below(static_cast<std::uint32_t>(i))]);
    LossSums sums;
    for (std::size_t first = 0; first < samples; first += batch, ++steps) {
      const std::size_t count = std::min(batch, samples - first);
      const std::size_t shards = (count + samples_per_shard - 1) / samples_per_shard;
      s.pool.run(shards, [&](std::size_t shard, std::size_t worker) {
        const std::size_t begin = shard * samples_per_shard;
        s.add_shard(shard, first + begin, std::min(samples_per_shard, count - begin), count, s.rooms[worker]);
      });
      std::copy(s.shard_gradients[0].begin(), s.shard_gradients[0].end(), s.gradient.begin());
      for (std::size_t shard = 1; shard < shards; ++shard)
        for (std::size_t p = 0; p < s.gradient.size(); ++p) s.gradient[p] += s.shard_gradients[shard][p];
      for (std::size_t shard = 0; shard < shards; ++shard) sums += s.shard_sums[shard];
      s.step(report.learning_rate, report);
    }
    report.policy_loss = sums.policy / n;
    report.value_loss = sums.value / n;
    report.entropy = sums.entropy / n;
    report.kl = sums.kl / n;
    report.clip_share = sums.clipped / n;
  }
  report.gradient_norm /= static_cast<double>(steps);
  if (!std::isfinite(report.policy_loss) || !std::isfinite(report.value_loss))
    throw Error(Fault::numbers, "the loss is not finite", "update " + std::to_string(s.updates + 1),
                "lower the learning rate or the rewards");
  if (s.settings.normalise) s.normaliser.fold(r.raw.span());
  ++s.updates;
  return report;
}

}  // namespace zithercraft
