#include "zithercraft/experiment/comparison.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <limits>

#include "base/json.hpp"
#include "evaluate/intervals_json.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/evaluate/evaluation.hpp"
#include "zithercraft/experiment/measure.hpp"
#include "zithercraft/experiment/study.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/run/metrics.hpp"

namespace zithercraft {
using namespace evaluate_internal;
namespace {

namespace fs = std::filesystem;
constexpr std::size_t curve_points = 100;
constexpr double endless = std::numeric_limits<double>::infinity();

bool all_digits(const std::string& text) {
  return !text.empty() && text.find_first_not_of("0123456789") == std::string::npos;
}

// What a run's name says beside its seed: "runs/first" for "runs/first/seed-2" and for
// "runs/first-2".
std::string name_without_seed(const fs::path& run) {
  const fs::path plain = (run / "").parent_path();
  const std::string leaf = plain.filename().string();
  const std::size_t dash = leaf.rfind('-');
  if (dash == std::string::npos || !all_digits(leaf.substr(dash + 1))) return plain.string();
  if (leaf.substr(0, dash) == "seed" && plain.has_parent_path())
    return plain.parent_path().string();
  return (plain.parent_path() / leaf.substr(0, dash)).string();
}

std::vector<fs::path> runs_within(const fs::path& folder) {
  std::vector<fs::path> runs;
  std::error_code code;
  for (const auto& entry : fs::directory_iterator(folder, code))
    if (entry.path().filename().string().starts_with("seed-") && holds_run(entry.path()))
      runs.push_back(entry.path());
  std::sort(runs.begin(), runs.end());
  return runs;
}

void check_alike(const RunGroup& group) {
  const Run first = Run::open(group.runs.front());
  for (const fs::path& folder : group.runs) {
    const Run run = Run::open(folder);
    auto difference = first_difference(first.game_spec(), run.game_spec());
    const LearnerSettings &learner = run.settings().learner,
                          &first_learner = first.settings().learner;
    if (difference.empty() && learner.method() != first_learner.method()) difference = "method";
    if (difference.empty() && !(learner == first_learner)) difference = "the learner's settings";
    if (difference.empty() && first.settings().generations != run.settings().generations)
      difference = "generations";
    if (difference.empty() && first.settings().steps != run.settings().steps) difference = "steps";
    if (!difference.empty())
      throw Error(
          ErrorKind::refused,
          "runs of the group '" + group.name + "' differ by more than their seeds: " + difference,
          folder.string(), "give runs that differ otherwise other names");
  }
}

std::vector<RunGroup> groups_of_study(const fs::path& folder) {
  const Study study = Study::open(folder);
  std::vector<RunGroup> groups;
  for (const GameSpec& game : study.plan().games)
    for (const Variant& variant : study.plan().variants) {
      RunGroup group{
          study.plan().games.size() == 1 ? variant.name : game.name + ": " + variant.name, {}};
      for (const StudyRun& run : study.runs())
        if (run.status == StudyRunStatus::done && run.game == game.name &&
            run.variant == variant.name)
          group.runs.push_back(study.run_folder(run));
      if (!group.runs.empty()) groups.push_back(std::move(group));
    }
  if (groups.empty())
    throw Error(ErrorKind::refused, "no run of the study is finished", folder.string(),
                "finish a run first");
  return groups;
}

// The last update up to `steps`; null before the first.
const MetricsRow* row_at(const std::vector<MetricsRow>& rows, double steps) {
  const MetricsRow* found = nullptr;
  for (const MetricsRow& row : rows) {
    if (static_cast<double>(row.steps) > steps) break;
    found = &row;
  }
  return found;
}

Interval within(Interval interval, double low, double high) {
  return {interval.mean, std::max(low, interval.low), std::min(high, interval.high)};
}

Curve curve_of(const RunGroup& group) {
  std::vector<std::vector<MetricsRow>> runs;
  double last = endless;
  for (const fs::path& folder : group.runs) {
    runs.push_back(Metrics(Run::open(folder).metrics()).rows());
    if (runs.back().empty()) return {};
    last = std::min(last, static_cast<double>(runs.back().back().steps));
  }
  Curve curve;
  for (std::size_t i = 1; i <= curve_points; ++i) {
    const double at = last * static_cast<double>(i) / curve_points;
    std::vector<double> success;
    double seconds = 0.0;
    for (const auto& rows : runs) {
      const MetricsRow* const row = row_at(rows, at);
      success.push_back(row == nullptr ? 0.0 : row->recent_success);
      seconds += (row == nullptr ? 0.0 : row->seconds) / static_cast<double>(runs.size());
    }
    const Interval interval = within(repetitions_interval(success), 0.0, 1.0);
    curve.steps.push_back(at);
    curve.seconds.push_back(seconds);
    curve.mean.push_back(interval.mean);
    curve.low.push_back(interval.low);
    curve.high.push_back(interval.high);
  }
  return curve;
}

GroupScore evaluate_group(const RunGroup& group, const CompareOptions& options, WorkerPool& pool,
                          WorkCount& progress) {
  check_alike(group);
  GroupScore score{.name = group.name};
  std::vector<double> steps, seconds;
  for (const fs::path& folder : group.runs) {
    const Run run = Run::open(folder);
    GameSpec game = run.game_spec();
    score.game = game.name;
    game.stages.clear();
    const auto values =
        take_measures(run, game, {"success", "return", "steps_to_target", "seconds_to_target"},
                      options.episodes, options.seed, options.target, pool, &progress);
    score.success.push_back(values[0]);
    score.episode_return.push_back(values[1]);
    if (!std::isfinite(values[2])) continue;
    steps.push_back(values[2]);
    seconds.push_back(values[3]);
  }
  score.mean_success = measure_interval("success", score.success, options.episodes);
  score.mean_return = repetitions_interval(score.episode_return);
  score.reached = steps.size();
  score.steps_to_target = steps.empty() ? endless : interquartile_mean(steps);
  score.seconds_to_target = seconds.empty() ? endless : interquartile_mean(seconds);
  score.curve = curve_of(group);
  return score;
}

}  // namespace

std::vector<RunGroup> group_runs(const std::vector<fs::path>& named) {
  std::vector<RunGroup> groups;
  const auto add = [&](const std::string& name, const fs::path& run) {
    const auto found = std::find_if(groups.begin(), groups.end(),
                                    [&](const RunGroup& g) { return g.name == name; });
    RunGroup& group = found == groups.end() ? groups.emplace_back(RunGroup{name, {}}) : *found;
    if (std::find(group.runs.begin(), group.runs.end(), run) == group.runs.end())
      group.runs.push_back(run);
  };
  for (const fs::path& path : named) {
    if (holds_run(path)) {
      add(name_without_seed(path), path);
    } else if (fs::exists(path / "study.toml")) {
      for (const RunGroup& group : groups_of_study(path))
        for (const fs::path& run : group.runs)
          add(named.size() == 1 ? group.name : path.string() + ": " + group.name, run);
    } else {
      const auto runs = runs_within(path);
      if (runs.empty())
        throw Error(
            ErrorKind::file,
            fs::exists(path) ? "the folder holds no run and no study" : "there is no such folder",
            path.string(),
            "name a run, a study, or a folder of runs named seed-1, seed-2 and so on");
      for (const fs::path& run : runs) add(name_without_seed(run), run);
    }
  }
  return groups;
}

Comparison compare(const std::vector<RunGroup>& groups, const CompareOptions& options) {
  if (groups.empty() || options.episodes < 1)
    throw Error(ErrorKind::usage, "there is nothing to compare", "compare",
                "name runs, and at least 1 episode");
  WorkerPool pool(options.threads);
  Comparison comparison{options, {}};
  std::size_t runs = 0;
  for (const RunGroup& group : groups) runs += group.runs.size();
  WorkCount progress(options.episodes * static_cast<std::int64_t>(runs), options.on_progress);
  for (const RunGroup& group : groups) {
    GroupScore score = evaluate_group(group, options, pool, progress);
    const GroupScore& first = comparison.groups.empty() ? score : comparison.groups.front();
    score.difference = measure_difference("success", score.success, first.success);
    score.improvement = chance_to_be_better(score.success, first.success);
    comparison.groups.push_back(std::move(score));
  }
  return comparison;
}

std::string Comparison::to_json() const {
  Json j{{"episodes", options.episodes}, {"seed", options.seed}, {"target", options.target}};
  j["groups"] = Json::array();
  for (const GroupScore& g : groups)
    j["groups"].push_back({{"name", g.name},
                           {"game", g.game},
                           {"runs", g.success.size()},
                           {"success", json_of(g.mean_success)},
                           {"return", json_of(g.mean_return)},
                           {"success_by_run", g.success},
                           {"return_by_run", g.episode_return},
                           {"reached_target", g.reached},
                           {"steps_to_target", json_of(g.steps_to_target)},
                           {"seconds_to_target", json_of(g.seconds_to_target)},
                           {"difference_to_first", json_of(g.difference)},
                           {"chance_to_be_better", json_of(g.improvement)},
                           {"curve",
                            {{"steps", g.curve.steps},
                             {"seconds", g.curve.seconds},
                             {"mean", g.curve.mean},
                             {"low", g.curve.low},
                             {"high", g.curve.high}}}});
  return j.dump(2);
}

}  // namespace zithercraft
