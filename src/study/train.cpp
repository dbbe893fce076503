#include "zithercraft/study/train.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <optional>
#include <thread>

#include "clock.hpp"
#include "folder_lock.hpp"
#include "recorded_moments.hpp"
#include "settings_fields.hpp"
#include "trainer.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/study/metrics.hpp"
#include "zithercraft/study/player_source.hpp"

namespace zithercraft {
namespace {

constexpr std::size_t recent_episodes = 100;
// Spread evenly over the training, beside the last one.
constexpr std::int64_t kept_checkpoints = 10;

// The last episodes: success, return and length.
class RecentEpisodes {
 public:
  void add(const EpisodeResult& e) {
    list_.push_back({e.outcome == Outcome::success ? 1.0 : 0.0, e.episode_return,
                     static_cast<double>(e.length)});
    if (list_.size() > recent_episodes) list_.pop_front();
  }
  void clear() { list_.clear(); }
  double mean(std::size_t what) const {
    double sum = 0.0;
    for (const auto& e : list_) sum += e[what];
    return list_.empty() ? 0.0 : sum / static_cast<double>(list_.size());
  }
  std::int64_t count() const { return static_cast<std::int64_t>(list_.size()); }

  void store(TensorFile& file) const {
    std::vector<double> flat;
    for (const auto& e : list_) flat.insert(flat.end(), e.begin(), e.end());
    file.put("recent_episodes", std::span<const double>(flat));
  }
  void restore(const TensorFile& file) {
    const auto flat = file.doubles("recent_episodes");
    for (std::size_t i = 0; i + 3 <= flat.size(); i += 3)
      list_.push_back({flat[i], flat[i + 1], flat[i + 2]});
  }

 private:
  std::deque<std::array<double, 3>> list_;
};

// Whether the return still rises: smoothed, since single updates are luck.
class Plateau {
 public:
  void see(std::int64_t steps, double mean_return) {
    const double share = ++seen_ == 1 ? 1.0 : 0.1;
    smooth_ += share * (mean_return - smooth_);
    swing_ += share * (std::fabs(mean_return - smooth_) - swing_);
    if (seen_ > 1 && smooth_ <= best_ + 0.5 * swing_) return;
    best_ = smooth_;
    best_at_ = steps;
  }
  // -1 unless a fifth of the training has gone by without a gain.
  std::int64_t since(std::int64_t steps, std::int64_t total) const {
    return seen_ > 20 && steps - best_at_ > total / 5 ? best_at_ : -1;
  }

