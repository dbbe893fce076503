#include <fmt/format.h>

#include "cli/commands.hpp"
#include "cli/file_guard.hpp"
#include "cli/player_sources.hpp"
#include "cli/progress.hpp"
#include "cli/table.hpp"
#include "evaluate/interval_text.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/evaluate/best_response.hpp"
#include "zithercraft/evaluate/matches.hpp"
#include "zithercraft/show/figures.hpp"

namespace zithercraft::cli {
using namespace evaluate_internal;
namespace {

void print_table(const MatchTable& t) {
  fmt::print("{}: {} episodes of seed {} in each seating, {} actions, {}; 95% intervals\n\n",
             t.game, t.options.episodes, t.options.seed, name_of(t.options.actions),
             t.options.decided_by == DecidedBy::verdict ? "cut off is a draw"
                                                        : "cut off, the greater return wins");
  std::size_t width = 8;
  for (const std::string& name : t.players) width = std::max(width, name.size());
  Table table(false);
  const auto name_width = static_cast<int>(width);
  for (std::size_t p = 0; p < t.players.size(); ++p) {
    const Rating& rating = t.ratings[p];
    table.add(
        {text_cell("", t.players[p], name_width, "player"),
         text_cell("", fmt::format("{:.0f}", rating.points), -9, "rating"),
         text_cell("", p == 0 ? "" : fmt::format("[{:.0f}, {:.0f}]", rating.low(), rating.high()),
                   1)});
  }
  table.end_part();
  const auto seating = [](const Tally& tally) {
    return tally.played() == 0.0
               ? std::string("not played")
               : fmt::format("{:.0f}-{:.0f}-{:.0f}", tally.wins, tally.draws, tally.losses);
  };
  const auto number = [](double n, const char* heading, int number_width) {
    return text_cell("", fmt::format("{:.0f}", n), number_width, heading);
  };
  for (const Pairing& m : t.pairings)
    table.add({text_cell("", fmt::format("{} against {}", t.players[m.a], t.players[m.b]),
                         2 * name_width + 9, "of the first against"),
               number(m.tally.wins, "won", -7), number(m.tally.draws, "drawn", -6),
               number(m.tally.losses, "lost", -6), share_cell("", m.share, "{:.1f}", 22, "share %"),
               share_cell("", m.decided_share, "{:.1f}", 22, "of decided %"),
               text_cell("", seating(m.by_side[0]), 18, fmt::format("as {}", t.sides[0])),
               text_cell("", seating(m.by_side[1]), 18, fmt::format("as {}", t.sides[1])),
               text_cell("", fmt::format("{:.2f} and {:.2f}", m.a_return.mean, m.b_return.mean), 1,
                         "returns")});
  if (t.pairings.size() == 1) {
    const Pairing& m = t.pairings.front();
    for (const auto& [player, terms] : {std::pair(m.a, m.a_terms), std::pair(m.b, m.b_terms)}) {
      fmt::print("\npaid to {:<{}}", t.players[player], width);
      for (const auto& [term, reward] : terms)
        fmt::print("  {} {}", term, with_range(reward, "{:.2f}"));
    }
    fmt::print("\n");
  }
  for (const auto& [a, b, c] : t.cycles)
    fmt::print("\na cycle: {} beats {}, which beats {}, which beats the first", t.players[a],
               t.players[b], t.players[c]);
  if (!t.cycles.empty()) fmt::print("\n");
  for (const NotableEpisode& e : t.notable)
    fmt::print("\n{}: episode {}, {} against {}: {}", e.why, e.episode, e.first, e.second,
               e.replay);
  if (!t.notable.empty()) fmt::print("\n");
}

void print_exploitability(const Exploitability& e) {
  const std::string who =
      e.as == TrainedAs::latest ? e.player : fmt::format("the {} of {}", name_of(e.as), e.player);
  fmt::print(
      "{}: a best response to {} on each side, trained for {} steps; {} actions, {} episodes of "
      "seed {}, 95% intervals\n\n",
      e.game, who, e.options.steps, name_of(e.actions), e.options.episodes, e.options.seed);
  Table table(false);
  for (const BestResponse& r : e.responses)
    table.add({text_cell("side", r.side, 14, "response as"),
               interval_cell("return_against", r.return_against, "{:.3f}", 26, "its return"),
               interval_cell("player_return", r.player_return, "{:.3f}", 26, "the player's there"),
               interval_cell("gain", r.gain, "{:+.3f}", 1, "gain")});
  fmt::print("\nexploitability (sum of gains): {}\n", with_range(e.sum, "{:.3f}"));
}

int respond(const MatchCommand& c, ProgressLine& line) {
  const PlayerSource player = PlayerSource::find(c.best_response, c.as);
  const Exploitability found = exploitability(game_of({player}, c.game, c.set), player,
                                              {.steps = c.steps,
                                               .episodes = c.episodes,
                                               .seed = c.seed,
                                               .actions = c.actions,
                                               .threads = c.threads,
                                               .on_progress = line.of("steps")});
  line.wipe();
  if (c.json) {
    fmt::print("{}\n", found.to_json());
  } else {
    print_exploitability(found);
  }
  return done;
}

}  // namespace

int MatchCommand::run() const {
  FileGuard()
      .reads(game)
      .reads_player(all)
      .reads_player(best_response)
      .reads_players(players)
      .writes("--png", png)
      .check(json);
  ProgressLine line(quiet);
  if (!best_response.empty()) return respond(*this, line);
  const std::vector<PlayerSource> list = find_players(all, players, as);
  const MatchTable table =
      play_matches(game_of(list, game, set), list,
                   {.episodes = episodes,
                    .seed = seed,
                    .actions = actions,
                    .decided_by = by_return ? DecidedBy::returns : DecidedBy::verdict,
                    .replays = replays,
                    .threads = threads,
                    .on_progress = line.of("episodes")});
  line.wipe();
  if (!png.empty()) draw_heatmap(png, figure_of(table));
  if (json) {
    fmt::print("{}\n", table.to_json());
    return done;
  }
  print_table(table);
  if (!png.empty()) fmt::print("\ntable: {}\n", png);
  return done;
}

}  // namespace zithercraft::cli
