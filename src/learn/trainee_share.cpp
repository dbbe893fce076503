#include "told.hpp"
#include "trainee.hpp"

// What processes that train together tell each other beside gradients: numbers that describe the rollouts of their
// groups, and what their groups lost. Everyone then knows all groups and combines them in the same order.

namespace zithercraft {
namespace {

void put(Told& told, const Normaliser::Moments& moments) {
  told.put(moments.count);
  told.put(static_cast<double>(moments.mean.size()));
  told.put(moments.mean);
  told.put(moments.deviation);
}

void get(Told& told, Normaliser::Moments& moments) {
  moments.count = told.get();
  const auto columns = told.get_as<std::size_t>();
  moments.mean = told.get(columns);
  moments.deviation = told.get(columns);
}

}  // namespace

void Trainee::share_rollout() {
  if (ground_.ranks == nullptr) return;
  Told own;
  for (std::size_t g = ground_.first_own; g < ground_.first_own + ground_.own_count; ++g) {
    put(own, group_moments_[g]);
    for (const auto* const moments : team_.moments(g)) put(own, *moments);
    const SampleSums& sums = group_sums_[g];
    for (const double sum : {sums.count, sums.advantage, sums.advantage_square, sums.target, sums.target_square,
                             sums.off, sums.off_square})
      own.put(sum);
  }
  Told all = own.told_to(ground_.ranks);
  for (std::size_t g = 0; g < groups_.size(); ++g) {
    get(all, group_moments_[g]);
    for (auto* const moments : team_.moments(g)) get(all, *moments);
    SampleSums& sums = group_sums_[g];
    for (double* const sum : {&sums.count, &sums.advantage, &sums.advantage_square, &sums.target,
                              &sums.target_square, &sums.off, &sums.off_square})
      *sum = all.get();
  }
}

void Trainee::share_losses() {
  if (ground_.ranks == nullptr) return;
  Told own;
  for (const LossSums& sums : std::span(group_losses_).subspan(ground_.first_own, ground_.own_count))
    for (const double sum : {sums.policy, sums.value, sums.credit, sums.entropy, sums.kl, sums.clipped}) own.put(sum);
  Told all = own.told_to(ground_.ranks);
  for (LossSums& sums : group_losses_)
    for (double* const sum : {&sums.policy, &sums.value, &sums.credit, &sums.entropy, &sums.kl, &sums.clipped})
      *sum = all.get();
}

}  // namespace zithercraft
