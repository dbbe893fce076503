#include "evaluate/recorded_episode.hpp"

#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft::evaluate_internal {

void record_episode(const std::filesystem::path& file, const Game& game,
                    const std::vector<std::unique_ptr<Player>>& players, EpisodeKey key,
                    std::uint64_t seed) {
  std::vector<std::unique_ptr<Player>> own;
  std::vector<Player*> lineup;
  ReplayInfo info{game.spec().name, to_toml(game.spec()), {}, seed, library_version()};
  for (const auto& player : players) {
    own.push_back(player->copy());
    lineup.push_back(own.back().get());
    info.players.push_back(own.back()->name());
  }
  ReplayWriter writer(file, game, info);
  play_one(game, lineup, key, [&](const Environment& environment) { writer.add(environment, 0); });
  writer.finish();
}

}  // namespace zithercraft::evaluate_internal
