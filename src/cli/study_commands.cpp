#include <fmt/format.h>
#include <algorithm>
#include <charconv>
#include <cmath>

#include "base/json.hpp"
#include "cli/commands.hpp"
#include "cli/file_guard.hpp"
#include "cli/games.hpp"
#include "cli/progress.hpp"
#include "cli/signals.hpp"
#include "cli/table.hpp"
#include "evaluate/interval_text.hpp"
#include "evaluate/intervals_json.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/experiment/ablation.hpp"
#include "zithercraft/experiment/comparison.hpp"
#include "zithercraft/experiment/measure.hpp"
#include "zithercraft/experiment/sweep.hpp"
#include "zithercraft/run/methods.hpp"
#include "zithercraft/show/figures.hpp"

namespace zithercraft::cli {
using namespace evaluate_internal;
namespace {

using evaluate_internal::json_of;

std::int64_t whole(const std::string& text) {
  std::int64_t number = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (error != std::errc{} || end != text.data() + text.size() || number < 0)
    throw Error(ErrorKind::usage, "'" + text + "' is no seed", "--seeds",
                "give whole numbers from 0 on, like 1,2,3");
  return number;
}

// The plan of a study that begins with a game. What is not given stays as in the study that is
// resumed.
StudyPlan plan_of(const StudyRunFlags& flags, const StudyFlags& study, const std::string& name) {
  StudyPlan plan;
  if (study.resume) {
    plan = Study::open(study.folder).plan();
    plan.variants.clear();
  }
  plan.name = name;
  plan.games = {find_game(flags.game, flags.set)};
  plan.steps = flags.steps.value_or(plan.steps);
  plan.episodes = flags.episodes.value_or(plan.episodes);
  if (!flags.seeds.empty()) {
    plan.seeds.clear();
    for (const std::uint64_t seed : parse_seeds(flags.seeds))
      plan.seeds.push_back(static_cast<std::int64_t>(seed));
  }
  if (!flags.measures.empty()) plan.measures = flags.measures;
  if (!flags.method.empty() && flags.method != plan.learner.method()) {
    if (study.resume)
      throw Error(ErrorKind::refused, "the study trains by " + plan.learner.method(), "--method",
                  "leave it out, or start a new study");
    plan.learner = learning_method(flags.method).settings;
  }
  for (const std::string& setting : flags.learner) plan.learner.set(setting);
  if (!flags.teachers.empty()) plan.teachers = flags.teachers;
  return plan;
}

// Says which option helps where the folder cannot be used as the options say.
void check_folder(const StudyFlags& flags) {
  const bool there = holds_study(flags.folder);
  if (there && !flags.resume && !flags.fresh)
    throw Error(ErrorKind::refused, "the folder holds a study already", flags.folder,
                "use --resume to continue or extend it, --fresh to delete it and start again, or "
                "another folder");
  if (!there && flags.resume)
    throw Error(ErrorKind::refused, "there is no study to resume", flags.folder,
                "leave out --resume");
}

// The study as it then stands; none in a process that only worked for the first.
std::optional<Study> run(const StudyPlan& plan, const StudyFlags& flags) {
  const auto processes = join_process_group(Together::handing_out);
  const bool first = processes == nullptr || processes->number() == 0;
  StudyOptions options;
  options.processes = processes.get();
  options.folder = flags.folder;
  options.threads = flags.threads;
  options.existing = flags.resume  ? Existing::resume
                     : flags.fresh ? Existing::fresh
                                   : Existing::refuse;
  options.stop = &stop_on_signal();
  if (first) check_folder(flags);
  ProgressLine line(flags.quiet);
  options.on_progress = [&](const StudyProgress& p) { line.show(p); };
  Study study = run_study(plan, options);
  line.close();
  return first ? std::optional(std::move(study)) : std::nullopt;
}

Json json_of(const Study& study) {
  Json j{{"study", study.folder().string()},
         {"name", study.plan().name},
         {"steps", study.plan().steps},
         {"episodes", study.plan().episodes},
         {"runs", study.runs().size()},
         {"done", study.count(StudyRunStatus::done)},
         {"failed", study.count(StudyRunStatus::failed)},
         {"results", Json::array()}};
  for (const StudyRun& run : study.runs()) {
    Json t{{"game", run.game},
           {"variant", run.variant},
           {"seed", run.seed},
           {"status", name_of(run.status)}};
    for (std::size_t m = 0; m < run.measured.size(); ++m)
      t[study.plan().measures[m]] = json_of(run.measured[m]);
    if (!run.error.empty()) t["error"] = run.error;
    j["results"].push_back(std::move(t));
  }
  return j;
}

// What all studies say at their end; the exit status.
int end(const Study& study, bool json, const Json& found) {
  const auto page = study.folder() / "report.html";
  write_study_page(page, study);
  const std::size_t left = study.count(StudyRunStatus::unfinished);
  if (json) {
    Json j = json_of(study);
    j["found"] = found;
    j["report"] = page.string();
    fmt::print("{}\n", j.dump(2));
    return left == 0 ? done : stopped_by_signal;
  }
  for (const StudyRun& run : study.runs())
    if (run.status == StudyRunStatus::failed)
      fmt::print("failed: {}, {}, seed {}: {}\n", run.game, run.variant, run.seed, run.error);
  if (const std::string few = too_few_seeds(study.plan().seeds.size()); !few.empty())
    fmt::print("{}\n", few);
  if (left > 0)
    fmt::print("{} of {} runs are unfinished; continue with the same command and --resume\n", left,
               study.runs().size());
  fmt::print("report: {}\n", page.string());
  return left == 0 ? done : stopped_by_signal;
}

// A measure's name as part of a file's.
std::string file_name(std::string measure) {
  std::replace_if(
      measure.begin(), measure.end(), [](char c) { return c == '/' || c == ' '; }, '_');
  return measure + ".png";
}

void print_cells(const SweepTable& table) {
  fmt::print("\n{}: {} (interquartile mean over seeds, and its 95% interval)\n", table.game,
             table.measure);
  const bool flat = table.y.key.empty();
  Table rows(false);
  for (std::size_t y = table.y.values.size(); y-- > 0;) {  // as in the picture: upwards
    std::vector<Table::Cell> row{
        text_cell("", flat ? "" : text_of(table.y.values[y]), -24,
                  flat ? table.x.key : table.y.key + " \\ " + table.x.key)};
    for (std::size_t x = 0; x < table.x.values.size(); ++x) {
      const auto& cell = table.cells[y * table.x.values.size() + x];
      const std::string text = cell.value ? with_range(*cell.value, "{:.2f}") : "unfinished";
      row.push_back(text_cell("", text, -19, text_of(table.x.values[x])));
    }
    rows.add(row);
  }
}

}  // namespace

std::vector<std::uint64_t> parse_seeds(const std::string& text) {
  std::vector<std::uint64_t> seeds;
  for (std::size_t first = 0; first <= text.size();) {
    const std::size_t comma = std::min(text.find(',', first), text.size());
    seeds.push_back(static_cast<std::uint64_t>(whole(text.substr(first, comma - first))));
    first = comma + 1;
  }
  return seeds;
}

int SweepCommand::run() const {
  std::vector<GridAxis> axes;
  for (const std::string& text : grid) axes.push_back(parse_axis(text, "--grid"));
  const StudyPlan plan = sweep_plan(plan_of(runs, study, "sweep"), axes);
  const auto ran = cli::run(plan, study);
  if (!ran) return done;
  const Study& result = *ran;
  Json found = Json::array();
  for (const std::string& measure : result.plan().measures) {
    const SweepTable table = sweep_table(result, measure);
    draw_heatmap(result.folder() / file_name(measure), figure_of(table));
    if (!json) print_cells(table);
    for (std::size_t k = 0; k < table.cells.size(); ++k) {
      const auto& cell = table.cells[k];
      Json c{{"measure", measure},
             {table.x.key, text_of(table.x.values[k % table.x.values.size()])}};
      if (!table.y.key.empty()) c[table.y.key] = text_of(table.y.values[k / table.x.values.size()]);
      c["runs"] = cell.runs;
      c["value"] = cell.value ? json_of(*cell.value) : Json();
      found.push_back(std::move(c));
    }
  }
  if (!json) fmt::print("\n");
  return end(result, json, found);
}

int AblateCommand::run() const {
  const AblationParts parts{.terms = only != "senses", .senses = only != "terms"};
  const auto ran = cli::run(ablation_plan(plan_of(runs, study, "ablation"), parts), study);
  if (!ran) return done;
  const Study& result = *ran;
  Table table(json);
  for (const std::string& measure : result.plan().measures) {
    const auto rows = ablation_table(result, measure);
    if (const auto figure = figure_of(rows, result.plan().games[0].name, measure);
        !figure.rows.empty())
      draw_intervals(result.folder() / file_name(measure), figure);
    for (const AblationRow& row : rows) {
      const bool part = !row.part.empty();
      table.add(
          {{"measure", measure},
           {"without", row.part, measure, part ? "without " + row.part : "as it is", 24},
           {"runs", row.runs, "runs", fmt::format("{}/{}", row.runs, row.of), -7},
           {"value", json_of(row.value), "value",
            row.runs == 0 ? "unfinished" : with_range(row.value, "{:.3f}"), 26},
           {"effect", part ? json_of(row.effect) : Json(), "loss without it",
            part && row.runs > 0 ? with_range(row.effect, "{:+.3f}") : "", 28},
           {"verdict", part ? name_of(row.verdict) : "", "", part ? name_of(row.verdict) : "", 1}});
    }
    table.end_part();
  }
  return end(result, json, table.rows());
}

int StudyCommand::run() const {
  const auto ran =
      cli::run(load_plan(plan, [](const std::string& name) { return find_game(name); }), study);
  if (!ran) return done;
  const Study& result = *ran;
  const StudyPlan& p = result.plan();
  Table table(json);
  for (const GameSpec& game : p.games) {
    for (const Variant& variant : p.variants) {
      std::vector<Table::Cell> row{{"game", game.name},
                                   text_cell("variant", variant.name, 28, game.name)};
      for (const std::string& measure : p.measures) {
        const auto values = result.values(game.name, variant.name, measure);
        row.push_back(values.empty()
                          ? Table::Cell{measure, {}, measure, "unfinished", 28}
                          : interval_cell(measure, measure_interval(measure, values, p.episodes),
                                          "{:.3g}", 28, measure));
      }
      table.add(row);
    }
    table.end_part();
  }
  return end(result, json, table.rows());
}

int CompareCommand::run() const {
  FileGuard().reads_players(paths).writes("--png", png).writes("--html", html).check(json);
  ProgressLine line(quiet);
  const Comparison c =
      compare(group_runs({paths.begin(), paths.end()}), {.episodes = episodes,
                                                         .seed = seed,
                                                         .target = target,
                                                         .threads = threads,
                                                         .on_progress = line.of("episodes")});
  line.wipe();
  if (!png.empty())
    draw_bands(png, curves_of(c, over == "seconds" ? CurveAxis::seconds : CurveAxis::steps));
  if (!html.empty()) write_comparison_page(html, c);
  if (json) {
    fmt::print("{}\n", c.to_json());
    return done;
  }
  fmt::print(
      "{} episodes of seed {} for each run; interquartile means over runs, 95% intervals\n\n",
      episodes, seed);
  Table table(false);
  for (const GroupScore& g : c.groups) {
    const bool first = &g == &c.groups.front();
    const std::string to_target =
        g.reached == 0 ? "never"
                       : fmt::format("{:.2f}M steps, {:.0f} s ({} of {})", g.steps_to_target / 1e6,
                                     g.seconds_to_target, g.reached, g.success.size());
    table.add(
        {text_cell("", g.name, 28, "group"),
         whole_cell("", static_cast<std::int64_t>(g.success.size()), -5, "runs"),
         share_cell("", g.mean_success, "{:.1f}", 24, "success %"),
         interval_cell("", g.mean_return, "{:.2f}", 24, "return"),
         text_cell("", first ? "" : with_range(in_percent(g.difference), "{:+.1f}"), 24,
                   "minus first %"),
         text_cell("", first ? "" : with_range(g.improvement, "{:.2f}"), 22, "chance to be better"),
         text_cell("", to_target, 1, fmt::format("to {:.0f}%", 100 * target))});
  }
  std::size_t fewest = least_repetitions;
  for (const GroupScore& g : c.groups) fewest = std::min(fewest, g.success.size());
  if (fewest < least_repetitions) fmt::print("\n{}\n", too_few_seeds(fewest));
  if (!png.empty()) fmt::print("\ncurves: {}\n", png);
  if (!html.empty()) fmt::print("page: {}\n", html);
  return done;
}

}  // namespace zithercraft::cli
