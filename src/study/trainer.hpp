#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/base/pool.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/study/metrics.hpp"
#include "zithercraft/study/train.hpp"

namespace zithercraft {

// What makes policies better, update by update, as a training needs it.
class Trainer {
 public:
  virtual ~Trainer() = default;

  struct Update {
    MetricsRow row{};  // without what the training knows: seconds, speed, recent success
    std::vector<EpisodeResult> recent{};  // episodes of the first role that learns
    std::int64_t steps = 0;               // taken
    std::vector<std::string> warnings{};
  };
  virtual Update update() = 0;

  virtual std::size_t first_role() const = 0;  // of those that learn
  virtual std::int64_t steps() const = 0;      // so far
  virtual double done() const = 0;  // share of the training that is done; from 1 on it is over
  virtual std::size_t stage() const = 0;  // of the curriculum
  virtual bool to_be_kept() const {
    return false;
  }  // whether the last update's checkpoint is worth keeping anyway
  virtual void set_starts(std::size_t stage, std::vector<std::vector<std::byte>> states,
                          double share) = 0;
  virtual Continuation continue_from(const TensorFile& checkpoint) = 0;
  virtual void store(TensorFile& file) const = 0;
  virtual void restore(const TensorFile& file) = 0;
};

std::unique_ptr<Trainer> ppo_trainer(const Run& run, WorkerPool& pool, ProcessGroup* processes);
std::unique_ptr<Trainer> evolution_trainer(const Run& run, const TrainOptions& options,
                                           WorkerPool& pool);

// Means over the episodes of a role, into a row that knows how many there are and which terms.
template <class Row>
void add_episodes(std::size_t role, const std::vector<EpisodeResult>& episodes, Row& row) {
  const double n = std::max(1.0, static_cast<double>(row.episodes));
  for (const EpisodeResult& e : episodes) {
    if (e.role != role) continue;
    row.mean_return += e.episode_return / n;
    row.success += (e.outcome == Outcome::success ? 1.0 : 0.0) / n;
    for (std::size_t t = 0; t < row.terms.size(); ++t) row.terms[t].second += e.ledger[t] / n;
  }
}

}  // namespace zithercraft
