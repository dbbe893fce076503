#include <fmt/format.h>
#include <algorithm>
#include <charconv>
#include <utility>

#include "cli/commands.hpp"
#include "cli/file_guard.hpp"
#include "cli/games.hpp"
#include "cli/player_sources.hpp"
#include "cli/progress.hpp"
#include "cli/table.hpp"
#include "evaluate/interval_text.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/evaluate/behaviour.hpp"
#include "zithercraft/show/figures.hpp"

namespace zithercraft::cli {
using namespace evaluate_internal;
namespace {

int width_of(const std::vector<std::string>& names) {
  std::size_t width = 8;
  for (const std::string& name : names) width = std::max(width, name.size());
  return static_cast<int>(width);
}

// What differs between two players is marked; what both do alike is not.
bool differs(const Interval& difference) { return difference.low > 0.0 || difference.high < 0.0; }

void print_comparison(const BehaviourTable& t) {
  Table table(false);
  for (std::size_t m = 0; m < t.measures.size(); ++m) {
    std::vector<Table::Cell> line{text_cell("", t.measures[m], width_of(t.measures))};
    for (std::size_t p = 0; p < t.rows.size(); ++p) {
      const BehaviourRow& row = t.rows[p];
      std::string text = with_range(row.values[m], "{:.3g}");
      if (p > 0 && differs(row.differences[m]))
        text += "  " + plain_number(row.differences[m].mean, "{:+.3g}");
      line.push_back(text_cell("", text, 41, row.player));
    }
    table.add(line);
  }
  if (t.rows.size() < 2) return;
  fmt::print(
      "\nA difference from the first player is named where its 95% interval, episode by episode, "
      "leaves out 0.\n");
  for (std::size_t p = 1; p < t.rows.size(); ++p)
    fmt::print("places: {:.0f}% of the time elsewhere than with {} ({:.0f}% by chance): {}\n",
               100 * t.rows[p].elsewhere, t.rows[0].player, 100 * t.rows[p].elsewhere_by_chance,
               t.rows[p].player);
}

// Of many checkpoints a few, and what became of each measure.
void print_course(const BehaviourTable& t, const std::vector<double>& steps) {
  constexpr std::size_t most_columns = 7;
  const std::size_t n = t.rows.size(), shown = std::min(n, most_columns);
  std::vector<std::size_t> columns;
  for (std::size_t c = 0; c < shown; ++c) columns.push_back(c * (n - 1) / (shown - 1));
  Table table(false);
  for (std::size_t m = 0; m < t.measures.size(); ++m) {
    std::vector<Interval> values;
    for (const BehaviourRow& row : t.rows) values.push_back(row.values[m]);
    std::vector<Table::Cell> line{text_cell("", t.measures[m], width_of(t.measures))};
    for (const std::size_t p : columns)
      line.push_back(text_cell("", plain_number(values[p].mean, "{:.3g}"), -10,
                               fmt::format("{:.2f}M", steps[p] / 1e6)));
    line.push_back(text_cell("", course_of(values), 1, fmt::format("over all {}", n)));
    table.add(line);
  }
}

WayOfLiving way_of(const std::string& text) {
  const std::size_t equals = text.rfind('=');
  WayOfLiving way{text.substr(0, equals)};
  if (equals == std::string::npos) return way;
  const std::string worth = text.substr(equals + 1);
  const auto [end, code] = std::from_chars(worth.data(), worth.data() + worth.size(), way.worth);
  if (code != std::errc() || end != worth.data() + worth.size() || way.event.empty())
    throw Error(ErrorKind::usage, "'" + text + "' is no way of living", "--way",
                "write EVENT or EVENT=WORTH with a number, like 'mob tern=3'");
  return way;
}

}  // namespace

int BehaviourCommand::run() const {
  FileGuard()
      .reads(game)
      .reads_player(all)
      .reads_players(players)
      .reads_player(others)
      .writes("--png", png)
      .check(json);
  std::vector<WayOfLiving> ways_of_living;
  for (const std::string& text : ways) ways_of_living.push_back(way_of(text));
  const std::vector<PlayerSource> list = find_players(all, players);
  ProgressLine line(quiet);
  const BehaviourTable table = measure_behaviour(game_of(list, game, set), list,
                                                 {.seat = seat,
                                                  .as = as,
                                                  .others = others,
                                                  .episodes = episodes,
                                                  .seed = seed,
                                                  .actions = actions,
                                                  .square = square,
                                                  .ways = std::move(ways_of_living),
                                                  .region = region,
                                                  .threads = threads,
                                                  .on_progress = line.of("episodes")});
  line.wipe();
  const bool course = !all.empty() && players.empty() && list.size() > 2;
  const std::vector<double> trained_for =
      course ? steps_of_checkpoints(Run::open(all)) : std::vector<double>{};
  if (!png.empty()) {
    if (list.size() < 2)
      throw Error(ErrorKind::usage, "one player has nothing to differ from", "--png",
                  "name another to compare with");
    if (course) {
      draw_bands(png, course_figure(table, trained_for, draw));
    } else {
      draw_intervals(png, figure_of(table, draw));
    }
  }
  if (json) {
    fmt::print("{}\n", table.to_json());
    return done;
  }
  fmt::print("{}: {}, {} episodes of each player, {} actions\n\n", table.game,
             seat.empty() ? "how they behave"
                          : fmt::format("how the others behave when {} is played by", seat),
             table.episodes, name_of(actions));
  if (table.replayed_differently > 0)
    fmt::print(
        "note: in {} of the recorded episodes the others did not do what they had done then; give "
        "--others as in "
        "the recording\n\n",
        table.replayed_differently);
  for (const std::string& event : table.never_done) fmt::print("note: nobody did '{}'\n\n", event);
  if (course) {
    print_course(table, trained_for);
  } else {
    print_comparison(table);
  }
  if (!png.empty()) fmt::print("\nfigure: {}\n", png);
  return done;
}

}  // namespace zithercraft::cli
