#include <algorithm>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/study/score.hpp"

namespace zithercraft {
namespace {

std::vector<std::string> names_of(const Crew& crew) {
  std::vector<std::string> names;
  for (const Pilot* pilot : crew.pilots()) names.push_back(pilot->name());
  return names;
}

}  // namespace

void record(const Run& run, const std::filesystem::path& file, const RecordOptions& options) {
  if (options.episodes < 1) throw Error(Fault::usage, "no episode to record", "episodes", "give at least 1");
  const Game game = run.game();
  Policy policy = run.policy(options.checkpoint);
  const Crew crew(game, policy_pilot(game, 0, policy), options.seed);
  ReplayWriter writer(file, game,
                      {game.spec().name, to_toml(game.spec()), names_of(crew), options.seed, library_version()});
  const std::size_t seats = game.roles()[0].seats.size();
  std::size_t all_seats = 0, all_odds = 0;
  for (const Role& role : game.roles()) {
    all_seats += role.seats.size();
    all_odds += role.seats.size() * odds_of(role.controls);
  }
  std::vector<float> memory(seats * policy.memory());  // the pilot has its own
  // Nobody estimates what other roles may expect.
  std::vector<float> values(all_seats), odds(all_odds);
  for (std::int64_t e = 0; e < options.episodes; ++e)
    play_one(game, crew.hands(), {derived_seed(options.seed, "score"), 0, static_cast<std::uint32_t>(e)},
             [&](const Lanes& lanes) {
               if (lanes.decisions(0) == 0) std::fill(memory.begin(), memory.end(), 0.0f);
               policy.values(lanes.observations(0), std::span(values).first(seats), memory);
               policy.odds(lanes.observations(0), std::span(odds).first(seats * odds_of(game.roles()[0].controls)),
                           memory);
               writer.add(lanes, 0, {values, odds});
             });
  writer.finish();
}

}  // namespace zithercraft
