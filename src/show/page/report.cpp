#include "zithercraft/show/report.hpp"
#include "base/json.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <map>

#include "config/data_file.hpp"
#include "show/page/assets.hpp"
#include "show/page/viewer_page.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/evaluate/evaluation.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/run/methods.hpp"
#include "zithercraft/run/metrics.hpp"
#include "zithercraft/show/picture.hpp"

namespace zithercraft {
using namespace config;
using namespace show_internal;
namespace {

constexpr std::size_t most_points = 400;  // of a curve; longer ones are averaged in bins
constexpr std::size_t most_parts = 24;    // drawn apart

// Means of a number over a few hundred stretches of a training; nothing where no update has it.
class Curves {
 public:
  explicit Curves(const std::vector<MetricsRow>& rows)
      : rows_(rows), bin_((rows.size() + most_points - 1) / most_points) {}

  template <class Get>
  Json of(Get get) const {
    Json list = Json::array();
    for (std::size_t first = 0; first < rows_.size(); first += std::max<std::size_t>(1, bin_)) {
      double sum = 0.0;
      int count = 0;
      for (std::size_t i = first; i < std::min(rows_.size(), first + bin_); ++i)
        if (const double value = get(rows_[i]); std::isfinite(value)) {
          sum += value;
          ++count;
        }
      list.push_back(count > 0 ? Json(sum / count) : Json());
    }
    return list;
  }

  // What all methods have.
  Json common(const std::vector<std::string>& terms) const {
    const auto of_episodes = [](double value, const auto& row) {
      return row.episodes > 0 ? value : NAN;
    };
    Json j{{"steps", of([](const MetricsRow& r) { return static_cast<double>(r.steps); })},
           {"recent_success", of([](const MetricsRow& r) { return r.recent_success; })},
           {"mean_return", of([&](const MetricsRow& r) { return of_episodes(r.mean_return, r); })},
           {"mean_length", of([&](const MetricsRow& r) { return of_episodes(r.mean_length, r); })},
           {"steps_per_second", of([](const MetricsRow& r) { return r.steps_per_second; })},
           {"stage", of([](const MetricsRow& r) { return static_cast<double>(r.stage + 1); })},
           {"roles", Json::object()},
           {"terms", Json::object()}};
    for (std::size_t r = 0; r < further_roles(); ++r)
      j["roles"][rows_[0].roles[r].role] = {{"mean_return", of([&](const MetricsRow& row) {
                                               return of_episodes(row.roles[r].mean_return,
                                                                  row.roles[r]);
                                             })}};
    for (const std::string& term : terms)
      j["terms"][term] = of([&](const MetricsRow& r) {
        const auto found = std::find_if(r.terms.begin(), r.terms.end(),
                                        [&](const auto& t) { return t.first == term; });
        return found == r.terms.end() ? NAN : found->second;
      });
    return j;
  }

  // What the method reports, as it wants it drawn.
  Json charts(const LearningMethod& method, const std::string& first_role) const {
    Json list = Json::array();
    for (const ChartInfo& chart : method.charts) {
      Json lines = Json::array();
      const std::size_t plain = static_cast<std::size_t>(
          std::count_if(method.metrics.begin(), method.metrics.end(), [&](const MetricInfo& info) {
            return info.chart == chart.name && info.drawn == Drawn::line;
          }));
      const MetricInfo* before = nullptr;
      for (const MetricInfo& info : method.metrics) {
        if (info.chart == chart.name)
          add_lines(info, before, plain == 1 ? first_role : std::string(), lines);
        before = &info;
      }
      if (lines.empty()) continue;
      Json& made = list.push_back(Json{{"title", chart.title}, {"lines", std::move(lines)}});
      if (std::isfinite(chart.least)) made["least"] = chart.least;
      if (std::isfinite(chart.most)) made["most"] = chart.most;
    }
    return list;
  }

 private:
  std::size_t further_roles() const { return rows_.empty() ? 0 : rows_[0].roles.size(); }

  static bool empty(const Json& values) {
    return std::all_of(values.begin(), values.end(), [](const Json& v) { return v.is_null(); });
  }
  static void add_line(const std::string& name, const char* drawn, Json values, Json& lines) {
    if (!empty(values))
      lines.push_back({{"name", name}, {"drawn", drawn}, {"values", std::move(values)}});
  }

  Json metric(const std::string& name) const {
    return of([&](const MetricsRow& row) { return row.of_learner(name).value_or(NAN); });
  }

  // A metric that is alone in its chart has a line for each policy that learns.
  void add_lines(const MetricInfo& info, const MetricInfo* before, const std::string& first_role,
                 Json& lines) const {
    const std::string name = spoken(info.name);
    if (info.of_parts) return add_parts(info.name, lines);
    switch (info.drawn) {
      case Drawn::line: {
        const bool by_role = !first_role.empty() && further_roles() > 0;
        add_line(by_role ? first_role : name, "line", metric(info.name), lines);
        for (std::size_t r = 0; by_role && r < further_roles(); ++r)
          add_line(rows_[0].roles[r].role, "line", of([&](const MetricsRow& row) {
                     return metric_in(row.roles[r].learner, info.name).value_or(NAN);
                   }),
                   lines);
        return;
      }
      case Drawn::lower: return add_line(name, "lower", metric(info.name), lines);
      case Drawn::upper: return add_line(name, "upper", metric(info.name), lines);
      case Drawn::standard_error:
        for (const double sign : {-1.0, 1.0})
          add_line(sign < 0.0 ? "lowest" : "highest", "line", of([&](const MetricsRow& row) {
                     return row.of_learner(before->name).value_or(NAN) +
                            sign * 1.96 * row.of_learner(info.name).value_or(NAN);
                   }),
                   lines);
        return;
    }
  }

