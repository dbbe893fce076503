#include <array>

#include "base/gathered.hpp"
#include "learn/policy/policy_learner.hpp"
#include "net/network_tensors.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::learn_internal {
using namespace base_internal;
using namespace net_internal;
void PolicyLearner::store(TensorFile& file) const {
  signature_.store(file);
  store_network(file, "policy", nets_.policy, nets_.policy_part(parameters_.span()));
  if (!nets_.shared)
    store_network(file, "value", nets_.value, nets_.value_part(parameters_.span()));
  if (nets_.credits)
    store_network(file, "credit", nets_.credit, nets_.credit_part(parameters_.span()));
  file.put("policy.log_stddev", {nets_.heads.dials()}, nets_.stddev_part(parameters_.span()));
  std::array<double, 4> scale{};
  value_scale_.store(scale);
  file.put("value.scale", std::span<const double>(scale));
  store_normaliser(file, normaliser_);
  team_.store(file);
  file.put("adam.first", {nets_.parameters}, adam_.first_moments().span());
  file.put("adam.second", {nets_.parameters}, adam_.second_moments().span());
  const std::int64_t steps = adam_.steps();
  file.put("adam.steps", std::span(&steps, 1));
  if (!remembers()) return;
  // Each process knows what its own lanes remember; they follow each other role by role.
  std::vector<float> all;
  for (const std::size_t role : roles_) {
    const LaneGroup& first = context_.own_groups().front();
    const LaneGroup& last = context_.own_groups().back();
    const RoleRows own =
        block_of(context_, roles_, role,
                 {first.first_lane, last.first_lane + last.lanes - first.first_lane});
    const auto memory = gathered<float>(
        context_.processes,
        memory_.span().subspan(own.own_row * memory_each(), own.rows * memory_each()));
    all.insert(all.end(), memory.begin(), memory.end());
  }
  file.put("memory", {all.size() / memory_each(), memory_each()}, std::span<const float>(all));
}

void PolicyLearner::restore(const TensorFile& file) {
  const auto refuse = [](const std::string& what) {
    throw Error(ErrorKind::refused, what, "checkpoint",
                "resume with the game it was trained in, or start a new run");
  };
  if (const auto d = first_difference(signature_, PolicySignature::from(file)); !d.empty())
    refuse("the checkpoint does not fit the game: " + d);
  fetch_network(file, "policy", nets_.policy, nets_.policy_part(parameters_.span()));
  if (!nets_.shared)
    fetch_network(file, "value", nets_.value, nets_.value_part(parameters_.span()));
  if (nets_.credits)
    fetch_network(file, "credit", nets_.credit, nets_.credit_part(parameters_.span()));
  parameters_changed();
  if (nets_.heads.dials() > 0) file.get("policy.log_stddev", nets_.stddev_part(parameters_.span()));
  const auto scale = file.doubles("value.scale");
  const auto steps = file.integers("adam.steps");
  if (scale.size() != 4 || steps.size() != 1)
    refuse("the checkpoint lacks the scale of values, or the optimiser's steps");
  value_scale_.restore(scale);
  normaliser_ = fetch_normaliser(file, signature_.policy);
  team_.restore(file);
  file.get("adam.first", adam_.first_moments().span());
  file.get("adam.second", adam_.second_moments().span());
  adam_.set_steps(steps[0]);
  if (remembers()) file.get("memory", memory_.span());
}

PastPolicy PolicyLearner::snapshot() const { return {parameters_, prepared_, normaliser_}; }

void PolicyLearner::store(TensorFile& file, const PastPolicy& past) const {
  store_network(file, "policy", nets_.policy, nets_.policy_part(past.parameters.span()));
  file.put("policy.log_stddev", {nets_.heads.dials()}, nets_.stddev_part(past.parameters.span()));
  std::array<double, 4> scale{};
  value_scale_.store(scale);
  file.put("value.scale", std::span<const double>(scale));
  store_normaliser(file, past.normaliser);
}

PastPolicy PolicyLearner::fetch(const TensorFile& file) const {
  PastPolicy past{AlignedBuffer<float>(nets_.parameters), AlignedBuffer<float>(nets_.prepared),
                  fetch_normaliser(file, signature_.policy)};
  fetch_network(file, "policy", nets_.policy, nets_.policy_part(past.parameters.span()));
  if (nets_.heads.dials() > 0)
    file.get("policy.log_stddev", nets_.stddev_part(past.parameters.span()));
  nets_.prepare(past.parameters.span(), past.prepared.span());
  return past;
}

}  // namespace zithercraft::learn_internal
