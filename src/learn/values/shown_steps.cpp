#include "learn/values/shown_steps.hpp"

#include <algorithm>

#include "zithercraft/net/heads.hpp"

namespace zithercraft::learn_internal {

std::vector<const Demonstration*> demonstrations_of(const Demonstrations* all,
                                                    std::span<const std::size_t> roles) {
  std::vector<const Demonstration*> own;
  if (all == nullptr) return own;
  for (const Demonstration& one : all->list)
    if (one.steps() > 0 && std::find(roles.begin(), roles.end(), one.role) != roles.end())
      own.push_back(&one);
  return own;
}

Experience experience_of(std::span<const Demonstration* const> demonstrations, const Role& role,
                         const Heads& heads, double discount, const KeptBesides& besides,
                         bool wanted) {
  const std::size_t columns = role.columns.size(), controls = role.controls.size();
  std::size_t places = 0;
  for (const Demonstration* one : demonstrations) places += one->steps() + 1;
  Experience kept(role, 1, std::max<std::size_t>(2, places), besides);
  std::vector<float> action(controls);
  for (const Demonstration* each : demonstrations) {
    const Demonstration& one = *each;
    const auto senses = [&](std::size_t step) {
      return std::span(one.senses).subspan(step * columns, columns);
    };
    for (std::size_t step = 0; step < one.steps(); ++step) {
      heads.action_of(
          std::span(wanted ? one.wanted() : one.controls).subspan(step * controls, controls),
          action);
      if (one.present[step] != 0)
        kept.act(0, senses(step), action);
      else
        kept.miss(0, senses(step));
      kept.reward(0, one.rewards[step], discount);
    }
    kept.end(0, one.outcome == Outcome::cutoff ? senses(one.steps()) : std::span<const float>{});
  }
  kept.take_stock([](std::size_t, bool) {});
  return kept;
}

}  // namespace zithercraft::learn_internal
