#include "zithercraft/run/train.hpp"

#include <fmt/format.h>
#include <algorithm>

#include "learn/settings_model.hpp"
#include "run/folder_lock.hpp"
#include "run/role_training_fields.hpp"
#include "run/run_folder.hpp"
#include "run/training.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/hash.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/run/methods.hpp"
#include "zithercraft/run/player_source.hpp"

namespace zithercraft {
using namespace run_internal;
namespace {

// What is continued may be named by its run.
std::filesystem::path checkpoint_of(const std::filesystem::path& from) {
  return holds_run(from) ? Run::open(from).checkpoint_file("last") : from;
}

std::string roles_text(const std::vector<RoleTraining>& roles) {
  std::string text;
  for (RoleTraining role : roles) text += toml_text(TomlWriter::to_table(role));
  return text;
}

// What all processes must agree on.
std::uint64_t fingerprint_of(const GameSpec& game, const TrainOptions& options) {
  return hash_text(
      Game(game).fingerprint() + options.learner.method() + toml_text(table_of(options.learner)) +
      fmt::format("{} {} {} {}", options.seed, options.steps, options.generations,
                  options.checkpoint_every) +
      roles_text(options.roles) +
      fmt::format("{} {}", fmt::join(options.teachers, "\n"), options.teacher_episodes));
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
          "process group",
          "give all machines the same game file, and a run folder they can read when resuming");
  const std::byte how{own.how};
  Beginning told;
  told.source = own.source;
  told.how = static_cast<Beginning::How>(processes.gather({&how, 1})[0]);
  told.checkpoint = processes.gather(own.checkpoint);
  return told;
}

// `there`: the run that goes on, whose settings stand where no others are asked for; else null.
RunSettings settings_of(const GameSpec& game, const TrainOptions& options, const Run* there) {
  RunSettings settings{.steps = options.steps,
                       .seed = options.seed,
                       .checkpoint_every = options.checkpoint_every,
                       .learner = options.learner,
                       .generations = options.generations,
                       .from = there ? there->settings().from : options.from.string(),
                       .roles = options.roles,
                       .teachers = options.teachers,
                       .teacher_episodes = options.teacher_episodes};
  if (there && there->settings().learner.method() == options.learner.method())
    settings.learner =
        read_settings(there->settings().learner, table_of(options.learner), "TrainOptions");
  // A run's configuration states all that its training goes by.
  if (const auto& settle = learning_method(options.learner.method()).settle) {
    const Game compiled(game);
    settings.learner = settle(settings.learner, compiled, {options.steps, options.generations},
                              role_players(compiled, settings));
  }
  return settings;
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

void check_options(const TrainOptions& options) {
  if (options.steps < 1 || options.checkpoint_every < 1 || options.teacher_episodes < 1)
    throw Error(ErrorKind::usage, "steps, checkpoint_every and teacher_episodes must be at least 1",
                "TrainOptions", "give larger numbers");
  if (options.folder.empty())
    throw Error(ErrorKind::usage, "the run's folder is not given", "TrainOptions::folder",
                "name one");
  const LearningMethod& method = learning_method(options.learner.method());
  if (options.generations < 0 || (options.generations > 0 && !method.generations))
    throw Error(ErrorKind::usage,
                options.generations < 0 ? "there are at least 0 generations"
                                        : method.name + " has no generations",
                "TrainOptions::generations",
                "count steps, or choose a method that makes generations");
  if (options.custom_fitness && !method.custom_fitness)
    throw Error(ErrorKind::usage, method.name + " takes no custom fitness",
                "TrainOptions::custom_fitness", "reward what it says by terms of the game");
}

// Whether the run in the folder goes on. Throws if the folder cannot be used as the options say.
bool resumes(const TrainOptions& options) {
  if (holds_run(options.folder)) {
    if (options.existing == Existing::refuse)
      throw Error(ErrorKind::refused, "the folder holds a run already", options.folder.string(),
                  "resume it, begin it afresh, or choose another folder");
    return options.existing == Existing::resume;
  }
  if (options.existing == Existing::resume)
    throw Error(ErrorKind::refused, "there is no run to resume", options.folder.string(),
                "begin one");
  if (holds_other_files(options.folder))
    throw Error(
        ErrorKind::refused, "the folder holds other files", options.folder.string(),
        holds_checkpoints(options.folder / "checkpoints")
            ? "it has checkpoints, but no run.toml: restore that file, or choose another folder"
            : "choose an empty or a new folder");
  return false;
}

}  // namespace

Run train(const GameSpec& game, const TrainOptions& options) {
  Run run(options.folder, game, settings_of(game, options, nullptr));
  check_scripts(run.game());
  check_options(options);
  if (!is_first(options)) {
    Training training(run, options);
    training.begin(told_by_first({}, game, options));
    training.go();
    return run;
  }

  const bool resuming = resumes(options);
  make_folder(options.folder);
  const FolderLock lock(options.folder, "training");
  if (resuming) {
    const Run there = Run::open(options.folder);
    run = Run(options.folder, game, settings_of(game, options, &there));
    check_same_run(there, game, run.settings());
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
  if (resuming && options.on_note && game.custom && !game.custom->deterministic)
    options.on_note(
        "the game says that it is not deterministic: unless it saves its episodes, new "
        "ones begin");
  Training training(run, options);
  training.begin(told_by_first(beginning, game, options));
  run.save_configuration();
  training.go();
  return run;
}

}  // namespace zithercraft
