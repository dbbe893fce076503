#include "zithercraft/study/study.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <chrono>
#include <mutex>
#include <thread>
#include <utility>

#include "folder_lock.hpp"
#include "study_store.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/study/measure.hpp"

namespace zithercraft {
namespace {

using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) { return std::chrono::duration<double>(Clock::now() - start).count(); }

std::filesystem::path plan_file(const std::filesystem::path& folder) { return folder / "study.toml"; }
bool holds_study(const std::filesystem::path& folder) { return std::filesystem::exists(plan_file(folder)); }

std::filesystem::path folder_of(const std::filesystem::path& folder, const Trial& trial) {
  return folder / "trials" / fmt::format("{:04}", trial.number);
}

template <class List>
auto& named(List& list, const std::string& name) {
  return *std::find_if(list.begin(), list.end(), [&](const auto& item) { return item.name == name; });
}

void delete_study(const std::filesystem::path& folder) {
  std::error_code code;
  std::filesystem::remove(plan_file(folder), code);  // first: without it the folder is no study any more
  std::filesystem::remove_all(folder / "trials", code);
  for (const char* suffix : {"", "-wal", "-shm"})
    std::filesystem::remove((folder / "results.db").string() + suffix, code);
}

void check_empty(const std::filesystem::path& folder) {
  std::error_code code;
  if (!std::filesystem::is_directory(folder, code)) return;
  for (const auto& entry : std::filesystem::directory_iterator(folder, code)) {
    const std::string name = entry.path().filename().string();
    if (name != "lock" && !name.starts_with("results.db") && !name.starts_with("study.toml.tmp"))
      throw Error(Fault::refused, "the folder holds other files", folder.string(), "choose an empty or a new folder");
  }
}

// The plan with files read and in the order of the one that is there: what it lacks comes last.
StudyPlan extended(StudyPlan before, const StudyPlan& now) {
  for (const Variant& variant : now.variants)
    if (std::find(before.variants.begin(), before.variants.end(), variant) == before.variants.end())
      before.variants.push_back(variant);
  for (const std::int64_t seed : now.seeds)
    if (std::find(before.seeds.begin(), before.seeds.end(), seed) == before.seeds.end()) before.seeds.push_back(seed);
  return before;
}

class Running {
 public:
  Running(const StudyPlan& plan, std::vector<Trial>& trials, StudyStore& store, const StudyOptions& options)
      : plan_(plan), trials_(trials), store_(store), options_(options), made_(trials.size()) {
    for (std::size_t i = 0; i < trials.size(); ++i)
      if (trials[i].state == TrialState::waiting) {
        waiting_.push_back(i);
      } else {
        made_[i] = static_cast<std::size_t>(plan.decisions);
      }
    for (const std::size_t made : made_) done_before_ += static_cast<std::int64_t>(made);
  }

  void go() {
    if (waiting_.empty()) return;
    const std::size_t threads =
        options_.threads != 0 ? options_.threads : std::max<std::size_t>(1, std::thread::hardware_concurrency());
    WorkerPool at_once(std::min(threads, waiting_.size()));
    threads_each_ = std::max<std::size_t>(1, threads / at_once.threads());
    at_once.run(waiting_.size(), [&](std::size_t item, std::size_t) {
      if (!stopped()) carry_out(waiting_[item]);
    });
  }

 private:
  bool stopped() const { return options_.stop != nullptr && options_.stop->load(); }

  void carry_out(std::size_t number) {
    Trial trial = trials_[number];
    const auto begun = Clock::now();
    try {
      if (!train_and_measure(trial)) return;
      trial.state = TrialState::done;
    } catch (const Error& error) {
      if (error.fault() == Fault::file || error.fault() == Fault::refused) throw;
      trial.state = TrialState::failed;
      trial.error = error.problem() + " (" + error.where() + ")";
    }
    trial.seconds = seconds_since(begun);
    const std::lock_guard lock(mutex_);
    store_.keep(trial, plan_.measures);
    trials_[number] = trial;
    report(number, plan_.decisions);
  }

  // False if it was stopped before its end.
  bool train_and_measure(Trial& trial) {
    const GameSpec& game = named(plan_.games, trial.game);
    const Variant& variant = named(plan_.variants, trial.variant);
    TrainOptions options;
    options.folder = folder_of(options_.folder, trial);
    options.decisions = plan_.decisions;
    options.seed = static_cast<std::uint64_t>(trial.seed);
    options.learner = learner_of(plan_, variant);
    options.threads = threads_each_;
    options.existing = holds_run(options.folder) ? Existing::resume : Existing::fresh;
    options.stop = options_.stop;
    options.on_progress = [&](const TrainingProgress& p) {
      const std::lock_guard lock(mutex_);
      report(trial.number, p.decisions);
    };
    const Run run = train(trained_game(game, variant), options);
    if (!run.finished()) return false;
    WorkerPool pool(threads_each_);
    trial.values = take_measures(run, measured_game(game, variant), plan_.measures, plan_.episodes,
                                 static_cast<std::uint64_t>(plan_.episodes_seed), plan_.bar, pool);
    for (const std::string& name : run.checkpoint_names())
      std::filesystem::remove(run.checkpoints() / (name + ".safetensors"));  // the last one tells all a study asks
    return true;
  }

