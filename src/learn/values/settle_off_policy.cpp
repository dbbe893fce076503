#include <algorithm>
#include <cmath>

#include "learn/play/occasion.hpp"
#include "learn/values/off_policy.hpp"
#include "zithercraft/learn/off_policy.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

// As many rows as play side by side without being far behind what is learned.
void settle_play(const Occasion& o, OffPolicySettings& s) {
  constexpr double fewest_rows = 8.0, most_rows = 64.0, rollouts = 200.0;
  const auto seats = static_cast<double>(o.seats);
  if (!s.lanes) {
    const double rows =
        std::clamp(static_cast<double>(power_below(o.steps / 2500.0)), fewest_rows, most_rows);
    s.lanes = o.copies ? static_cast<std::int64_t>(*o.copies)
                       : std::max<std::int64_t>(1, static_cast<std::int64_t>(rows / seats));
  }
  const double rows = static_cast<double>(std::max<std::int64_t>(1, *s.lanes)) * seats;
  if (!s.horizon)
    s.horizon = std::clamp<std::int64_t>(power_below(o.steps / (rollouts * rows)), 4, 64);
}

// Beyond some length a training has as many gradient steps, by larger minibatches.
void settle_transitions(const Occasion& o, OffPolicySettings& s) {
  constexpr double minibatches = 60'000.0, most_kept = 1e6;
  if (!s.updates_per_step) s.updates_per_step = std::min(1.0, minibatches / o.steps);
  if (!s.minibatch) s.minibatch = o.steps <= 1e5 ? 128 : o.steps <= 1e6 ? 256 : 512;
  if (!s.experience)
    s.experience = static_cast<std::int64_t>(std::clamp(o.steps, 1000.0, most_kept));
  if (!s.warm_up) s.warm_up = static_cast<std::int64_t>(std::min(10'000.0, o.steps / 30.0));
}

}  // namespace

void settle_off_policy(OffPolicySettings& s, const Game& game, std::int64_t total_steps,
                       std::span<const RolePlayer> players) {
  const Occasion o = occasion_of(game, total_steps, players);
  settle_play(o, s);
  settle_transitions(o, s);
  // Values of a far future differ little between moments; a nearer one tells them apart better.
  constexpr double shortest = 50.0, longest = 200.0, snapshots = 50.0;
  if (!s.discount)
    s.discount = 1.0 - 1.0 / std::clamp(static_cast<double>(o.episode) / 2.0, shortest, longest);
  if (!s.conservative_weight) s.conservative_weight = s.offline ? 0.03 : 0.0;
  if (!s.against_past)
    s.against_past = std::max(0.0, std::min(0.2, 1.0 - s.against_hardest.value_or(0.0)));
  if (!s.against_hardest) s.against_hardest = std::max(0.0, std::min(0.2, 1.0 - *s.against_past));
  if (!s.snapshot_every)
    s.snapshot_every = std::max<std::int64_t>(1, std::llround(o.steps / snapshots));
}

namespace learn_internal {

std::int64_t steps_until_paid(const Game& game, std::span<const RolePlayer> players,
                              std::int64_t usual) {
  return occasion_of(game, 1, players).shoots ? std::max<std::int64_t>(8, usual) : usual;
}

TeacherUse teacher_use(const OffPolicySettings& s) {
  return {.demonstrations = s.offline || s.demonstrations_share > 0.0,
          .asked = !s.offline && s.teacher_share > 0.0,
          .needed = s.offline || s.teacher_share > 0.0};
}

}  // namespace learn_internal
}  // namespace zithercraft
