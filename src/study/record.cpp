#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/study/score.hpp"

namespace zithercraft {

void record(const Run& run, const std::filesystem::path& file, const RecordOptions& options) {
  if (options.episodes < 1) throw Error(Fault::usage, "no episode to record", "episodes", "give at least 1");
  const Game game = run.game();
  Policy policy = run.policy(options.checkpoint);
  const auto pilot = policy_pilot(game, 0, policy);
  ReplayWriter writer(file, game,
                      {game.spec().name, to_toml(game.spec()), {pilot->name()}, options.seed, library_version()});
  const std::size_t seats = game.roles()[0].seats.size();
  std::vector<float> values(seats), odds(seats * odds_of(game.roles()[0].controls));
  for (std::int64_t e = 0; e < options.episodes; ++e)
    play_one(game, {pilot.get()}, {derived_seed(options.seed, "score"), 0, static_cast<std::uint32_t>(e)},
             [&](const Lanes& lanes) {
               policy.values(lanes.observations(0), values);
               policy.odds(lanes.observations(0), odds);
               writer.add(lanes, 0, {values, odds});
             });
  writer.finish();
}

}  // namespace zithercraft
