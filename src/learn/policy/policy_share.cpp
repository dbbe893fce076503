#include "learn/packed_moments.hpp"
#include "learn/policy/policy_learner.hpp"

// What processes that train together send each other beside gradients: numbers that describe the
// rollouts of their groups, and what their groups lost. Everyone then knows all groups and combines
// them in the same order.

namespace zithercraft::learn_internal {
void PolicyLearner::share_rollout() {
  if (context_.processes == nullptr) return;
  PackedNumbers own;
  for (std::size_t g = context_.first_own; g < context_.first_own + context_.own_count; ++g) {
    put(own, group_moments_[g]);
    for (const auto* const moments : team_.moments(g)) put(own, *moments);
    const SampleSums& sums = group_sums_[g];
    for (const double sum : {sums.count, sums.advantage, sums.advantage_square, sums.target,
                             sums.target_square, sums.off, sums.off_square})
      own.put(sum);
  }
  PackedNumbers all = own.gathered_by(context_.processes);
  for (std::size_t g = 0; g < groups_.size(); ++g) {
    get(all, group_moments_[g]);
    for (auto* const moments : team_.moments(g)) get(all, *moments);
    SampleSums& sums = group_sums_[g];
    for (double* const sum : {&sums.count, &sums.advantage, &sums.advantage_square, &sums.target,
                              &sums.target_square, &sums.off, &sums.off_square})
      *sum = all.get();
  }
}

void PolicyLearner::share_losses() {
  if (context_.processes == nullptr) return;
  PackedNumbers own;
  for (const LossSums& sums :
       std::span(group_losses_).subspan(context_.first_own, context_.own_count))
    for (const double sum :
         {sums.policy, sums.value, sums.credit, sums.entropy, sums.kl, sums.clipped, sums.teacher})
      own.put(sum);
  PackedNumbers all = own.gathered_by(context_.processes);
  for (LossSums& sums : group_losses_)
    for (double* const sum : {&sums.policy, &sums.value, &sums.credit, &sums.entropy, &sums.kl,
                              &sums.clipped, &sums.teacher})
      *sum = all.get();
}

}  // namespace zithercraft::learn_internal
