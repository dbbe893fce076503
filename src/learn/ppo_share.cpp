#include "gathered.hpp"
#include "ppo_state.hpp"

// What processes that train together tell each other beside gradients: numbers that describe the rollouts of their
// groups, and what their groups lost. Everyone then knows all groups and combines them in the same order.

namespace zithercraft {
namespace {

// Numbers that are told, one after the other.
class Told {
 public:
  Told() = default;
  explicit Told(std::vector<double> numbers) : numbers_(std::move(numbers)) {}

  void put(double number) { numbers_.push_back(number); }
  void put(std::span<const double> numbers) { numbers_.insert(numbers_.end(), numbers.begin(), numbers.end()); }
  double get() { return numbers_[next_++]; }
  template <class Whole>
  Whole get_as() {
    return static_cast<Whole>(get());
  }
  std::vector<double> get(std::size_t count) {
    const auto first = numbers_.begin() + static_cast<std::ptrdiff_t>(next_);
    next_ += count;
    return {first, first + static_cast<std::ptrdiff_t>(count)};
  }
  Told told_to(Ranks* ranks) const { return Told(gathered<double>(ranks, numbers_)); }

 private:
  std::vector<double> numbers_;
  std::size_t next_ = 0;
};

void put_episode(Told& told, const TimedEpisode& e) {
  told.put(static_cast<double>(e.time));
  told.put(static_cast<double>(e.row));
  told.put(e.result.episode_return);
  told.put(static_cast<double>(e.result.length));
  told.put(static_cast<double>(e.result.outcome));
  told.put(static_cast<double>(e.result.ended_by));
  told.put(static_cast<double>(e.result.stage));
  told.put(static_cast<double>(e.result.ledger.size()));
  told.put(e.result.ledger);
}

TimedEpisode get_episode(Told& told) {
  TimedEpisode e;
  e.time = told.get_as<std::size_t>();
  e.row = told.get_as<std::size_t>();
  e.result.episode_return = told.get();
  e.result.length = told.get_as<std::uint32_t>();
  e.result.outcome = static_cast<Outcome>(told.get_as<int>());
  e.result.ended_by = static_cast<EndedBy>(told.get_as<int>());
  e.result.stage = told.get_as<std::size_t>();
  e.result.ledger = told.get(told.get_as<std::size_t>());
  return e;
}

}  // namespace

void Ppo::State::share_rollout() {
  Told own;
  for (std::size_t g = first_own; g < first_own + own_count; ++g) {
    own.put(group_moments[g].count);
    own.put(group_moments[g].mean);
    own.put(group_moments[g].deviation);
    const SampleSums& sums = group_sums[g];
    for (const double sum : {sums.count, sums.advantage, sums.advantage_square, sums.target, sums.target_square})
      own.put(sum);
    own.put(static_cast<double>(group_episodes[g].size()));
    for (const TimedEpisode& episode : group_episodes[g]) put_episode(own, episode);
  }
  Told all = own.told_to(ranks);
  const std::size_t columns = role().columns.size();
  for (std::size_t g = 0; g < groups.size(); ++g) {
    group_moments[g].count = all.get();
    group_moments[g].mean = all.get(columns);
    group_moments[g].deviation = all.get(columns);
    SampleSums& sums = group_sums[g];
    for (double* const sum :
         {&sums.count, &sums.advantage, &sums.advantage_square, &sums.target, &sums.target_square})
      *sum = all.get();
    group_episodes[g].clear();
    for (auto left = all.get_as<std::size_t>(); left > 0; --left) group_episodes[g].push_back(get_episode(all));
  }
}

void Ppo::State::share_losses() {
  Told own;
  for (const LossSums& sums : std::span(group_losses).subspan(first_own, own_count))
    for (const double sum : {sums.policy, sums.value, sums.entropy, sums.kl, sums.clipped}) own.put(sum);
  Told all = own.told_to(ranks);
  for (LossSums& sums : group_losses)
    for (double* const sum : {&sums.policy, &sums.value, &sums.entropy, &sums.kl, &sums.clipped}) *sum = all.get();
}

}  // namespace zithercraft
