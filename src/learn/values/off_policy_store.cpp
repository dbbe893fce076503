#include <array>

#include "learn/values/off_policy.hpp"
#include "net/network_tensors.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::learn_internal {
using namespace net_internal;
namespace {

std::string adam_place(std::size_t part) { return "adam." + std::to_string(part) + "."; }

}  // namespace

void OffPolicy::store(TensorFile& file) const {
  signature_.store(file);
  store_networks(file, parameters_.span());
  store_target(file);
  std::array<double, 4> scale{};
  value_scale_.store(scale);
  file.put("value.scale", std::span<const double>(scale));
  store_normaliser(file, normaliser_);
  view_.store(file);
  if (remembers())
    file.put("off_policy.memory", {memory_.size() / memory_stride_, memory_stride_},
             memory_.span());
  std::vector<std::int64_t> counts{minibatches_, taken_, cloned_ ? 1 : 0};
  for (std::size_t i = 0; i < parts_.size(); ++i) {
    const Adam& adam = parts_[i].adam;
    file.put(adam_place(i) + "first", {adam.first_moments().size()}, adam.first_moments().span());
    file.put(adam_place(i) + "second", {adam.second_moments().size()},
             adam.second_moments().span());
    counts.push_back(adam.steps());
  }
  file.put("off_policy.counts", std::span<const std::int64_t>(counts));
  file.put("off_policy.owed", std::span(&owed_, 1));
  if (!settings_.keep_experience) {
    file.metadata["left_out"] = "experience";
    return;
  }
  experience_.store(file);
  store_more(file);
}

void OffPolicy::restore(const TensorFile& file) {
  const auto refuse = [](const std::string& what) {
    throw Error(ErrorKind::refused, what, "checkpoint",
                "resume with the game it was trained in, or start a new run");
  };
  if (const auto d = first_difference(signature_, PolicySignature::from(file)); !d.empty())
    refuse("the checkpoint does not fit the game: " + d);
  fetch_networks(file, parameters_.span());
  prepare(parameters_.span(), prepared_.span());
  fetch_target(file);
  prepare_target(target_.span(), target_prepared_.span());
  const auto scale = file.doubles("value.scale"), owed = file.doubles("off_policy.owed");
  const auto counts = file.integers("off_policy.counts");
  if (scale.size() != 4 || counts.size() != 3 + parts_.size() || owed.size() != 1)
    refuse("the checkpoint lacks the scale of values, or its counts");
  value_scale_.restore(scale);
  normaliser_ = fetch_normaliser(file, signature_.policy);
  view_.restore(file);
  if (remembers()) file.get("off_policy.memory", memory_.span());
  minibatches_ = counts[0];
  taken_ = counts[1];
  cloned_ = counts[2] != 0;
  for (std::size_t i = 0; i < parts_.size(); ++i) {
    Adam& adam = parts_[i].adam;
    file.get(adam_place(i) + "first", adam.first_moments().span());
    file.get(adam_place(i) + "second", adam.second_moments().span());
    adam.set_steps(counts[3 + i]);
  }
  owed_ = owed[0];
  // A checkpoint without steps to learn from goes on with those that are played from now on.
  if (!file.has("experience.counts")) return;
  fetch_more(file);
  experience_.restore(file);
  experience_.take_stock(
      [&](std::size_t place, bool learnable) { stock_changed(place, learnable); });
}

PastPolicy OffPolicy::snapshot() const { return {parameters_, prepared_, normaliser_}; }

void OffPolicy::store(TensorFile& file, const PastPolicy& past) const {
  store_networks(file, past.parameters.span());
  std::array<double, 4> scale{};
  value_scale_.store(scale);
  file.put("value.scale", std::span<const double>(scale));
  store_normaliser(file, past.normaliser);
}

PastPolicy OffPolicy::fetch(const TensorFile& file) const {
  PastPolicy past{AlignedBuffer<float>(parameters_.size()), AlignedBuffer<float>(prepared_.size()),
                  fetch_normaliser(file, signature_.policy)};
  fetch_networks(file, past.parameters.span());
  prepare(past.parameters.span(), past.prepared.span());
  return past;
}

// Networks that were trained on the same senses and controls go on as they are; of a clone there is
// the policy alone.
Continuation OffPolicy::continue_from(const TensorFile& file) {
  const PolicySignature before = PolicySignature::from(file);
  if (const auto d = first_difference(signature_, before); !d.empty())
    throw Error(ErrorKind::refused, "what was trained before does not fit: " + d, "checkpoint",
                "continue with a policy of this method and these senses and controls, or with a "
                "clone whose `continued_by` names the method");
  cloned_ = file.has("clone.counts");
  if (cloned_) {
    take_clone(file);
    target_ = parameters_;
  } else {
    fetch_networks(file, parameters_.span());
    fetch_target(file);
    value_scale_.restore(file.doubles("value.scale"));
  }
  prepare(parameters_.span(), prepared_.span());
  prepare_target(target_.span(), target_prepared_.span());
  normaliser_ = fetch_normaliser(file, signature_.policy);
  return {
      .parts = {{"networks", Continuation::Taken::all, parameters_.size(), parameters_.size()}}};
}

}  // namespace zithercraft::learn_internal
