#include "zithercraft/show/report.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "../base/data_file.hpp"
#include "assets.hpp"
#include "viewer_page.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/show/picture.hpp"
#include "zithercraft/study/evaluation.hpp"
#include "zithercraft/study/metrics.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

constexpr std::size_t most_points = 400;  // of a curve; longer ones are averaged in bins
constexpr std::size_t most_species = 24;  // drawn apart

class Curves {
 public:
  explicit Curves(const std::vector<MetricsRow>& rows)
      : rows_(rows), bin_((rows.size() + most_points - 1) / most_points) {}

  template <class Get>
  json of(Get get) const {
    json list = json::array();
    for (std::size_t first = 0; first < rows_.size(); first += std::max<std::size_t>(1, bin_)) {
      double sum = 0.0;
      int count = 0;
      for (std::size_t i = first; i < std::min(rows_.size(), first + bin_); ++i)
        if (const double value = get(rows_[i]); std::isfinite(value)) {
          sum += value;
          ++count;
        }
      list.push_back(count > 0 ? json(sum / count) : json());
    }
    return list;
  }

  json all(const std::vector<std::string>& terms) const {
    const auto of_episodes = [](double value, const MetricsRow& row) {
      return row.episodes > 0 ? value : NAN;
    };
    json j{
        {"steps", of([](const MetricsRow& r) { return static_cast<double>(r.steps); })},
        {"recent_success", of([](const MetricsRow& r) { return r.recent_success; })},
        {"mean_return", of([&](const MetricsRow& r) { return of_episodes(r.mean_return, r); })},
        {"mean_length", of([&](const MetricsRow& r) { return of_episodes(r.mean_length, r); })},
        {"evolution", evolves() ? evolution() : json()},
        {"entropy", of([](const MetricsRow& r) { return by_gradients(r, r.learner.entropy); })},
        {"explained_variance",
         of([](const MetricsRow& r) { return by_gradients(r, r.learner.explained_variance); })},
        {"rating", of([](const MetricsRow& r) { return r.past_policies > 0.0 ? r.rating : NAN; })},
        {"rating_low", of([](const MetricsRow& r) {
           return r.past_policies > 0.0 ? r.rating - 1.96 * r.rating_standard_error : NAN;
         })},
        {"rating_high", of([](const MetricsRow& r) {
           return r.past_policies > 0.0 ? r.rating + 1.96 * r.rating_standard_error : NAN;
         })},
        {"forgotten", of([](const MetricsRow& r) { return r.forgotten; })},
        {"cycles", of([](const MetricsRow& r) { return r.cycles; })},
        {"kl", of([](const MetricsRow& r) { return by_gradients(r, r.learner.kl); })},
        {"steps_per_second", of([](const MetricsRow& r) { return r.steps_per_second; })},
        {"stage", of([](const MetricsRow& r) { return static_cast<double>(r.stage + 1); })},
        {"roles", json::object()},
        {"terms", json::object()}};
    const std::size_t further = rows_.empty() ? 0 : rows_[0].roles.size();
    for (std::size_t r = 0; r < further; ++r)
      j["roles"][rows_[0].roles[r].role] = {
          {"mean_return", of([&](const MetricsRow& row) {
             return row.roles[r].episodes > 0 ? row.roles[r].mean_return : NAN;
           })},
          {"success", of([&](const MetricsRow& row) {
             return row.roles[r].episodes > 0 ? row.roles[r].success : NAN;
           })},
          {"entropy", of([&](const MetricsRow& row) {
             return by_gradients(row, row.roles[r].learner.entropy);
           })},
          {"explained_variance", of([&](const MetricsRow& row) {
             return by_gradients(row, row.roles[r].learner.explained_variance);
           })}};
    for (const std::string& term : terms)
      j["terms"][term] = of([&](const MetricsRow& r) {
        const auto found = std::find_if(r.terms.begin(), r.terms.end(),
                                        [&](const auto& t) { return t.first == term; });
        return found == r.terms.end() ? NAN : found->second;
      });
    return j;
  }

 private:
  static double by_gradients(const MetricsRow& row, double value) {
    return row.evolution.generation > 0 ? NAN : value;
  }
  bool evolves() const { return !rows_.empty() && rows_[0].evolution.generation > 0; }