 private:
  std::int64_t seen_ = 0, best_at_ = 0;
  double smooth_ = 0.0, swing_ = 0.0, best_ = 0.0;
};

void delete_run(const Run& run) {
  std::error_code code;
  std::filesystem::remove_all(run.checkpoints(), code);
  for (const char* suffix : {"", "-wal", "-shm"})
    std::filesystem::remove(run.metrics().string() + suffix, code);
  std::filesystem::remove(run.configuration(),
                          code);  // last: what is half deleted is still known to be a run
}

bool holds_checkpoints(const std::filesystem::path& folder) {
  std::error_code code;
  for (const auto& entry : std::filesystem::directory_iterator(folder, code))
    if (entry.path().extension() == ".safetensors") return true;
  return false;
}

// A folder without a run may be used if it is empty, or holds no more than an interrupted start
// leaves behind.
bool holds_other_files(const std::filesystem::path& folder) {
  std::error_code code;
  if (!std::filesystem::is_directory(folder, code)) return false;
  for (const auto& entry : std::filesystem::directory_iterator(folder, code)) {
    const std::string name = entry.path().filename().string();
    if (name == "checkpoints" ? holds_checkpoints(entry.path())
                              : name != "lock" && !name.starts_with("metrics.db") &&
                                    !name.starts_with("run.toml.tmp"))
      return true;
  }
  return false;
}

void check_same_run(const Run& there, const GameSpec& game, const RunSettings& settings) {
  const auto refuse = [&](const std::string& what) {
    throw Error(ErrorKind::refused, "the run cannot be resumed with other settings: " + what,
                there.folder().string(), "give the same, or start a new run");
  };
  if (const auto d = first_difference(self_contained(game), there.game_spec()); !d.empty())
    refuse(d);
  if (settings.seed != there.settings().seed)
    refuse(fmt::format("seed: {} here, {} there", settings.seed, there.settings().seed));
  if (settings.checkpoint_every != there.settings().checkpoint_every)
    refuse(fmt::format("checkpoint_every: {} here, {} there", settings.checkpoint_every,
                       there.settings().checkpoint_every));
  if (!settings.from.empty() && settings.from != there.settings().from)
    refuse(fmt::format("from: {} here, {} there", settings.from,
                       there.settings().from.empty() ? "none" : there.settings().from));
  if (settings.roles != there.settings().roles) refuse("how the roles are played");
  if (method_of(settings) != method_of(there.settings()))
    refuse(
        fmt::format("method: {} here, {} there", method_of(settings), method_of(there.settings())));
  const auto compare = [&](auto here, auto before) {
    if (const auto d = first_difference(TomlWriter::to_table(here), TomlWriter::to_table(before));
        !d.empty())
      refuse("learner." + d);
  };
  if (settings.evolution) {
    compare(*settings.evolution, *there.settings().evolution);
  } else {
    compare(settings.learner, there.settings().learner);
  }
}

// What is continued may be named by its run.
std::filesystem::path checkpoint_of(const std::filesystem::path& from) {
  return holds_run(from) ? Run::open(from).checkpoint_file("last") : from;
}

bool inside(const std::filesystem::path& file, const std::filesystem::path& folder) {
  if (file.empty()) return false;
  const auto whole = std::filesystem::weakly_canonical(folder),
             part = std::filesystem::weakly_canonical(file);
  return std::mismatch(whole.begin(), whole.end(), part.begin(), part.end()).first == whole.end();
}

bool is_first(const TrainOptions& options) {
  return options.processes == nullptr || options.processes->number() == 0;
}

// Processes on one machine share its processors.
std::size_t threads_for(const TrainOptions& options) {
  if (options.threads != 0 || options.processes == nullptr) return options.threads;
  return std::max<std::size_t>(1, std::thread::hardware_concurrency() / options.processes->here());
}

// How a training begins, and the checkpoint that it takes up.
struct Beginning {
  enum How : std::uint8_t { afresh, continued, resumed };
  How how = afresh;
  std::vector<std::byte> checkpoint{};
  std::string source{};  // its file if it is resumed; processes other than the first know the folder only
};

std::string roles_text(const std::vector<RoleTraining>& roles) {
  std::string text;
  for (RoleTraining role : roles) text += toml_text(TomlWriter::to_table(role));
  return text;
}

// What all processes must agree on.
std::uint64_t fingerprint_of(const GameSpec& game, const TrainOptions& options) {
  return hash_text(Game(game).fingerprint() + toml_text(TomlWriter::to_table(options.learner)) +
                   fmt::format("{} {} {}", options.seed, options.steps, options.checkpoint_every) +
                   roles_text(options.roles));
}

// The first process sends the others the beginning of the training: they need not see its folder.
Beginning told_by_first(const Beginning& own, const GameSpec& game, const TrainOptions& options) {
  if (options.processes == nullptr) return own;
  ProcessGroup& processes = *options.processes;
  const std::uint64_t fingerprint = fingerprint_of(game, options);
  const auto all = processes.gather(std::as_bytes(std::span(&fingerprint, 1)));
  for (std::size_t process = 1; process < processes.count(); ++process)
    if (!std::equal(all.begin(), all.begin() + sizeof fingerprint,
                    all.begin() + static_cast<std::ptrdiff_t>(process * sizeof fingerprint)))
      throw Error(
          ErrorKind::refused,
          fmt::format("process {} has another game or other settings than the first", process),
          "mpirun",
          "give all machines the same game file, and a run folder they can read when resuming");
  const std::byte how{own.how};
  Beginning told;
  told.source = own.source;
  told.how = static_cast<Beginning::How>(processes.gather({&how, 1})[0]);
  told.checkpoint = processes.gather(own.checkpoint);
  return told;
}

std::unique_ptr<Trainer> trainer_of(const Run& run, const TrainOptions& options, WorkerPool& pool) {
  return run.settings().evolution ? evolution_trainer(run, options, pool)
                                  : ppo_trainer(run, pool, options.processes);
}

class Training {
 public:
  Training(Run run, const TrainOptions& options)
      : run_(std::move(run)),
        options_(options),
        pool_(threads_for(options)),
        trainer_(trainer_of(run_, options, pool_)) {
    if (is_first(options)) metrics_.emplace(run_.metrics());
    const Game game = run_.game();
    for (std::size_t stage = 0; stage < game.stages(); ++stage)
      stage_names_.push_back(game.stage_name(stage));
    for (std::size_t stage = 0; stage + 1 < game.stages(); ++stage)
      if (const auto& start = game.spec().stages[stage].start)
        trainer_->set_starts(
            stage, recorded_moments(*start, "stages[" + std::to_string(stage) + "].start"),
            start->share);
  }