  void report(std::size_t number, std::int64_t decisions) {
    made_[number] = static_cast<std::size_t>(std::min(decisions, plan_.decisions));
    if (!options_.on_progress) return;
    StudyProgress p;
    p.trials = trials_.size();
    for (const Trial& trial : trials_) {
      p.done += trial.state == TrialState::done ? 1 : 0;
      p.failed += trial.state == TrialState::failed ? 1 : 0;
    }
    for (const std::size_t made : made_) p.decisions += static_cast<std::int64_t>(made);
    p.total = plan_.decisions * static_cast<std::int64_t>(trials_.size());
    p.seconds = seconds_since(begun_);
    p.decisions_per_second = static_cast<double>(p.decisions - done_before_) / std::max(1e-9, p.seconds);
    p.seconds_left = static_cast<double>(p.total - p.decisions) / std::max(1.0, p.decisions_per_second);
    options_.on_progress(p);
  }

  const StudyPlan& plan_;
  std::vector<Trial>& trials_;
  StudyStore& store_;
  const StudyOptions& options_;
  std::vector<std::size_t> waiting_;
  std::vector<std::size_t> made_;  // decisions of each trial
  std::int64_t done_before_ = 0;
  std::size_t threads_each_ = 1;
  Clock::time_point begun_ = Clock::now();
  std::mutex mutex_;
};

}  // namespace

Study::Study(std::filesystem::path folder, StudyPlan plan, std::vector<Trial> trials)
    : folder_(std::move(folder)), plan_(std::move(plan)), trials_(std::move(trials)) {}

Study Study::open(const std::filesystem::path& folder) {
  if (!holds_study(folder))
    throw Error(Fault::file, std::filesystem::exists(folder) ? "the folder holds no study" : "there is no such study",
                folder.string(), "name the folder that it was written into");
  StudyPlan plan = parse_resolved_plan(read_text(plan_file(folder)), plan_file(folder).string());
  auto trials = StudyStore(folder).trials(plan);
  return {folder, std::move(plan), std::move(trials)};
}

std::filesystem::path Study::trial_folder(const Trial& trial) const { return folder_of(folder_, trial); }

std::size_t Study::count(TrialState state) const {
  return static_cast<std::size_t>(
      std::count_if(trials_.begin(), trials_.end(), [&](const Trial& trial) { return trial.state == state; }));
}

std::vector<double> Study::values(const std::string& game, const std::string& variant,
                                  const std::string& measure) const {
  const auto at = std::find(plan_.measures.begin(), plan_.measures.end(), measure);
  if (at == plan_.measures.end())
    throw Error(Fault::usage, "the study does not measure '" + measure + "'", folder_.string(),
                advice(measure, plan_.measures));
  std::vector<double> values;
  for (const Trial& trial : trials_)
    if (trial.state == TrialState::done && trial.game == game && trial.variant == variant)
      values.push_back(trial.values[static_cast<std::size_t>(at - plan_.measures.begin())]);
  return values;
}

Study run_study(const StudyPlan& given, const StudyOptions& options) {
  StudyPlan plan = given;
  for (GameSpec& game : plan.games) game = self_contained(std::move(game));
  check_plan(plan);
  if (options.folder.empty())
    throw Error(Fault::usage, "the study's folder is not given", "StudyOptions::folder", "name one");
  const bool there = holds_study(options.folder);
  if (there && options.existing == Existing::refuse)
    throw Error(
        Fault::refused, "the folder holds a study already", options.folder.string(),
        "use --resume to go on with it or to extend it, --fresh to delete it and start again, or another folder");
  if (!there && options.existing == Existing::resume)
    throw Error(Fault::refused, "there is no study to resume", options.folder.string(), "leave out --resume");
  if (!there) check_empty(options.folder);
  make_folder(options.folder);
  const FolderLock lock(options.folder, "study");
  if (there && options.existing == Existing::resume) {
    const StudyPlan before = Study::open(options.folder).plan();
    if (const auto difference = refusal_to_extend(before, plan); !difference.empty())
      throw Error(Fault::refused, "the study cannot go on with another plan: " + difference, options.folder.string(),
                  "give the same, add variants or seeds only, or start a new study");
    plan = extended(before, plan);
  } else {
    delete_study(options.folder);
  }
  StudyStore store(options.folder);
  write_atomically(plan_file(options.folder), to_toml(plan));
  auto trials = store.trials(plan);
  Running(plan, trials, store, options).go();
  return {options.folder, std::move(plan), std::move(trials)};
}

}  // namespace zithercraft
