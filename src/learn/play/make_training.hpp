#pragma once

#include <memory>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "learn/play/training.hpp"

namespace zithercraft::learn_internal {

/// A training by a method's settings, of which roles may have their own; all play in the same lanes
/// for as many steps. `settings_for` says how a training plays by settings that are all set.
template <class Settings, class Trained, class SettingsFor>
std::unique_ptr<Learner> make_training(LearnerContext c, SettingsFor settings_for) {
  const auto settle = [&](const Settings& settings) {
    return settled(settings, c.game, c.budget.steps, c.players);
  };
  const Settings all = settle(c.settings.as<Settings>());
  check_length(c.budget, c.settings.method());
  return std::make_unique<Training>(
      c.game, settings_for(all), c.seed, c.budget, c.pool, c.processes, c.players, c.demonstrations,
      [&](TrainingContext& context, std::vector<std::size_t> roles,
          const LearnerSettings* of_role) -> std::unique_ptr<Trainee> {
        Settings own = of_role != nullptr ? of_role->as<Settings>() : all;
        own.lanes = all.lanes;
        own.horizon = all.horizon;
        return std::make_unique<Trained>(context, std::move(roles), settle(own));
      });
}

/// LearningMethod::settle of such a method.
template <class Settings>
LearnerSettings settle_training(const LearnerSettings& settings, const Game& game, Budget budget,
                                std::span<const RolePlayer> players) {
  return settled(settings.as<Settings>(), game, budget.steps, players);
}

}  // namespace zithercraft::learn_internal
