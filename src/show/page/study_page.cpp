#include <fmt/format.h>
#include <algorithm>
#include <cmath>

#include "evaluate/interval_text.hpp"
#include "show/page/assets.hpp"
#include "show/page/viewer_page.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/experiment/measure.hpp"
#include "zithercraft/show/figures.hpp"

// Pages without a script: tables, and figures as SVG.

namespace zithercraft {
using namespace show_internal;
using namespace evaluate_internal;
namespace {

class Page {
 public:
  Page(const std::filesystem::path& file, const std::string& title)
      : file_(file), title_(title), text_("<h1>" + escaped(title) + "</h1>\n") {}

  void heading(const std::string& text) { text_ += "<h2>" + escaped(text) + "</h2>\n"; }
  void paragraph(const std::string& text) {
    text_ += "<p class=\"soft\">" + escaped(text) + "</p>\n";
  }
  void table(const std::vector<std::string>& head,
             const std::vector<std::vector<std::string>>& rows) {
    text_ += "<div class=\"panel\"><table><tr>";
    for (const auto& cell : head) text_ += "<th>" + escaped(cell) + "</th>";
    text_ += "</tr>\n";
    for (const auto& row : rows) {
      text_ += "<tr>";
      for (const auto& cell : row) text_ += "<td>" + escaped(cell) + "</td>";
      text_ += "</tr>\n";
    }
    text_ += "</table></div>\n";
  }
  template <class Figure>
  void figure(void (*draw)(const std::filesystem::path&, const Figure&), const Figure& figure) {
    const std::filesystem::path image = file_.string() + ".figure.svg";
    draw(image, figure);
    const std::string svg = read_text(image);
    std::filesystem::remove(image);
    text_ += "<figure class=\"panel\">" + svg.substr(svg.find("<svg")) + "</figure>\n";
  }
  void details(const std::string& name, const std::string& text) {
    text_ += "<details class=\"panel\"><summary>" + escaped(name) + "</summary><pre>" +
             escaped(text) + "</pre></details>\n";
  }
  void write() const {
    std::string page(assets::study_html);
    page = fill_in(std::move(page), "@title@", escaped(title_));
    page = fill_in(std::move(page), "@common_css@", assets::common_css);
    page = fill_in(std::move(page), "@body@", text_);
    write_atomically(file_, page);
  }

