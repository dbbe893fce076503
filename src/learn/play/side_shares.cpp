#include "learn/play/side_shares.hpp"

#include <algorithm>
#include <cmath>

namespace zithercraft::learn_internal {

SideShares::SideShares(std::size_t lanes, std::size_t together, std::size_t sides,
                       double past_share) {
  if (sides < 2 || past_share <= 0.0) return;
  sides_.assign(lanes, all_learn);
  constexpr double rounding = 1e-9;  // of shares that are decimal fractions
  const double of_each = past_share * static_cast<double>(lanes) / static_cast<double>(sides);
  const double whole = std::floor(of_each + rounding);
  const double left = std::max(0.0, of_each - whole) * static_cast<double>(sides);
  const auto turns = static_cast<std::size_t>(std::ceil(left - rounding));
  first_turn_ = lanes - turns;
  if (turns > 0) {
    const double share = left / static_cast<double>(turns * sides);
    wanted_.assign(1 + sides, share);
    wanted_[0] = std::max(0.0, 1.0 - share * static_cast<double>(sides));
    taken_.assign(turns * wanted_.size(), 0.0);
  }
  // The last lanes of each group are given away, as many as are due by then.
  const auto due = [&](std::size_t lane) {
    return static_cast<std::size_t>(whole * static_cast<double>(lane) /
                                        static_cast<double>(std::max<std::size_t>(1, first_turn_)) +
                                    rounding);
  };
  for (std::size_t first = 0; first < first_turn_; first += together) {
    std::size_t next = std::min(first + together, first_turn_);
    const std::size_t count = due(next) - due(first);
    for (std::size_t side = sides; side-- > 0;)
      for (std::size_t i = 0; i < count; ++i) sides_[--next] = static_cast<int>(side);
  }
}

void SideShares::begin_episode(std::size_t lane) {
  if (!takes_turns(lane)) return;
  const auto own = taken(lane);
  double all = 1.0;  // the step that comes is somebody's too
  for (const double steps : own) all += steps;
  std::size_t next = 0;
  const auto owed = [&](std::size_t i) { return wanted_[i] * all - own[i]; };
  for (std::size_t i = 1; i < own.size(); ++i)
    if (owed(i) > owed(next)) next = i;
  sides_[lane] = static_cast<int>(next) - 1;
}

void SideShares::count_step(std::size_t lane) {
  if (!takes_turns(lane)) return;
  const int whose = sides_[lane] + 1;  // all, then each side
  taken(lane)[static_cast<std::size_t>(whose)] += 1.0;
}

void SideShares::store(std::size_t lane, std::span<double> numbers) const {
  std::fill(numbers.begin(), numbers.end(), 0.0);
  numbers[0] = learning_side(lane);
  if (takes_turns(lane)) std::copy_n(taken(lane).begin(), wanted_.size(), numbers.begin() + 1);
}

bool SideShares::restore(std::size_t lane, std::span<const double> numbers) {
  if (!takes_turns(lane)) return numbers[0] == learning_side(lane);
  const auto fine = [](double steps) { return steps >= 0.0 && steps < 1e15; };
  const double side = numbers[0], most = static_cast<double>(wanted_.size()) - 2.0;
  if (!(side >= all_learn && side <= most && side == std::floor(side))) return false;
  if (!std::all_of(numbers.begin() + 1, numbers.end(), fine)) return false;
  sides_[lane] = static_cast<int>(side);
  std::copy(numbers.begin() + 1, numbers.end(), taken(lane).begin());
  return true;
}

}  // namespace zithercraft::learn_internal