  void begin(const Beginning& beginning) {
    if (beginning.how == Beginning::continued) {
      const Continuation taken =
          trainer_->continue_from(TensorFile::parse(beginning.checkpoint, run_.settings().from));
      continued_ = true;
      if (options_.on_continuation && !taken.parts.empty()) options_.on_continuation(taken);
    } else if (beginning.how == Beginning::resumed) {
      const TensorFile file = TensorFile::parse(
          beginning.checkpoint,
          beginning.source.empty() ? run_.checkpoints().string() : beginning.source);
      trainer_->restore(file);
      recent_.restore(file);
      if (is_first(options_) && !std::filesystem::exists(run_.last_checkpoint()))
        write_atomically(run_.last_checkpoint(), beginning.checkpoint);
    }
    if (!metrics_) return;
    metrics_->forget_after(beginning.how == Beginning::resumed ? trainer_->steps() : -1);
    const auto rows = metrics_->rows();
    if (!rows.empty()) seconds_before_ = rows.back().seconds;
  }

  void go() {
    // Keeps what was continued from, so that nothing depends on that file any more.
    if (continued_) save(0.0);
    begun_ = Clock::now();
    last_update_ = begun_;
    std::int64_t saved = trainer_->steps();
    double saved_done = trainer_->done();
    while (trainer_->done() < 1.0 && !stopped()) {
      update();
      // Multiples of the interval, not time since the last one: the same checkpoints whether
      // resumed or not.
      const std::int64_t every = run_.settings().checkpoint_every, now = trainer_->steps();
      if (now / every != saved / every || trainer_->done() >= 1.0 || trainer_->to_be_kept()) {
        save(saved_done);
        saved = now;
        saved_done = trainer_->done();
      }
    }
    if (saved != trainer_->steps()) save(saved_done);
  }

 private:
  // All processes stop after the same update.
  bool stopped() const {
    const bool here = options_.stop != nullptr && options_.stop->load();
    if (options_.processes == nullptr) return here;
    const std::byte own{here ? std::uint8_t{1} : std::uint8_t{0}};
    const auto all = options_.processes->gather({&own, 1});
    return std::find(all.begin(), all.end(), std::byte{1}) != all.end();
  }

  void update() {
    Trainer::Update update = trainer_->update();
    MetricsRow& row = update.row;
    row.seconds = seconds_before_ + seconds_since(begun_);
    const double took = seconds_since(last_update_);
    last_update_ = Clock::now();
    row.steps_per_second = static_cast<double>(update.steps) / took;
    for (const EpisodeResult& e : update.recent)
      if (e.stage == row.stage) recent_.add(e);
    row.recent_success = recent_.mean(0);
    if (row.episodes > 0) plateau_.see(row.steps, recent_.mean(1));
    if (metrics_) metrics_->add(row);
    report(update);
    if (trainer_->stage() != row.stage) {
      recent_.clear();
      plateau_ = {};
    }
  }

  void report(const Trainer::Update& update) {
    const MetricsRow& row = update.row;
    // A speed smoothed over some seconds makes the time left readable.
    speed_ = speed_ == 0.0 ? row.steps_per_second : 0.9 * speed_ + 0.1 * row.steps_per_second;
    if (!options_.on_progress) return;
    // The steps of later generations are unknown: they are taken to be like those before.
    const double done = trainer_->done();
    const std::int64_t total =
        run_.settings().generations > 0
            ? static_cast<std::int64_t>(static_cast<double>(row.steps) / done)
            : run_.settings().steps;
    options_.on_progress(
        {row.steps, total, seconds_since(begun_), speed_,
         static_cast<double>(std::max<std::int64_t>(0, total - row.steps)) / speed_,
         recent_.mean(1), recent_.mean(2), recent_.mean(0), recent_.count(), row.stage,
         run_.game_spec().stages.size() + 1, stage_names_[row.stage], row.times, row.busy_share,
         plateau_.since(row.steps, total), row.evolution, update.warnings});
  }

  // `previous`: the share that was done at the checkpoint before.
  void save(double previous) const {
    TensorFile file;
    trainer_->store(file);
    if (!is_first(options_)) return;
    recent_.store(file);
    file.metadata["made_with"] = library_version();
    const auto tenth = [](double done) {
      return static_cast<std::int64_t>(done * kept_checkpoints + 1e-9);
    };
    if (tenth(trainer_->done()) != tenth(previous) || trainer_->to_be_kept())
      file.save(run_.checkpoints() / fmt::format("at-{:012d}.safetensors", trainer_->steps()));
    file.save(run_.last_checkpoint());
  }

