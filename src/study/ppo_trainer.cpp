#include <algorithm>

#include "trainer.hpp"
#include "zithercraft/study/player_source.hpp"

namespace zithercraft {
namespace {

class PpoTrainer final : public Trainer {
 public:
  PpoTrainer(const Run& run, WorkerPool& pool, ProcessGroup* processes)
      : game_(run.game()),
        total_(run.settings().steps),
        pool_(pool),
        ppo_(game_, run.settings().learner, run.settings().seed, total_, pool, processes,
             role_players(game_, run.settings())) {
    while (!ppo_.policy_of(first_role_)) ++first_role_;
  }

  Update update() override {
    const CollectReport played = ppo_.collect();
    Update update{.steps = played.steps};
    MetricsRow& row = update.row;
    row.stage = played.stage;
    row.learner = ppo_.improve();
    note_roster(row);
    row.times += played.times;
    row.times += row.learner.times;
    const PhaseTimes& all = row.times;
    row.busy_share = (all.play + all.decide + all.learn + all.optimise) /
                     (all.wall * static_cast<double>(pool_.threads()));
    row.steps = ppo_.steps();
    const auto roles = game_.roles();
    for (const auto& term : roles[first_role_].terms) row.terms.emplace_back(term, 0.0);
    const auto of_role = [&](const EpisodeResult& e) { return e.role == first_role_; };
    row.episodes = std::count_if(played.episodes.begin(), played.episodes.end(), of_role);
    const double n = std::max(1.0, static_cast<double>(row.episodes));
    for (const EpisodeResult& e : played.episodes) {
      if (!of_role(e)) continue;
      update.recent.push_back(e);
      row.mean_length += static_cast<double>(e.length) / n;
    }
    add_episodes(first_role_, played.episodes, row);
    const std::vector<ImproveReport>& improvements = ppo_.improvements();
    for (std::size_t role = first_role_ + 1, next = 1; role < roles.size(); ++role) {
      if (ppo_.policy_of(role) != role) continue;
      RoleMetrics& own = row.roles.emplace_back(RoleMetrics{.role = roles[role].name});
      own.learner = improvements.at(next++);
      for (const auto& term : roles[role].terms) own.terms.emplace_back(term, 0.0);
      own.episodes = std::count_if(played.episodes.begin(), played.episodes.end(),
                                   [&](const EpisodeResult& e) { return e.role == role; });
      add_episodes(role, played.episodes, own);
    }
    return update;
  }

  std::size_t first_role() const override { return first_role_; }
  std::int64_t steps() const override { return ppo_.steps(); }
  double done() const override {
    return static_cast<double>(ppo_.steps()) / static_cast<double>(total_);
  }
  std::size_t stage() const override { return ppo_.stage(); }
  void set_starts(std::size_t stage, std::vector<std::vector<std::byte>> states,
                  double share) override {
    ppo_.set_starts(stage, std::move(states), share);
  }
  Continuation continue_from(const TensorFile& checkpoint) override {
    return ppo_.continue_from(checkpoint);
  }
  void store(TensorFile& file) const override { ppo_.store(file); }
  void restore(const TensorFile& file) override { ppo_.restore(file); }

 private:
  void note_roster(MetricsRow& row) const {
    const RosterReport roster = ppo_.roster();
    row.rating = roster.rating.points;
    row.rating_standard_error = roster.rating.standard_error;
    row.past_policies = static_cast<double>(roster.past.size());
    row.forgotten = static_cast<double>(roster.forgotten.size());
    row.cycles = static_cast<double>(roster.cycles.size());
  }

  Game game_;
  std::int64_t total_;
  WorkerPool& pool_;
  Ppo ppo_;
  std::size_t first_role_ = 0;
};

}  // namespace

std::unique_ptr<Trainer> ppo_trainer(const Run& run, WorkerPool& pool, ProcessGroup* processes) {
  return std::make_unique<PpoTrainer>(run, pool, processes);
}

}  // namespace zithercraft
