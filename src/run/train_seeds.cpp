#include <fmt/format.h>
#include <algorithm>
#include <mutex>
#include <optional>
#include <thread>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {
namespace {

// How many steps the trainings take together. Of generations each can only say what it expects;
// those that have not begun are taken to be like the others.
std::int64_t total_of(const std::vector<TrainingProgress>& each, const TrainOptions& options) {
  const auto count = static_cast<std::int64_t>(each.size());
  if (options.generations == 0) return options.steps * count;
  std::int64_t known = 0, begun = 0;
  for (const TrainingProgress& p : each) {
    known += p.total;
    begun += p.total > 0 ? 1 : 0;
  }
  return known + (count - begun) * (known / std::max<std::int64_t>(1, begun));
}

// The progress of all trainings together.
TrainingProgress sum_of(const std::vector<TrainingProgress>& each, std::int64_t total) {
  TrainingProgress all{.total = total};
  double begun = 0.0;
  for (const TrainingProgress& p : each) {
    all.steps += p.steps;
    all.steps_per_second += p.steps < p.total ? p.steps_per_second : 0.0;
    all.seconds = std::max(all.seconds, p.seconds);
    all.busy_share = std::max(all.busy_share, p.busy_share);
    all.episodes += p.episodes;
    if (p.episodes == 0) continue;
    begun += 1.0;
    all.mean_return += (p.mean_return - all.mean_return) / begun;
    all.mean_length += (p.mean_length - all.mean_length) / begun;
    all.success += (p.success - all.success) / begun;
  }
  all.seconds_left = static_cast<double>(total - all.steps) / std::max(1.0, all.steps_per_second);
  return all;
}

}  // namespace

std::vector<Run> train_seeds(const GameSpec& game, const TrainOptions& options,
                             const std::vector<std::uint64_t>& seeds) {
  if (seeds.empty()) throw Error(ErrorKind::usage, "there is no seed", "seeds", "give one or more");
  for (auto seed = seeds.begin(); seed != seeds.end(); ++seed)
    if (std::find(seeds.begin(), seed, *seed) != seed)
      throw Error(ErrorKind::usage, fmt::format("the seed {} is there twice", *seed), "seeds",
                  "give each once");
  if (options.processes != nullptr)
    throw Error(ErrorKind::usage, "several seeds cannot be trained by processes together", "seeds",
                "train them one by one");
  const std::size_t threads = options.threads != 0
                                  ? options.threads
                                  : std::max<std::size_t>(1, std::thread::hardware_concurrency());
  // Trainings that play the same games elsewhere would take these from each other.
  const bool elsewhere = game.custom && game.custom->host.function();
  WorkerPool at_once(elsewhere ? 1 : std::min(threads, seeds.size()));
  std::vector<std::optional<Run>> runs(seeds.size());
  std::vector<TrainingProgress> each(seeds.size());
  std::mutex mutex;
  at_once.run(seeds.size(), [&](std::size_t item, std::size_t) {
    TrainOptions own = options;
    own.folder = options.folder / fmt::format("seed-{}", seeds[item]);
    own.seed = seeds[item];
    own.threads = std::max<std::size_t>(1, threads / at_once.threads());
    if (own.existing == Existing::resume && !holds_run(own.folder)) own.existing = Existing::fresh;
    own.on_progress = [&, item](const TrainingProgress& p) {
      const std::lock_guard lock(mutex);
      each[item] = p;
      if (options.on_progress) options.on_progress(sum_of(each, total_of(each, options)));
    };
    runs[item] = train(game, own);
  });
  std::vector<Run> list;
  for (auto& run : runs) list.push_back(std::move(*run));
  return list;
}

}  // namespace zithercraft
