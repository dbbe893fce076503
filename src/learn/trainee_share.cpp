#include "told.hpp"
#include "trainee.hpp"

// What processes that train together tell each other beside gradients: numbers that describe the rollouts of their
// groups, and what their groups lost. Everyone then knows all groups and combines them in the same order.

namespace zithercraft {

void Trainee::share_rollout() {
  if (ground_.ranks == nullptr) return;
  Told own;
  for (std::size_t g = ground_.first_own; g < ground_.first_own + ground_.own_count; ++g) {
    own.put(group_moments_[g].count);
    own.put(group_moments_[g].mean);
    own.put(group_moments_[g].deviation);
    const SampleSums& sums = group_sums_[g];
    for (const double sum : {sums.count, sums.advantage, sums.advantage_square, sums.target, sums.target_square})
      own.put(sum);
  }
  Told all = own.told_to(ground_.ranks);
  const std::size_t columns = role().columns.size();
  for (std::size_t g = 0; g < groups_.size(); ++g) {
    group_moments_[g].count = all.get();
    group_moments_[g].mean = all.get(columns);
    group_moments_[g].deviation = all.get(columns);
    SampleSums& sums = group_sums_[g];
    for (double* const sum : {&sums.count, &sums.advantage, &sums.advantage_square, &sums.target, &sums.target_square})
      *sum = all.get();
  }
}

void Trainee::share_losses() {
  if (ground_.ranks == nullptr) return;
  Told own;
  for (const LossSums& sums : std::span(group_losses_).subspan(ground_.first_own, ground_.own_count))
    for (const double sum : {sums.policy, sums.value, sums.entropy, sums.kl, sums.clipped}) own.put(sum);
  Told all = own.told_to(ground_.ranks);
  for (LossSums& sums : group_losses_)
    for (double* const sum : {&sums.policy, &sums.value, &sums.entropy, &sums.kl, &sums.clipped}) *sum = all.get();
}

}  // namespace zithercraft
