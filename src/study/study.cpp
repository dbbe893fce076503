#include "zithercraft/study/study.hpp"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <exception>
#include <mutex>
#include <numeric>
#include <thread>
#include <utility>

#include "folder_lock.hpp"
#include "study_store.hpp"
#include "trial_work.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
namespace {

using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) { return std::chrono::duration<double>(Clock::now() - start).count(); }

std::filesystem::path plan_file(const std::filesystem::path& folder) { return folder / "study.toml"; }
bool holds_study(const std::filesystem::path& folder) { return std::filesystem::exists(plan_file(folder)); }

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
      : work_(plan, options), trials_(trials), store_(store), options_(options), made_(trials.size(), 0) {
    for (std::size_t i = 0; i < trials.size(); ++i)
      if (trials[i].state == TrialState::unfinished) {
        waiting_.push_back(i);
      } else {
        done_before_ += made_[i] = plan.steps;
      }
  }

  void go() {
    if (options_.ranks != nullptr) return hand_out();
    if (waiting_.empty()) return;
    const std::size_t threads =
        options_.threads != 0 ? options_.threads : std::max<std::size_t>(1, std::thread::hardware_concurrency());
    WorkerPool at_once(std::min(threads, waiting_.size()));
    const std::size_t each = std::max<std::size_t>(1, threads / at_once.threads());
    at_once.run(waiting_.size(), [&](std::size_t item, std::size_t) { carry_out(waiting_[item], each); });
  }

 private:
  void carry_out(std::size_t number, std::size_t threads) {
    if (work_.stopped()) return;
    keep(work_.carry_out(trials_[number], threads, [&](std::int64_t steps) {
      const std::lock_guard lock(mutex_);
      report(number, steps);
    }));
  }

  void keep(const Trial& trial) {
    if (trial.state == TrialState::unfinished) return;
    const std::lock_guard lock(mutex_);
    store_.keep(trial, work_.plan().measures);
    trials_[trial.number] = trial;
    report(trial.number, work_.plan().steps);
  }

  // This process works on a trial of its own on another thread, and answers the others meanwhile: each brings what came
  // of its last trial and is given the next.
  void hand_out() {
    std::size_t next = 0;
    std::mutex taking;
    const auto take = [&]() -> std::optional<std::size_t> {
      const std::lock_guard lock(taking);
      return next < waiting_.size() && !work_.stopped() ? std::optional(waiting_[next++]) : std::nullopt;
    };
    std::exception_ptr failure;
    std::atomic<bool> own_done{false};
    std::thread own([&] {
      try {
        const std::size_t threads = std::max<std::size_t>(1, options_.threads);
        while (const auto number = take()) carry_out(*number, threads);
      } catch (...) {
        failure = std::current_exception();
      }
      own_done = true;
    });
    std::size_t busy = options_.ranks->count() - 1;
    while ((busy > 0 || !own_done) && !(own_done && failure)) {
      const auto question = options_.ranks->question();
      if (!question) {
        std::this_thread::sleep_for(std::chrono::milliseconds(2));
        continue;
      }
      if (const auto trial = trial_of(question->text)) keep(*trial);
      const auto number = take();
      options_.ranks->answer(question->from, number ? bytes_of(trials_[*number]) : std::vector<std::byte>{});
      if (!number) --busy;
    }
    own.join();
    if (failure) std::rethrow_exception(failure);
  }
  void report(std::size_t number, std::int64_t steps) {
    const std::int64_t each = work_.plan().steps;
    made_[number] = std::min(steps, each);
    if (!options_.on_progress) return;
    StudyProgress p;
    p.trials = trials_.size();
    for (const Trial& trial : trials_) {
      p.done += trial.state == TrialState::done ? 1 : 0;
      p.failed += trial.state == TrialState::failed ? 1 : 0;
    }
    p.steps = std::accumulate(made_.begin(), made_.end(), std::int64_t{0});
    p.total = each * static_cast<std::int64_t>(trials_.size());
    p.seconds = seconds_since(begun_);
    p.steps_per_second = static_cast<double>(p.steps - done_before_) / std::max(1e-9, p.seconds);
    p.seconds_left = static_cast<double>(p.total - p.steps) / std::max(1.0, p.steps_per_second);
    options_.on_progress(p);
  }

  TrialWork work_;
  std::vector<Trial>& trials_;
  StudyStore& store_;
  const StudyOptions& options_;
  std::vector<std::size_t> waiting_;
  std::vector<std::int64_t> made_;  // steps of each trial
  std::int64_t done_before_ = 0;
  Clock::time_point begun_ = Clock::now();
  std::mutex mutex_;
};

// What all but the first process do: ask for trials until there is none left.
void work_for_first(const StudyPlan& plan, const StudyOptions& options) {
  const TrialWork work(plan, options);
  std::vector<std::byte> said;
  for (;;) {
    const auto trial = trial_of(options.ranks->ask(said));
    if (!trial) return;
    said = bytes_of(work.carry_out(*trial, std::max<std::size_t>(1, options.threads), {}));
  }
}

// The first process tells the others the plan as it stands in the folder.
StudyPlan told_by_first(const StudyPlan& own, Ranks& ranks) {
  const std::string text = ranks.number() == 0 ? to_toml(own) : std::string();
  const auto told = ranks.gather(std::as_bytes(std::span(text)));
  return parse_resolved_plan(std::string(reinterpret_cast<const char*>(told.data()), told.size()), "mpirun");
}

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

std::filesystem::path Study::trial_folder(const Trial& trial) const { return trial_folder_of(folder_, trial); }

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
  if (options.ranks != nullptr && options.ranks->number() != 0) {
    plan = told_by_first(plan, *options.ranks);
    work_for_first(plan, options);
    return {options.folder, std::move(plan), {}};
  }
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
  if (options.ranks != nullptr) told_by_first(plan, *options.ranks);
  Running(plan, trials, store, options).go();
  return {options.folder, std::move(plan), std::move(trials)};
}

}  // namespace zithercraft
