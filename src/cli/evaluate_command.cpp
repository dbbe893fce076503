#include <fmt/format.h>
#include <utility>

#include "base/json.hpp"
#include "cli/commands.hpp"
#include "cli/file_guard.hpp"
#include "cli/games.hpp"
#include "cli/progress.hpp"
#include "cli/table.hpp"
#include "evaluate/interval_text.hpp"
#include "evaluate/intervals_json.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/evaluate/evaluation.hpp"
#include "zithercraft/experiment/sweep.hpp"
#include "zithercraft/show/figures.hpp"

namespace zithercraft::cli {
using namespace evaluate_internal;
namespace {

void print_score(const Score& s) {
  fmt::print("{}: {} episodes of seed {}, {} actions{}, 95% intervals\n\n", s.game, s.episodes,
             s.seed, name_of(s.actions),
             s.as == TrainedAs::latest ? "" : fmt::format(" of the {}", name_of(s.as)));
  Table players(false);
  for (const PlayerScore& p : s.players) {
    std::vector<Table::Cell> row{text_cell("", p.name, 10, "player"),
                                 share_cell("", p.success, "{:.1f}", 24, "success %"),
                                 interval_cell("", p.episode_return, "{:.2f}", 24, "return"),
                                 interval_cell("", p.length, "{:.1f}", 24, "length")};
    if (&p == &s.players.front()) {
      row.push_back(text_cell("", "", 26, "trained minus it: success"));
      row.push_back(text_cell("", "", 1, "return"));
    } else {
      row.push_back(share_cell("", p.success_behind, "{:+.1f}", 26));
      row.push_back(interval_cell("", p.return_behind, "{:+.2f}", 1));
    }
    players.add(row);
  }
  players.end_part();
  for (const PlayerScore& p : s.players) {
    std::vector<Table::Cell> row{text_cell("", p.name, 10, "reward of")};
    for (const auto& [term, reward] : p.terms)
      row.push_back(interval_cell("", reward, "{:.2f}", 22, term));
    players.add(row);
  }
}

// The variants to evaluate in: those of a plan file, or all combinations of the values to vary.
std::vector<Variant> variants_of(const EvaluateCommand& c, const Run& run) {
  if (!c.variants.empty()) {
    if (!c.vary.empty())
      throw Error(ErrorKind::usage, "--vary and --variants cannot be given both", "evaluate",
                  "give one of them");
    const StudyPlan plan =
        load_plan(c.variants, [&](const std::string&) { return run.game_spec(); });
    for (const Variant& variant : plan.variants)
      if (!variant.method.empty() || !variant.learner.empty() || !variant.without.empty())
        throw Error(ErrorKind::usage,
                    "the variant '" + variant.name + "' changes more than keys of the game",
                    c.variants, "give variants with `set` alone");
    return plan.variants;
  }
  std::vector<GridAxis> axes;
  for (const std::string& text : c.vary) axes.push_back(parse_axis(text, "--vary"));
  if (axes.empty()) return {};
  return sweep_plan(StudyPlan{}, axes).variants;
}

bool playable_as_spec(const Run& run, const Variant& variant) {
  try {
    static_cast<void>(Game(measured_game(run.game_spec(), variant)));
    return true;
  } catch (const Error&) {
    return false;
  }
}

int evaluate_variants(const EvaluateCommand& c, const Run& run,
                      const std::vector<Variant>& variants, EvaluationOptions options,
                      ProgressLine& line) {
  Json list = Json::array();
  IntervalFigure figure{
      .title = run.folder().string() + ": how far the skill carries, 95% interval",
      .x_label = "success"};
  Table table(false);
  bool headed = false;
  std::int64_t before = 0;  // variants
  options.on_progress = [&](WorkProgress p) {
    const auto all = static_cast<std::int64_t>(variants.size());
    p.seconds_left += static_cast<double>((all - before - 1) * p.total) / p.per_second;
    p.done += before * p.total;
    p.total *= all;
    line.show(p, "episodes");
  };
  const auto show = [&](const Variant& variant) {
    const Score s = evaluate(run, measured_game(run.game_spec(), variant), options);
    line.wipe();
    list.push_back({{"variant", variant.name}, {"score", Json::parse(s.to_json())}});
    figure.rows.push_back({variant.name, with_range(in_percent(s.players[0].success), "{:.0f}%"),
                           s.players[0].success});
    if (c.json) return;
    if (!std::exchange(headed, true))
      fmt::print("{}: {} episodes of seed {} in each variant, 95% intervals; success %\n\n", s.game,
                 s.episodes, s.seed);
    std::vector<Table::Cell> row{text_cell("", variant.name, 34, "variant")};
    for (const PlayerScore& p : s.players)
      row.push_back(share_cell("", p.success, "{:.1f}", 24, p.name));
    row.push_back(
        interval_cell("", s.players[0].episode_return, "{:.2f}", 1, "return of the trained one"));
    table.add(row);
  };
  for (const Variant& variant : variants) {
    try {
      show(variant);
    } catch (const Error& error) {
      // Where a changed game cannot be played, that is what there is to say about it; a key that
      // leads nowhere, or a policy that does not fit, is a mistake.
      if (error.kind() != ErrorKind::spec || !playable_as_spec(run, variant)) throw;
      list.push_back({{"variant", variant.name}, {"error", error.what()}});
      if (!c.json)
        table.add({text_cell("", variant.name, 34),
                   text_cell("", fmt::format("cannot be played: {}", error.what()), 1)});
    }
    ++before;
  }
  if (c.json) fmt::print("{}\n", list.dump(2));
  if (!c.png.empty()) draw_intervals(c.png, figure);
  return done;
}

int evaluate_all_checkpoints(const EvaluateCommand& c, const EvaluationOptions& options,
                             ProgressLine& line) {
  const auto scores = evaluate_checkpoints(Run::open(c.run_folder), options);
  line.wipe();
  if (!c.png.empty()) draw_bands(c.png, figure_of(scores, c.run_folder));
  Table table(c.json);
  for (const CheckpointScore& score : scores)
    table.add({text_cell("checkpoint", score.checkpoint, 20, "checkpoint"),
               whole_cell("steps", score.steps, -12, "steps"),
               share_cell("success", score.success, "{:.1f}", 24, "success %"),
               interval_cell("return", score.episode_return, "{:.2f}", 1, "return")});
  if (c.json) fmt::print("{}\n", table.rows().dump(2));
  return done;
}

}  // namespace

int EvaluateCommand::run() const {
  FileGuard()
      .reads_player(run_folder)
      .reads_players(against)
      .reads_player(variants)
      .writes("--png", png)
      .writes("--csv", csv)
      .check(json);
  ProgressLine line(quiet);
  EvaluationOptions options{
      .episodes = episodes, .seed = seed, .actions = actions, .as = as, .threads = threads};
  if (checkpoints) {
    options.on_progress = line.of("episodes");
    return evaluate_all_checkpoints(*this, options, line);
  }
  for (const std::string& opponent : against) check_opponent(opponent);
  if (!against.empty()) options.against = against;
  const Run opened = Run::open(run_folder);
  // Whom it learned from is what it is measured by.
  for (const std::string& teacher : opened.settings().teachers)
    if (against.empty() && (teacher == "expert" || holds_run(teacher)))
      options.against.push_back(teacher);
  if (const auto list = variants_of(*this, opened); !list.empty()) {
    if (!csv.empty())
      throw Error(ErrorKind::usage, "--csv lists the episodes of one game", "evaluate",
                  "evaluate the variants one by one for it");
    return evaluate_variants(*this, opened, list, options, line);
  }
  if (!png.empty())
    throw Error(ErrorKind::usage, "--png draws variants or checkpoints", "evaluate",
                "give --vary, --variants or --checkpoints too");
  options.on_progress = line.of("episodes");
  const Score result = evaluate(opened, options);
  line.wipe();
  if (!csv.empty()) write_atomically(csv, result.to_csv());
  if (json) {
    fmt::print("{}\n", result.to_json());
  } else {
    print_score(result);
    if (!csv.empty()) fmt::print("\nepisodes: {}\n", csv);
  }
  return done;
}

}  // namespace zithercraft::cli
