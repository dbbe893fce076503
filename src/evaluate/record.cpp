#include <algorithm>
#include <optional>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/evaluate/evaluation.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/run/player_source.hpp"

namespace zithercraft {
namespace {

// The player of a role in a recording, and its estimates: none, unless a policy of the run plays.
struct RecordedRole {
  std::unique_ptr<Player> player;
  std::optional<Policy> policy;
  std::vector<float> memory;  // the player has its own
  std::size_t first_value = 0, values = 0, first_probability = 0, probabilities = 0;
};

std::vector<RecordedRole> recorded_roles(const Game& game, const Run& run,
                                         const RecordOptions& options) {
  const auto file = run.checkpoint_file(options.checkpoint);
  const auto players = role_players(game, run.settings());
  std::vector<RecordedRole> roles;
  std::size_t values = 0, probabilities = 0;
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const Role& role = game.roles()[r];
    RecordedRole& own = roles.emplace_back();
    own.first_value = values;
    own.first_probability = probabilities;
    own.values = role.seats.size();
    own.probabilities = role.seats.size() * probability_count(role.controls);
    values += own.values;
    probabilities += own.probabilities;
    if (players[r].player) {
      own.player = players[r].player->copy();
      continue;
    }
    own.policy = Policy::load(file, role.name, game.roles()[role.mirrors].name);
    own.player = policy_player(game, r, *own.policy, options.actions, options.seed);
    own.memory.resize(role.seats.size() * own.policy->memory());
  }
  return roles;
}

}  // namespace

void record(const Run& run, const std::filesystem::path& file, const RecordOptions& options) {
  if (options.episodes < 1)
    throw Error(ErrorKind::usage, "no episode to record", "episodes", "give at least 1");
  run.refuse_own_file(file);
  const Game game = run.game();
  auto roles = recorded_roles(game, run, options);
  std::vector<Player*> lineup;
  ReplayInfo info{game.spec().name, to_toml(game.spec()), {}, options.seed, library_version()};
  for (const RecordedRole& role : roles) {
    lineup.push_back(role.player.get());
    info.players.push_back(role.player->name());
  }
  ReplayWriter writer(file, game, info);
  std::vector<float> values(roles.back().first_value + roles.back().values),
      probabilities(roles.back().first_probability + roles.back().probabilities);
  for (std::int64_t e = 0; e < options.episodes; ++e)
    play_one(game, lineup, {derived_seed(options.seed, "score"), 0, static_cast<std::uint32_t>(e)},
             [&](const Environment& environment) {
               for (std::size_t r = 0; r < roles.size(); ++r) {
                 RecordedRole& role = roles[r];
                 if (!role.policy) continue;
                 if (environment.steps(0) == 0)
                   std::fill(role.memory.begin(), role.memory.end(), 0.0f);
                 if (role.policy->knows_values())
                   role.policy->values(environment.observations(r),
                                       std::span(values).subspan(role.first_value, role.values),
                                       role.memory);
                 role.policy->probabilities(
                     environment.observations(r),
                     std::span(probabilities).subspan(role.first_probability, role.probabilities),
                     role.memory);
               }
               writer.add(environment, 0, {values, probabilities});
             });
  writer.finish();
}

}  // namespace zithercraft
