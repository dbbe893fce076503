#include <algorithm>
#include <bit>
#include <cmath>

#include "learn/play/occasion.hpp"
#include "zithercraft/learn/ppo.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

// Where sides that learn are opposed and choose, the best play may have to be drawn by lot. Nobody
// has to find it, it has to be approached: in many small steps, against what others did so far, and
// with weight on staying undecided.
bool may_mix(const Occasion& o) { return o.opposed && !o.dials; }

constexpr double short_training = 5e5, long_training = 5e6;

// How many times more gradient steps a training of dials makes that is neither short nor long:
// aiming gets finer by them. Choices gain nothing, and long trainings by large minibatches more.
double more_steps(const Occasion& o) {
  if (!o.dials || o.steps >= long_training) return 1.0;
  return std::pow(std::max(1.0, o.steps / short_training), 0.6);
}

// What decides at an episode's end is learned to be kept from its beginning on only if both lie in
// one span; but of long spans few fit into a minibatch.
std::int64_t usual_span(const Occasion& o) {
  constexpr std::uint64_t shortest = 32, longest = 64;
  return static_cast<std::int64_t>(
      std::clamp(std::bit_ceil(static_cast<std::uint64_t>(o.episode)), shortest, longest));
}
std::int64_t largest_divisor(std::int64_t of, std::int64_t at_most) {
  std::int64_t divisor = std::clamp<std::int64_t>(at_most, 1, std::max<std::int64_t>(1, of));
  while (of % divisor != 0) --divisor;
  return divisor;
}

// How many samples of pictures are kept at most: half a gigabyte of them.
std::int64_t most_samples(const Occasion& o) {
  constexpr std::int64_t most_numbers = 1 << 27;
  return std::max<std::int64_t>(1, most_numbers / o.columns);
}

// Some fifty to a hundred rollouts, or a few hundred, until there are as many lanes as play
// fastest.
void settle_rollout(const Occasion& o, PolicyGradientSettings& s) {
  constexpr std::int64_t most_lanes = 256, longest = 128, fewest_rows = 16;
  const double rollouts = may_mix(o) ? 200.0 : 80.0 * more_steps(o);
  const auto seats = static_cast<double>(o.seats);
  if (!s.horizon) {
    constexpr std::int64_t short_episode = 16;
    const bool brief = may_mix(o) && o.episode <= short_episode;
    s.horizon = std::clamp(
        near_power(o.steps / (brief ? rollouts * most_lanes * seats : 50.0 * fewest_rows * seats)),
        brief ? short_episode : 32, longest);
    if (const std::int64_t span = s.memory_span.value_or(usual_span(o)); s.memory > 0 && span > 0)
      s.horizon = (*s.horizon + span - 1) / span * span;
  }
  if (!s.memory_span) s.memory_span = largest_divisor(*s.horizon, usual_span(o));
  if (s.lanes) return;
  if (o.copies) {
    s.lanes = static_cast<std::int64_t>(*o.copies);
    return;
  }
  const std::int64_t fewest = std::max<std::int64_t>(1, fewest_rows / o.seats);
  const auto rows_that_fit = static_cast<double>(most_samples(o)) /
                             static_cast<double>(std::max<std::int64_t>(1, *s.horizon));
  s.lanes = std::clamp(
      power_below(o.steps /
                  (rollouts * static_cast<double>(std::max<std::int64_t>(1, *s.horizon)) * seats)),
      fewest, std::max(fewest, std::min(most_lanes, power_below(rows_that_fit / seats))));
}

// About as many gradient steps whatever the length of a short training, until minibatches are as
// large as is useful. Dials, whose spread changes too, go wrong when the same samples are learned
// from too often; where a look is dear, they are learned from less often.
void settle_learning(const Occasion& o, PolicyGradientSettings& s) {
  constexpr std::int64_t smallest = 32, largest = 4096, large_picture = 4096;
  const bool dear = o.columns >= large_picture || o.steps >= long_training;
  if (!s.epochs) s.epochs = may_mix(o) ? 2 : dear ? 3 : o.dials ? 4 : 6;
  if (!s.minibatch)
    s.minibatch = std::clamp(near_power(static_cast<double>(*s.epochs) * o.steps /
                                        ((o.dials ? 6200.0 : 12000.0) * more_steps(o))),
                             smallest, largest);
}

// A short training has to come across what pays soon: its dials are tried from end to end at first,
// and stay undecided for longer. A long one comes across it anyway, and aims better sooner if it
// begins with smaller steps.
void settle_exploration(const Occasion& o, PolicyGradientSettings& s) {
  const double longer =
      std::log(std::clamp(o.steps, short_training, long_training) / short_training) /
      std::log(long_training / short_training);
  if (!s.first_stddev) s.first_stddev = std::lerp(1.5, 0.6, longer);
  if (!s.entropy_weight)
    s.entropy_weight = may_mix(o) ? 0.1 : o.dials ? std::lerp(0.02, 0.005, longer) : 0.005;
  if (!s.last_entropy_weight) s.last_entropy_weight = may_mix(o) ? 0.05 : 0.0;
}

void settle_opposition(const Occasion& o, PolicyGradientSettings& s) {
  constexpr double snapshots = 50.0;
  const auto fill = [](std::optional<double>& share, double usual, double most) {
    if (!share) share = std::max(0.0, std::min(usual, most));
  };
  fill(s.against_past, may_mix(o) ? 0.75 : 0.2, 1.0 - s.against_hardest.value_or(0.0));
  fill(s.against_hardest, may_mix(o) ? 0.0 : 0.2, 1.0 - *s.against_past);
  if (!s.snapshot_every)
    s.snapshot_every = std::max<std::int64_t>(1, std::llround(o.steps / snapshots));
}

}  // namespace

PolicyGradientSettings settled(PolicyGradientSettings settings, const Game& game,
                               std::int64_t total_steps, std::span<const RolePlayer> players) {
  const Occasion o = occasion_of(game, total_steps, players);
  settle_rollout(o, settings);
  settle_learning(o, settings);
  settle_exploration(o, settings);
  settle_opposition(o, settings);
  // Rewards are looked forward to for as long as an episode lasts, within bounds.
  constexpr double shortest = 100.0, longest = 500.0;
  if (!settings.discount)
    settings.discount = 1.0 - 1.0 / std::clamp(static_cast<double>(o.episode), shortest, longest);
  return settings;
}

}  // namespace zithercraft
