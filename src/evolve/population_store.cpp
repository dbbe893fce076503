#include <array>

#include "evolve/population.hpp"
#include "evolve/vector_batch.hpp"
#include "net/network_tensors.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft::evolve_internal {
using namespace net_internal;
namespace {

void store_champion(const Champion& champion, TensorFile& file) {
  if (champion.numbers.empty()) {
    store_graph(file, champion.graph);
  } else {
    file.put("numbers", {champion.numbers.size()}, champion.numbers);
  }
  file.put("generation", std::span<const std::int64_t>(&champion.generation, 1));
  store_normaliser(file, *champion.normaliser);
}

std::string fame_place(std::size_t number) {
  return "hall_of_fame/" + std::to_string(number) + "/";
}

}  // namespace

void Population::store_policy(const Champion& champion, TensorFile& file) const {
  signature_.store(file);
  if (signature_.grown) {
    store_graph(file, champion.graph);
  } else {
    AlignedBuffer<float> parameters(net_.parameters());
    vector_to_weights(net_, champion.numbers, parameters.span());
    store_network(file, "policy", net_, parameters.span());
  }
  const std::vector<float> log_stddev(heads_.dials(), log_stddev_of_dials);
  if (!log_stddev.empty()) file.put("policy.log_stddev", {log_stddev.size()}, log_stddev);
  store_normaliser(file, *champion.normaliser);
  const std::array<double, 2> no_values{0.0, 1.0};
  file.put("value.scale", std::span<const double>(no_values));
}

Policy Population::policy_of(const Champion& champion) const {
  TensorFile file;
  store_policy(champion, file);
  return Policy::from(file);
}

void Population::store(TensorFile& file) const {
  file.metadata["plan"] = signature_.policy.to_json();
  if (topology_) {
    topology_->store(file);
  } else {
    search_->store(file);
  }
  store_normaliser(file, *normaliser_);
  if (led_) {
    TensorFile leader;
    store_champion(leader_, leader);
    file.put_part("leader/", leader);
  }
  file.put("leader_worth", std::span<const double>(&leader_worth_, 1));
  for (std::size_t k = 0; k < hall_of_fame_.size(); ++k) {
    TensorFile part;
    store_champion(hall_of_fame_[k], part);
    file.put_part(fame_place(k), part);
  }
  const std::array<std::int64_t, 2> hall_of_fame{static_cast<std::int64_t>(hall_of_fame_.size()),
                                                 fame_interval_};
  file.put("hall_of_fame", std::span<const std::int64_t>(hall_of_fame));
  std::vector<float> places;
  std::size_t width = 0;
  for (const auto& kept : archive_.kept()) {
    places.insert(places.end(), kept.begin(), kept.end());
    width = kept.size();
  }
  file.put("archive", {archive_.kept().size(), width}, places);
}

void Population::restore(const TensorFile& file) {
  // A population that began with an old policy has that one's plan, not the settings'.
  if (NetworkPlan plan = NetworkPlan::from_json(file.text("plan"));
      !topology_ && plan != signature_.policy) {
    signature_.policy = std::move(plan);
    make_search({});
  }
  if (topology_) {
    topology_->restore(file);
  } else {
    search_->restore(file);
  }
  see_through(fetch_normaliser(file, signature_.policy));
  const auto fetch = [&](const std::string& place) {
    const TensorFile part = file.part(place);
    Champion champion;
    if (topology_) {
      champion.graph = fetch_graph(part, signature_.policy);
    } else {
      champion.numbers.resize(search_->dimension());
      part.get("numbers", champion.numbers);
    }
    champion.generation = part.integers("generation").at(0);
    champion.normaliser =
        std::make_shared<const Normaliser>(fetch_normaliser(part, signature_.policy));
    return champion;
  };
  led_ = file.has_part("leader/");
  if (led_) leader_ = fetch("leader/");
  leader_worth_ = file.doubles("leader_worth").at(0);
  const auto hall_of_fame = file.integers("hall_of_fame");
  hall_of_fame_.clear();
  for (std::size_t k = 0; k < static_cast<std::size_t>(hall_of_fame.at(0)); ++k)
    hall_of_fame_.push_back(fetch(fame_place(k)));
  fame_interval_ = std::max<std::int64_t>(1, hall_of_fame.at(1));
  const auto shape = file.shape("archive");
  std::vector<float> places(shape.at(0) * shape.at(1));
  file.get("archive", places);
  std::deque<std::vector<float>> kept;
  for (std::size_t k = 0; k < shape[0]; ++k)
    kept.emplace_back(places.begin() + static_cast<std::ptrdiff_t>(k * shape[1]),
                      places.begin() + static_cast<std::ptrdiff_t>((k + 1) * shape[1]));
  archive_.restore(std::move(kept));
}

}  // namespace zithercraft::evolve_internal