  static std::string spoken(std::string name) {
    std::replace(name.begin(), name.end(), '_', ' ');
    return name;
  }

  // Those parts that were largest over the whole training, by their numbers, and all others
  // together.
  void add_parts(const std::string& name, Json& lines) const {
    std::map<std::int64_t, double> sums;
    for (const MetricsRow& row : rows_)
      for (const Metric& m : row.learner)
        if (m.name == name && m.part != Metric::whole) sums[m.part] += m.value;
    std::vector<std::pair<double, std::int64_t>> order;
    for (const auto& [part, sum] : sums) order.emplace_back(sum, part);
    std::sort(order.rbegin(), order.rend());
    if (order.size() > most_parts) order.resize(most_parts);
    std::vector<std::int64_t> shown;
    for (const auto& [sum, part] : order) shown.push_back(part);
    std::sort(shown.begin(), shown.end());
    const auto add = [&](const std::string& title, const char* drawn, const auto& counts) {
      add_line(title, drawn, of([&](const MetricsRow& row) {
                 double sum = 0.0;
                 for (const Metric& m : row.learner)
                   if (m.name == name && m.part != Metric::whole && counts(m.part)) sum += m.value;
                 return sum;
               }),
               lines);
    };
    for (const std::int64_t part : shown)
      add(fmt::format("{}", part), "part", [&](std::int64_t n) { return n == part; });
    if (sums.size() > shown.size())
      add("others", "others",
          [&](std::int64_t n) { return !std::binary_search(shown.begin(), shown.end(), n); });
  }

  const std::vector<MetricsRow>& rows_;
  std::size_t bin_;
};

Json stage_names(const Game& game) {
  Json names = Json::array();
  for (std::size_t stage = 0; stage < game.stages(); ++stage)
    names.push_back(game.stage_name(stage));
  return names;
}

Json draw_paths(const Run& run, const Game& game, const ReportOptions& options) {
  Json paths = Json::array();
  const Lineup lineup(game, policy_player(game, 0, run.policy()), options.seed);
  for (std::int64_t e = 0; e < options.paths; ++e) {
    Path path;
    std::string image;
    double total = 0.0;
    play_one(game, lineup.players(),
             {derived_seed(options.seed, "score"), 0, static_cast<std::uint32_t>(e)},
             [&](const Environment& environment) {
               extend(path, environment);
               if (environment.outcome(0) == Outcome::running) return;
               total = environment.episode_return(0, 0);
               Picture picture{&lanes_of(environment), false, {path}, {}, false, 560, 420};
               image = svg_text(picture);
             });
    paths.push_back(
        {{"image", "data:image/svg+xml;base64," + base64(image)},
         {"caption", fmt::format("Episode {}: {} after {} steps, return {:.2f}", e,
                                 name_of(path.outcome), path.points.size() - 1, total)}});
  }
  return paths;
}

}  // namespace

void write_report(const Run& run, const std::filesystem::path& html, const ReportOptions& options) {
  if (options.episodes < 1 || options.paths < 1)
    throw Error(ErrorKind::usage, "nothing to report", "ReportOptions", "ask for at least 1");
  run.refuse_own_file(html);
  const Game game = run.game();
  const LearningMethod& method = learning_method(run.settings().learner.method());
  const auto rows = Metrics(run.metrics()).rows();
  const Curves curves(rows);
  const auto& terms = game.roles()[0].terms;
  const Score scored = evaluate(
      run,
      {.episodes = options.episodes, .seed = options.seed, .on_progress = options.on_progress});
  const Json data{
      {"game", game.spec().name},
      {"about", game.spec().about},
      {"run", run.folder().string()},
      {"seed", run.settings().seed},
      {"steps", run.steps_done()},
      {"method", method.name},
      {"total", run.settings().generations > 0 ? run.steps_done() : run.settings().steps},
      {"seconds", rows.empty() ? 0.0 : rows.back().seconds},
      {"version", library_version()},
      {"configuration", read_text(run.configuration())},
      {"terms", terms},
      {"role", game.roles()[0].name},
      {"stages", stage_names(game)},
      {"score", Json::parse(scored.to_json())},
      {"curves", curves.common(terms)},
      {"charts", curves.charts(method, game.roles()[0].name)},
      {"paths", draw_paths(run, game, options)}};
  std::string page(assets::report_html);
  page =
      fill_in(std::move(page), "@title@", escaped(game.spec().name + ": " + run.folder().string()));
  page = fill_in(std::move(page), "@data@", script_json(data));
  page = fill_in(std::move(page), "@common_css@", assets::common_css);
  page = fill_in(std::move(page), "@common_js@", assets::common_js);
  page = fill_in(std::move(page), "@third_party@", assets::third_party);
  page = fill_in(std::move(page), "@chart_library@", assets::chart_library);
  page = fill_in(std::move(page), "@script@", assets::report_js);
  write_atomically(html, page);
}

}  // namespace zithercraft
