#include "zithercraft/experiment/study.hpp"

#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <numeric>
#include <thread>
#include <utility>

#include "experiment/run_work.hpp"
#include "experiment/study_store.hpp"
#include "run/clock.hpp"
#include "run/folder_lock.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
using namespace run_internal;
using namespace experiment_internal;
namespace {

std::filesystem::path plan_file(const std::filesystem::path& folder) {
  return folder / "study.toml";
}
void delete_study(const std::filesystem::path& folder) {
  std::error_code code;
  std::filesystem::remove(plan_file(folder),
                          code);  // first: without it the folder is no study any more
  std::filesystem::remove_all(folder / "runs", code);
  for (const char* suffix : {"", "-wal", "-shm"})
    std::filesystem::remove((folder / "results.db").string() + suffix, code);
}

void check_empty(const std::filesystem::path& folder) {
  std::error_code code;
  if (!std::filesystem::is_directory(folder, code)) return;
  for (const auto& entry : std::filesystem::directory_iterator(folder, code)) {
    const std::string name = entry.path().filename().string();
    if (name != "lock" && !name.starts_with("results.db") && !name.starts_with("study.toml.tmp"))
      throw Error(ErrorKind::refused, "the folder holds other files", folder.string(),
                  "choose an empty or a new folder");
  }
}

// The plan with files read and in the order of the one that is there: what it lacks comes last.
StudyPlan extended(StudyPlan before, const StudyPlan& now) {
  for (const Variant& variant : now.variants)
    if (std::find(before.variants.begin(), before.variants.end(), variant) == before.variants.end())
      before.variants.push_back(variant);
  for (const std::int64_t seed : now.seeds)
    if (std::find(before.seeds.begin(), before.seeds.end(), seed) == before.seeds.end())
      before.seeds.push_back(seed);
  return before;
}

class Running {
 public:
  Running(const StudyPlan& plan, std::vector<StudyRun>& runs, StudyStore& store,
          const StudyOptions& options)
      : work_(plan, options), runs_(runs), store_(store), options_(options), made_(runs.size(), 0) {
    for (std::size_t i = 0; i < runs.size(); ++i)
      if (runs[i].status == StudyRunStatus::unfinished) {
        waiting_.push_back(i);
      } else {
        done_before_ += made_[i] = plan.steps;
      }
  }

  void go() {
    if (options_.processes != nullptr) return hand_out();
    if (waiting_.empty()) return;
    const std::size_t threads = options_.threads != 0
                                    ? options_.threads
                                    : std::max<std::size_t>(1, std::thread::hardware_concurrency());
    // Trainings that play the same games elsewhere would take these from each other.
    const auto& games = work_.plan().games;
    const bool elsewhere = std::any_of(games.begin(), games.end(), [](const GameSpec& game) {
      return game.custom && game.custom->host.function();
    });
    WorkerPool at_once(elsewhere ? 1 : std::min(threads, waiting_.size()));
    const std::size_t each = std::max<std::size_t>(1, threads / at_once.threads());
    at_once.run(waiting_.size(),
                [&](std::size_t item, std::size_t) { carry_out(waiting_[item], each); });
  }

 private:
  void carry_out(std::size_t number, std::size_t threads) {
    if (work_.stopped()) return;
    keep(work_.carry_out(runs_[number], threads, [&](std::int64_t steps) {
      const std::lock_guard lock(mutex_);
      report(number, steps);
    }));
  }

  void keep(const StudyRun& run) {
    if (run.status == StudyRunStatus::unfinished) return;
    const std::lock_guard lock(mutex_);
    store_.keep(run, work_.plan().measures);
    runs_[run.index] = run;
    report(run.index, work_.plan().steps);
  }