  json evolution() const {
    const auto part = [&](double GenerationReport::*value) {
      return of([value](const MetricsRow& r) { return r.evolution.*value; });
    };
    return {{"generation", of([](const MetricsRow& r) { return r.generation; })},
            {"best", part(&GenerationReport::best)},
            {"mean", part(&GenerationReport::mean)},
            {"lower", part(&GenerationReport::lower)},
            {"median", part(&GenerationReport::median)},
            {"upper", part(&GenerationReport::upper)},
            {"mutation_strength", part(&GenerationReport::mutation_strength)},
            {"diversity", part(&GenerationReport::diversity)},
            {"hidden", part(&GenerationReport::hidden)},
            {"links", part(&GenerationReport::links)},
            {"species", species()}};
  }

  // Sizes of the species that were largest over all generations, by their numbers, and of all
  // others together.
  json species() const {
    std::map<std::int64_t, std::size_t> sizes;
    for (const MetricsRow& row : rows_)
      for (const SpeciesReport& s : row.evolution.species) sizes[s.number] += s.size;
    std::vector<std::pair<std::size_t, std::int64_t>> order;
    for (const auto& [number, size] : sizes) order.emplace_back(size, number);
    std::sort(order.rbegin(), order.rend());
    if (order.size() > most_species) order.resize(most_species);
    std::vector<std::int64_t> shown;
    for (const auto& [size, number] : order) shown.push_back(number);
    std::sort(shown.begin(), shown.end());
    json list = json::array();
    const auto add = [&](const std::string& name, const auto& counts) {
      list.push_back({{"name", name}, {"size", of([&](const MetricsRow& row) {
                                         double sum = 0.0;
                                         for (const SpeciesReport& s : row.evolution.species)
                                           if (counts(s.number)) sum += static_cast<double>(s.size);
                                         return sum;
                                       })}});
    };
    for (const std::int64_t number : shown)
      add(fmt::format("species {}", number), [&](std::int64_t n) { return n == number; });
    if (sizes.size() > shown.size())
      add("others",
          [&](std::int64_t n) { return !std::binary_search(shown.begin(), shown.end(), n); });
    return list;
  }

  const std::vector<MetricsRow>& rows_;
  std::size_t bin_;
};

json stage_names(const Game& game) {
  json names = json::array();
  for (std::size_t stage = 0; stage < game.stages(); ++stage)
    names.push_back(game.stage_name(stage));
  return names;
}

json draw_paths(const Run& run, const Game& game, const ReportOptions& options) {
  json paths = json::array();
  const Lineup lineup(game, policy_player(game, 0, run.policy()), options.seed);
  for (std::int64_t e = 0; e < options.paths; ++e) {
    Path path;
    std::string image;
    double total = 0.0;
    play_one(game, lineup.players(),
             {derived_seed(options.seed, "score"), 0, static_cast<std::uint32_t>(e)},
             [&](const Lanes& lanes) {
               extend(path, lanes);
               if (lanes.outcome(0) == Outcome::running) return;
               total = lanes.episode_return(0, 0);
               Picture picture{&lanes, false, {path}, {}, false, 560, 420};
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
  const auto rows = Metrics(run.metrics()).rows();
  const auto& terms = game.roles()[0].terms;
  const Score scored = evaluate(
      run,
      {.episodes = options.episodes, .seed = options.seed, .on_progress = options.on_progress});
  const json data{
      {"game", game.spec().name},
      {"about", game.spec().about},
      {"run", run.folder().string()},
      {"seed", run.settings().seed},
      {"steps", run.steps_done()},
      {"method", method_of(run.settings())},
      {"total", run.settings().generations > 0 ? run.steps_done() : run.settings().steps},
      {"seconds", rows.empty() ? 0.0 : rows.back().seconds},
      {"version", library_version()},
      {"configuration", read_text(run.configuration())},
      {"terms", terms},
      {"role", game.roles()[0].name},
      {"stages", stage_names(game)},
      {"score", json::parse(scored.to_json())},
      {"curves", Curves(rows).all(terms)},
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
