#include "trial_work.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <bit>
#include <chrono>
#include <nlohmann/json.hpp>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/study/measure.hpp"

namespace zithercraft {
namespace {

template <class List>
const auto& named(const List& list, const std::string& name) {
  return *std::find_if(list.begin(), list.end(), [&](const auto& item) { return item.name == name; });
}

}  // namespace

std::filesystem::path trial_folder_of(const std::filesystem::path& study, const Trial& trial) {
  return study / "trials" / fmt::format("{:04}", trial.number);
}

Trial TrialWork::carry_out(Trial trial, std::size_t threads,
                           const std::function<void(std::int64_t)>& on_steps) const {
  const auto begun = std::chrono::steady_clock::now();
  try {
    if (train_and_measure(trial, threads, on_steps)) trial.state = TrialState::done;
  } catch (const Error& error) {
    if (error.fault() == Fault::file || error.fault() == Fault::refused) throw;
    trial.state = TrialState::failed;
    trial.error = error.problem() + " (" + error.where() + ")";
  }
  trial.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
  return trial;
}

bool TrialWork::train_and_measure(Trial& trial, std::size_t threads,
                                  const std::function<void(std::int64_t)>& on_steps) const {
  const GameSpec& game = named(plan_.games, trial.game);
  const Variant& variant = named(plan_.variants, trial.variant);
  TrainOptions options;
  options.folder = trial_folder_of(options_.folder, trial);
  options.steps = plan_.steps;
  options.seed = static_cast<std::uint64_t>(trial.seed);
  const VariantLearner learner = learner_of(plan_, variant);
  options.learner = learner.ppo;
  options.evolution = learner.evolution;
  options.threads = threads;
  options.existing = holds_run(options.folder) ? Existing::resume : Existing::fresh;
  options.stop = options_.stop;
  if (on_steps) options.on_progress = [&](const TrainingProgress& p) { on_steps(p.steps); };
  const Run run = train(trained_game(game, variant), options);
  if (!run.finished()) return false;
  WorkerPool pool(threads);
  trial.values = take_measures(run, measured_game(game, variant), plan_.measures, plan_.episodes,
                               static_cast<std::uint64_t>(plan_.episodes_seed), plan_.bar, pool);
  for (const std::string& name : run.checkpoint_names())
    std::filesystem::remove(run.checkpoints() / (name + ".safetensors"));  // the last one tells all a study asks
  return true;
}

std::vector<std::byte> bytes_of(const Trial& trial) {
  // Numbers by their bits: some are infinite, which JSON does not know.
  std::vector<std::uint64_t> values;
  for (const double value : trial.values) values.push_back(std::bit_cast<std::uint64_t>(value));
  const std::string text =
      nlohmann::json{{"number", trial.number}, {"game", trial.game},   {"variant", trial.variant}, {"seed", trial.seed},
                     {"state", trial.state},   {"error", trial.error}, {"seconds", trial.seconds}, {"values", values}}
          .dump();
  const auto bytes = std::as_bytes(std::span(text));
  return {bytes.begin(), bytes.end()};
}

std::optional<Trial> trial_of(std::span<const std::byte> bytes) {
  if (bytes.empty()) return std::nullopt;
  const auto j = nlohmann::json::parse(std::string(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
  Trial trial{.number = j["number"],
              .game = j["game"],
              .variant = j["variant"],
              .seed = j["seed"],
              .state = j["state"],
              .seconds = j["seconds"]};
  trial.error = j["error"];
  for (const std::uint64_t value : j["values"]) trial.values.push_back(std::bit_cast<double>(value));
  return trial;
}

}  // namespace zithercraft
