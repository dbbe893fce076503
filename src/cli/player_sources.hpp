#pragma once

#include <string>
#include <vector>

#include "cli/games.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/evaluate/matches.hpp"

namespace zithercraft::cli {

/// Every kept checkpoint of a run, if one is named, and then the players by their names.
inline std::vector<PlayerSource> find_players(const std::string& all_of,
                                              const std::vector<std::string>& names,
                                              TrainedAs as = TrainedAs::latest) {
  std::vector<PlayerSource> list;
  if (!all_of.empty()) list = checkpoint_players(Run::open(all_of), as);
  for (const std::string& name : names) list.push_back(PlayerSource::find(name, as));
  return list;
}

/// The game that is named, or else that of the first player that has one.
inline GameSpec game_of(const std::vector<PlayerSource>& players, const std::string& game,
                        const std::vector<std::string>& set) {
  if (!game.empty()) return find_game(game, set);
  for (const PlayerSource& player : players)
    if (auto own = player.game()) return with_assignments(*own, set);
  throw Error(ErrorKind::usage, "no player says which game is played", "players",
              "give --game GAME");
}

}  // namespace zithercraft::cli
