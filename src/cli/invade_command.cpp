#include <fmt/format.h>

#include "cli/commands.hpp"
#include "cli/file_guard.hpp"
#include "cli/games.hpp"
#include "cli/player_sources.hpp"
#include "cli/progress.hpp"
#include "cli/table.hpp"
#include "evaluate/interval_text.hpp"
#include "zithercraft/evaluate/invasion.hpp"

namespace zithercraft::cli {
using namespace evaluate_internal;

int InvadeCommand::run() const {
  FileGuard().reads(game).reads_players(players).check(json);
  const std::vector<PlayerSource> list = find_players("", players);
  ProgressLine line(quiet);
  const InvasionTable t = measure_invasion(game_of(list, game, set), list,
                                           {.role = role,
                                            .share = share,
                                            .episodes = episodes,
                                            .seed = seed,
                                            .actions = actions,
                                            .threads = threads,
                                            .on_progress = line.of("episodes")});
  line.wipe();
  if (json) {
    fmt::print("{}\n", t.to_json());
    return done;
  }
  fmt::print(
      "{}: {} of {} seats of '{}' by one player, all others by another; {} episodes of each pair, "
      "{} "
      "actions; returns per seat\n\n",
      t.game, t.few, t.seats, t.role, t.episodes, name_of(actions));
  Table table(false);
  for (const Invasion& row : t.rows)
    table.add({text_cell("", row.invader, 20, "few"), text_cell("", row.resident, 20, "among"),
               text_cell("", with_range(row.few, "{:.2f}"), 26, "return of the few"),
               text_cell("", with_range(row.many, "{:.2f}"), 26, "of the others"),
               text_cell("", with_range(row.difference, "{:+.2f}"), 28, "difference"),
               text_cell("",
                         row.difference.low > 0.0    ? "they do better"
                         : row.difference.high < 0.0 ? "they do worse"
                                                     : "not shown",
                         1, "")});
  return done;
}

}  // namespace zithercraft::cli