 private:
  std::filesystem::path file_;
  std::string title_, text_;
};

bool is_ablation(const StudyPlan& plan) {
  return std::any_of(plan.variants.begin(), plan.variants.end(),
                     [](const Variant& v) { return !v.without.empty(); });
}
bool is_sweep(const StudyPlan& plan) {
  return plan.games.size() == 1 && plan.variants.size() > 1 &&
         std::all_of(plan.variants.begin(), plan.variants.end(), [&](const Variant& v) {
           return v.name.find('=') != std::string::npos && v.without.empty();
         });
}

void add_variants(Page& page, const Study& study) {
  const StudyPlan& plan = study.plan();
  std::vector<std::string> head{"variant", "runs"};
  head.insert(head.end(), plan.measures.begin(), plan.measures.end());
  for (const GameSpec& game : plan.games) {
    page.heading(game.name);
    std::vector<std::vector<std::string>> rows;
    IntervalFigure figure{
        .title = game.name + ": " + plan.measures.front() + ", 95% interval over seeds",
        .x_label = plan.measures.front()};
    for (const Variant& variant : plan.variants) {
      std::vector<std::string> row{variant.name};
      for (const std::string& measure : plan.measures) {
        const auto values = study.values(game.name, variant.name, measure);
        if (row.size() == 1)
          row.push_back(fmt::format("{} of {}", values.size(), plan.seeds.size()));
        if (values.empty()) {
          row.emplace_back("unfinished");
          continue;
        }
        const Interval interval = measure_interval(measure, values, plan.episodes);
        row.push_back(with_range(interval, "{:.3g}"));
        if (measure == plan.measures.front())
          figure.rows.push_back({variant.name, row.back(), interval});
      }
      rows.push_back(std::move(row));
    }
    page.table(head, rows);
    if (!figure.rows.empty()) page.figure(draw_intervals, figure);
  }
}

void add_ablation(Page& page, const Study& study) {
  const StudyPlan& plan = study.plan();
  for (const std::string& measure : plan.measures) {
    page.heading("What each part is worth: " + measure);
    const auto rows = ablation_table(study, measure);
    std::vector<std::vector<std::string>> cells;
    cells.reserve(rows.size());
    for (const AblationRow& row : rows)
      cells.push_back({row.part.empty() ? "the game as it is" : "without " + row.part,
                       fmt::format("{} of {}", row.runs, row.of),
                       row.runs == 0 ? "unfinished" : with_range(row.value, "{:.3g}"),
                       row.part.empty() || row.runs == 0 ? "" : with_range(row.effect, "{:.3g}"),
                       row.part.empty() ? "" : name_of(row.verdict)});
    page.table({"", "runs", measure, "loss without it", ""}, cells);
    const IntervalFigure figure = figure_of(rows, plan.games[0].name, measure);
    if (!figure.rows.empty()) page.figure(draw_intervals, figure);
  }
}

std::string word_of(const StudyRun& run) {
  const std::string word(name_of(run.status));
  return run.error.empty() ? word : word + ": " + run.error;
}

}  // namespace

void write_study_page(const std::filesystem::path& html, const Study& study) {
  const StudyPlan& plan = study.plan();
  Page page(html, plan.name);
  page.paragraph(
      fmt::format("{} of {} runs are finished, {} failed. Each is trained for {} steps and "
                  "measured on {} fresh episodes; of "
                  "several seeds the interquartile mean is given, with its 95% interval.",
                  study.count(StudyRunStatus::done), study.runs().size(),
                  study.count(StudyRunStatus::failed), plan.steps, plan.episodes));
  if (const std::string few = too_few_seeds(plan.seeds.size()); !few.empty()) page.paragraph(few);
  if (is_ablation(plan)) {
    add_ablation(page, study);
  } else if (is_sweep(plan)) {
    for (const std::string& measure : plan.measures) {
      page.heading(measure);
      page.figure(draw_heatmap, figure_of(sweep_table(study, measure)));
    }
  } else {
    add_variants(page, study);
  }
  page.heading("Runs");
  std::vector<std::string> head{"run", "game", "variant", "seed", "status", "seconds"};
  head.insert(head.end(), plan.measures.begin(), plan.measures.end());
  std::vector<std::vector<std::string>> rows;
  for (const StudyRun& run : study.runs()) {
    rows.push_back({fmt::format("{:04}", run.index), run.game, run.variant,
                    std::to_string(run.seed), word_of(run), fmt::format("{:.1f}", run.seconds)});
    for (const double value : run.measured) rows.back().push_back(fmt::format("{:.4g}", value));
  }
  page.table(head, rows);
  page.heading("Plan");
  page.details("study.toml", to_toml(plan));
  page.write();
}

void write_comparison_page(const std::filesystem::path& html, const Comparison& comparison) {
  Page page(html, "Comparison");
  page.paragraph(
      fmt::format("Each run plays {} fresh episodes of seed {}. Interquartile means over the runs "
                  "of a group, with 95% intervals; "
                  "differences and chances are against the first group.",
                  comparison.options.episodes, comparison.options.seed));
  std::vector<std::vector<std::string>> rows;
  for (const GroupScore& g : comparison.groups)
    rows.push_back(
        {g.name, std::to_string(g.success.size()), with_range(g.mean_success, "{:.3f}"),
         with_range(g.mean_return, "{:.2f}"), with_range(g.difference, "{:+.3f}"),
         with_range(g.improvement, "{:.2f}"), fmt::format("{} of {}", g.reached, g.success.size()),
         std::isfinite(g.steps_to_target) ? fmt::format("{:.0f}", g.steps_to_target) : "never",
         std::isfinite(g.seconds_to_target) ? fmt::format("{:.1f}", g.seconds_to_target)
                                            : "never"});
  page.table({"group", "runs", "success", "return", "difference", "chance to be better",
              fmt::format("reached {:.0f}%", 100 * comparison.options.target), "steps to it",
              "seconds to it"},
             rows);
  page.figure(draw_bands, curves_of(comparison));
  page.figure(draw_bands, curves_of(comparison, CurveAxis::seconds));
  page.write();
}

}  // namespace zithercraft
