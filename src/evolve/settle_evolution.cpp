#include <algorithm>
#include <array>
#include <cmath>

#include "zithercraft/base/error.hpp"
#include "zithercraft/evolve/evolution.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
namespace {

// Whether episodes differ by their keys: a few are played for some steps by one and the same
// controls, and looked at.
bool episodes_differ(const Game& game) {
  constexpr std::uint32_t lanes = 4;
  constexpr int looks = 20;
  const auto environment = make_environment(game, lanes, 1);
  std::vector<std::size_t> running;
  for (std::uint32_t lane = 0; lane < lanes; ++lane) {
    environment->begin(lane, {11, lane, lane});
    running.push_back(lane);
  }
  const auto differ = [&](std::size_t role) {
    const auto unlike = [](auto all) {  // each lane's numbers and the next one's
      const auto each = static_cast<std::ptrdiff_t>(all.size() / lanes);
      return !std::equal(all.begin() + each, all.end(), all.begin());
    };
    return unlike(environment->observations(role)) || unlike(environment->rewards(role));
  };
  for (int look = 0; look < looks && running.size() == lanes; ++look) {
    for (std::size_t role = 0; role < game.roles().size(); ++role) {
      if (differ(role)) return true;
      const auto& rest = game.roles()[role].rest;
      for (std::size_t row = 0; row < environment->rows(role); ++row)
        std::copy(rest.begin(), rest.end(), environment->control(role, row).begin());
    }
    environment->step_lanes(running);
    std::erase_if(running,
                  [&](std::size_t lane) { return environment->outcome(lane) != Outcome::running; });
  }
  return !running.empty() && running.size() < lanes;
}

// A game that cannot be played says so in the training, which knows where.
bool all_episodes_alike(const Game& game) {
  try {
    return !episodes_differ(game);
  } catch (const Error&) {
    return false;
  }
}

bool sides_are_opposed(const Game& game, std::span<const RolePlayer> players) {
  for (std::size_t a = 0; a < players.size(); ++a)
    for (std::size_t b = 0; b < a; ++b)
      if (!players[a].player && !players[b].player && opposed(game.roles()[a], game.roles()[b]))
        return true;
  return false;
}

// Where there is little to play, it is better spent on more individuals than on the same ones again
// and again; but what single episodes say differs much in long games.
std::int64_t episodes_each(EvolutionMethod method, double affordable) {
  constexpr double few_individuals = 20.0;  // which it takes whatever there is to play
  if (method == EvolutionMethod::cma)
    return std::clamp<std::int64_t>(std::lround(affordable / few_individuals), 1, 4);
  constexpr double for_one = 250.0, for_each_more = 60.0;  // in a generation
  return std::clamp<std::int64_t>(1 + std::lround((affordable - for_one) / for_each_more), 1, 4);
}

}  // namespace

EvolutionSettings settled(EvolutionSettings s, const Game& game, Budget budget,
                          std::span<const RolePlayer> players) {
  constexpr double generations = 120.0;
  constexpr std::int64_t most_episodes = 4, finals_each = 4;
  const bool alike = (!s.episodes || !s.final_episodes) && all_episodes_alike(game);
  double seats = 0.0;
  for (std::size_t r = 0; r < players.size(); ++r)
    if (!players[r].player) seats += static_cast<double>(game.roles()[r].seats.size());
  // Episodes of one generation, if each lasts half as long as it may.
  const double steps = 0.5 * static_cast<double>(game.spec().cutoffs.steps) * std::max(1.0, seats),
               affordable = static_cast<double>(budget.steps) / generations / steps;
  const bool counted = budget.updates > 0 || sides_are_opposed(game, players);
  if (!s.episodes)
    s.episodes = alike ? 1 : counted ? most_episodes : episodes_each(s.method, affordable);
  if (!s.final_episodes) s.final_episodes = alike ? 1 : finals_each * *s.episodes;
  const auto individuals = [&](std::int64_t fewest) {
    constexpr std::int64_t usual = 256;
    if (counted) return usual;
    const std::int64_t most = *s.episodes > 1 || alike ? usual : usual / 2;
    const double pairs = affordable / static_cast<double>(*s.episodes) / 2.0;
    return std::clamp<std::int64_t>(2 * std::lround(pairs), fewest, most);
  };
  if (!s.genetic.population) s.genetic.population = individuals(64);
  if (!s.strategy.population) s.strategy.population = individuals(32);
  // A short training has few generations to get anywhere; a long one gets farther by small changes.
  if (!s.strategy.learning_rate)
    s.strategy.learning_rate = *s.episodes == 1 && !counted ? 0.4 : 0.2;
  return s;
}

}  // namespace zithercraft