  // This process works on a run of its own on another thread, and answers the others meanwhile:
  // each brings what came of its last run and is given the next.
  void hand_out() {
    std::size_t next = 0;
    std::mutex taking;
    const auto take = [&]() -> std::optional<std::size_t> {
      const std::lock_guard lock(taking);
      return next < waiting_.size() && !work_.stopped() ? std::optional(waiting_[next++])
                                                        : std::nullopt;
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
    std::size_t busy = options_.processes->count() - 1;
    while ((busy > 0 || !own_done) && !(own_done && failure)) {
      const auto question = options_.processes->question();
      if (!question) {
        std::this_thread::sleep_for(std::chrono::milliseconds(2));
        continue;
      }
      if (const auto run = run_of(question->text)) keep(*run);
      const auto number = take();
      options_.processes->answer(question->from,
                                 number ? bytes_of(runs_[*number]) : std::vector<std::byte>{});
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
    p.runs = runs_.size();
    for (const StudyRun& run : runs_) {
      p.done += run.status == StudyRunStatus::done ? 1 : 0;
      p.failed += run.status == StudyRunStatus::failed ? 1 : 0;
    }
    p.steps = std::accumulate(made_.begin(), made_.end(), std::int64_t{0});
    p.total = each * static_cast<std::int64_t>(runs_.size());
    p.seconds = seconds_since(begun_);
    p.steps_per_second = static_cast<double>(p.steps - done_before_) / std::max(1e-9, p.seconds);
    p.seconds_left = static_cast<double>(p.total - p.steps) / std::max(1.0, p.steps_per_second);
    options_.on_progress(p);
  }

  RunWork work_;
  std::vector<StudyRun>& runs_;
  StudyStore& store_;
  const StudyOptions& options_;
  std::vector<std::size_t> waiting_;
  std::vector<std::int64_t> made_;  // steps of each run
  std::int64_t done_before_ = 0;
  Clock::time_point begun_ = Clock::now();
  std::mutex mutex_;
};

// What all but the first process do: ask for runs until there is none left.
void work_for_first(const StudyPlan& plan, const StudyOptions& options) {
  const RunWork work(plan, options);
  std::vector<std::byte> said;
  for (;;) {
    const auto run = run_of(options.processes->ask(said));
    if (!run) return;
    said = bytes_of(work.carry_out(*run, std::max<std::size_t>(1, options.threads), {}));
  }
}

// The first process sends the others the plan of the folder.
StudyPlan told_by_first(const StudyPlan& own, ProcessGroup& processes) {
  const std::string text = processes.number() == 0 ? to_toml(own) : std::string();
  const auto told = processes.gather(std::as_bytes(std::span(text)));
  return parse_resolved_plan(std::string(reinterpret_cast<const char*>(told.data()), told.size()),
                             "mpirun");
}

}  // namespace

bool holds_study(const std::filesystem::path& folder) {
  return std::filesystem::exists(plan_file(folder));
}

Study::Study(std::filesystem::path folder, StudyPlan plan, std::vector<StudyRun> runs)
    : folder_(std::move(folder)), plan_(std::move(plan)), runs_(std::move(runs)) {}

Study Study::open(const std::filesystem::path& folder) {
  if (!holds_study(folder))
    throw Error(
        ErrorKind::file,
        std::filesystem::exists(folder) ? "the folder holds no study" : "there is no such study",
        folder.string(), "name the folder that it was written into");
  StudyPlan plan = parse_resolved_plan(read_text(plan_file(folder)), plan_file(folder).string());
  auto runs = StudyStore(folder).runs(plan);
  return {folder, std::move(plan), std::move(runs)};
}

std::filesystem::path Study::run_folder(const StudyRun& run) const {
  return run_folder_of(folder_, run);
}

std::size_t Study::count(StudyRunStatus status) const {
  return static_cast<std::size_t>(std::count_if(
      runs_.begin(), runs_.end(), [&](const StudyRun& run) { return run.status == status; }));
}

std::vector<double> Study::values(const std::string& game, const std::string& variant,
                                  const std::string& measure) const {
  const auto at = std::find(plan_.measures.begin(), plan_.measures.end(), measure);
  if (at == plan_.measures.end())
    throw Error(ErrorKind::usage, "the study does not measure '" + measure + "'", folder_.string(),
                advice(measure, plan_.measures));
  std::vector<double> values;
  for (const StudyRun& run : runs_)
    if (run.status == StudyRunStatus::done && run.game == game && run.variant == variant)
      values.push_back(run.measured[static_cast<std::size_t>(at - plan_.measures.begin())]);
  return values;
}

Study run_study(const StudyPlan& given, const StudyOptions& options) {
  StudyPlan plan = given;
  for (GameSpec& game : plan.games) game = self_contained(std::move(game));
  check_plan(plan);
  if (options.folder.empty())
    throw Error(ErrorKind::usage, "the study's folder is not given", "StudyOptions::folder",
                "name one");
  if (options.processes != nullptr && options.processes->number() != 0) {
    plan = told_by_first(plan, *options.processes);
    work_for_first(plan, options);
    return {options.folder, std::move(plan), {}};
  }
  const bool there = holds_study(options.folder);
  if (there && options.existing == Existing::refuse)
    throw Error(ErrorKind::refused, "the folder holds a study already", options.folder.string(),
                "resume or extend it, begin it afresh, or choose another folder");
  if (!there && options.existing == Existing::resume)
    throw Error(ErrorKind::refused, "there is no study to resume", options.folder.string(),
                "begin one");
  if (!there) check_empty(options.folder);
  make_folder(options.folder);
  const FolderLock lock(options.folder, "study");
  if (there && options.existing == Existing::resume) {
    const StudyPlan before = Study::open(options.folder).plan();
    if (const auto difference = refusal_to_extend(before, plan); !difference.empty())
      throw Error(ErrorKind::refused, "the study cannot continue with another plan: " + difference,
                  options.folder.string(),
                  "give the same, add variants or seeds only, or start a new study");
    plan = extended(before, plan);
  } else {
    delete_study(options.folder);
  }
  StudyStore store(options.folder);
  write_atomically(plan_file(options.folder), to_toml(plan));
  auto runs = store.runs(plan);
  if (options.processes != nullptr) told_by_first(plan, *options.processes);
  Running(plan, runs, store, options).go();
  return {options.folder, std::move(plan), std::move(runs)};
}

}  // namespace zithercraft