  Run run_;
  const TrainOptions& options_;
  WorkerPool pool_;
  std::unique_ptr<Trainer> trainer_;
  std::optional<Metrics> metrics_;  // of the first process
  std::vector<std::string> stage_names_;
  RecentEpisodes recent_;
  Plateau plateau_;
  Clock::time_point begun_, last_update_;
  double seconds_before_ = 0.0, speed_ = 0.0;
  bool continued_ = false;
};

RunSettings settings_of(const TrainOptions& options, const std::string& from) {
  return {.steps = options.steps,
          .seed = options.seed,
          .checkpoint_every = options.checkpoint_every,
          .learner = options.learner,
          .evolution = options.evolution,
          .generations = options.generations,
          .from = from,
          .roles = options.roles};
}

// A resumed training says so if it cannot go on where it stopped.
void note_missing_checkpoint(const Run& run, const TrainOptions& options) {
  if (!options.on_note || std::filesystem::exists(run.last_checkpoint())) return;
  const auto newest = run.newest_checkpoint();
  options.on_note(
      newest ? fmt::format("{} is missing; continuing from {}, the newest checkpoint that was kept",
                           run.last_checkpoint().string(), newest->filename().string())
             : fmt::format("{} holds no checkpoint; the training begins at step 0",
                           run.folder().string()));
}

}  // namespace

Run train(const GameSpec& game, const TrainOptions& options) {
  Run run(options.folder, game, settings_of(options, options.from.string()));
  check_scripts(run.game());
  if (options.steps < 1 || options.checkpoint_every < 1)
    throw Error(ErrorKind::usage, "steps and checkpoint_every must be at least 1", "TrainOptions",
                "give larger numbers");
  if (options.folder.empty())
    throw Error(ErrorKind::usage, "the run's folder is not given", "TrainOptions::folder",
                "name one");
  if (options.generations < 0 || (options.generations > 0 && !options.evolution))
    throw Error(ErrorKind::usage, "only an evolution has generations, and at least 1",
                "TrainOptions::generations", "count steps, or choose a method that evolves");
  if (options.evolution && options.processes != nullptr)
    throw Error(ErrorKind::usage, "an evolution is not shared among processes", "mpirun",
                "start it without; it uses all processors of its machine");
  if (!is_first(options)) {
    Training training(run, options);
    training.begin(told_by_first({}, game, options));
    training.go();
    return run;
  }

  bool resuming = false;
  if (holds_run(options.folder)) {
    if (options.existing == Existing::refuse)
      throw Error(
          ErrorKind::refused, "the folder holds a run already", options.folder.string(),
          "use --resume to continue it, --fresh to delete it and start again, or another folder");
    resuming = options.existing == Existing::resume;
  } else {
    if (options.existing == Existing::resume)
      throw Error(ErrorKind::refused, "there is no run to resume", options.folder.string(),
                  "leave out --resume");
    if (holds_other_files(options.folder))
      throw Error(
          ErrorKind::refused, "the folder holds other files", options.folder.string(),
          holds_checkpoints(options.folder / "checkpoints")
              ? "it has checkpoints, but no run.toml: restore that file, or choose another folder"
              : "choose an empty or a new folder");
  }
  make_folder(options.folder);
  const FolderLock lock(options.folder, "training");
  if (resuming) {
    const Run there = Run::open(options.folder);
    check_same_run(there, game, run.settings());
    run = Run(options.folder, game, settings_of(options, there.settings().from));
  } else {
    if (inside(options.from, options.folder))
      throw Error(ErrorKind::refused,
                  "the run to begin afresh holds the checkpoint to continue from",
                  options.from.string(), "train in another folder");
    delete_run(run);
  }
  make_folder(run.checkpoints());
  Beginning beginning;
  if (const auto newest = resuming ? run.newest_checkpoint() : std::nullopt) {
    beginning = {Beginning::resumed, read_bytes(*newest), newest->string()};
  } else if (!run.settings().from.empty()) {
    beginning = {Beginning::continued, read_bytes(checkpoint_of(run.settings().from))};
  }
  if (resuming) note_missing_checkpoint(run, options);
  Training training(run, options);
  training.begin(told_by_first(beginning, game, options));
  run.save_configuration();
  training.go();
  return run;
}

}  // namespace zithercraft
