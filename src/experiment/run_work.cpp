#include "experiment/run_work.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <bit>
#include <chrono>

#include "base/json.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/experiment/measure.hpp"

namespace zithercraft::experiment_internal {
namespace {

template <class List>
const auto& named(const List& list, const std::string& name) {
  return *std::find_if(list.begin(), list.end(),
                       [&](const auto& item) { return item.name == name; });
}

}  // namespace

std::filesystem::path run_folder_of(const std::filesystem::path& study, const StudyRun& run) {
  return study / "runs" / fmt::format("{:04}", run.index);
}

StudyRun RunWork::carry_out(StudyRun run, std::size_t threads,
                            const std::function<void(std::int64_t)>& on_steps) const {
  const auto begun = std::chrono::steady_clock::now();
  try {
    if (train_and_measure(run, threads, on_steps)) run.status = StudyRunStatus::done;
  } catch (const Error& error) {
    if (error.kind() == ErrorKind::file || error.kind() == ErrorKind::refused) throw;
    run.status = StudyRunStatus::failed;
    run.error = error.problem() + " (" + error.where() + ")";
  }
  run.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
  return run;
}

bool RunWork::train_and_measure(StudyRun& run, std::size_t threads,
                                const std::function<void(std::int64_t)>& on_steps) const {
  const GameSpec& game = named(plan_.games, run.game);
  const Variant& variant = named(plan_.variants, run.variant);
  TrainOptions options;
  options.folder = run_folder_of(options_.folder, run);
  options.steps = plan_.steps;
  options.seed = static_cast<std::uint64_t>(run.seed);
  options.learner = learner_of(plan_, variant);
  options.teachers = teachers_of(plan_, variant);
  options.teacher_episodes = plan_.teacher_episodes;
  options.threads = threads;
  options.existing = holds_run(options.folder) ? Existing::resume : Existing::fresh;
  options.stop = options_.stop;
  if (on_steps) options.on_progress = [&](const TrainingProgress& p) { on_steps(p.steps); };
  const Run trained = train(trained_game(game, variant), options);
  if (!trained.finished()) return false;
  WorkerPool pool(threads);
  run.measured =
      take_measures(trained, measured_game(game, variant), plan_.measures, plan_.episodes,
                    static_cast<std::uint64_t>(plan_.episodes_seed), plan_.target, pool);
  for (const std::string& name : trained.checkpoint_names())
    // A study needs the last one alone.
    std::filesystem::remove(trained.checkpoints() / (name + ".safetensors"));
  return true;
}

std::vector<std::byte> bytes_of(const StudyRun& run) {
  // Numbers by their bits: some are infinite, which JSON does not know.
  std::vector<std::uint64_t> values;
  for (const double value : run.measured) values.push_back(std::bit_cast<std::uint64_t>(value));
  const std::string text =
      Json{{"index", run.index},     {"game", run.game},     {"variant", run.variant},
           {"seed", run.seed},       {"status", run.status}, {"error", run.error},
           {"seconds", run.seconds}, {"measured", values}}
          .sorted()
          .dump();
  const auto bytes = std::as_bytes(std::span(text));
  return {bytes.begin(), bytes.end()};
}

std::optional<StudyRun> run_of(std::span<const std::byte> bytes) {
  if (bytes.empty()) return std::nullopt;
  const Json j =
      Json::parse(std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
  StudyRun run{.index = j.at("index").get<std::size_t>(),
               .game = j.at("game").get<std::string>(),
               .variant = j.at("variant").get<std::string>(),
               .seed = j.at("seed").get<std::int64_t>(),
               .status = static_cast<StudyRunStatus>(j.at("status").get<std::uint8_t>()),
               .seconds = j.at("seconds").get<double>()};
  run.error = j.at("error").get<std::string>();
  for (const Json& value : j.at("measured"))
    run.measured.push_back(std::bit_cast<double>(value.get<std::uint64_t>()));
  return run;
}

}  // namespace zithercraft::experiment_internal
