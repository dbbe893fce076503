#include <fmt/format.h>
#include <algorithm>
#include <cmath>

#include "trainer.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/study/player_source.hpp"

namespace zithercraft {
namespace {

constexpr double little_diversity = 0.02;  // of what it was in the first generation
constexpr std::int64_t at_first = 10;      // generations in which nothing is warned of

EvolutionPlayers players_of(const Game& game, const RunSettings& settings) {
  for (const RoleTraining& told : settings.roles)
    if (!told.learner.empty())
      throw Error(ErrorKind::spec, "the roles of an evolution share their settings",
                  "role '" + told.role + "'", "give the settings without a role");
  EvolutionPlayers players;
  for (const RolePlayer& player : role_players(game, settings)) players.push_back(player.player);
  return players;
}

class EvolutionTrainer final : public Trainer {
 public:
  EvolutionTrainer(const Run& run, const TrainOptions& options, WorkerPool& pool)
      : game_(run.game()),
        settings_(run.settings()),
        pool_(pool),
        evolution_(game_, *settings_.evolution, settings_.seed, pool,
                   players_of(game_, settings_)) {
    while (!evolution_.population_of(first_role_)) ++first_role_;
    if (options.custom_fitness) evolution_.set_fitness(options.custom_fitness);
  }

  Update update() override {
    const std::int64_t before = evolution_.steps();
    const auto& reports = evolution_.improve(progress());
    Update update{.steps = evolution_.steps() - before};
    MetricsRow& row = update.row;
    row.evolution = reports[0];
    row.stage = reports[0].stage;
    row.steps = evolution_.steps();
    row.generation = static_cast<double>(reports[0].generation);
    row.species = static_cast<double>(reports[0].species.size());
    row.led_since = static_cast<double>(reports[0].led_since);
    for (const GenerationReport& r : reports)
      row.times += {r.play_seconds, r.decide_seconds, 0.0, r.make_seconds, r.wall_seconds};
    row.busy_share = (row.times.play + row.times.decide + row.times.optimise) /
                     (row.times.wall * static_cast<double>(pool_.threads()));
    const auto roles = game_.roles();
    row.episodes = static_cast<std::int64_t>(reports[0].leader.size());
    for (const auto& term : roles[first_role_].terms) row.terms.emplace_back(term, 0.0);
    add_episodes(first_role_, reports[0].leader, row);
    for (const EpisodeResult& e : reports[0].leader)
      row.mean_length += static_cast<double>(e.length) / static_cast<double>(row.episodes);
    for (std::size_t role = first_role_ + 1, next = 1; role < roles.size(); ++role) {
      if (evolution_.population_of(role) != role) continue;
      RoleMetrics& own = row.roles.emplace_back(RoleMetrics{.role = roles[role].name});
      own.evolution = reports.at(next++);
      own.episodes = static_cast<std::int64_t>(own.evolution.leader.size());
      for (const auto& term : roles[role].terms) own.terms.emplace_back(term, 0.0);
      add_episodes(role, own.evolution.leader, own);
    }
    update.recent = reports[0].leader;
    update.warnings = warnings(reports[0]);
    last_generation_ = reports[0].generation;
    return update;
  }

  std::size_t first_role() const override { return first_role_; }
  std::int64_t steps() const override { return evolution_.steps(); }
  double done() const override {
    return settings_.generations > 0
               ? static_cast<double>(evolution_.generation()) /
                     static_cast<double>(settings_.generations)
               : static_cast<double>(evolution_.steps()) / static_cast<double>(settings_.steps);
  }
  std::size_t stage() const override { return evolution_.stage(); }
  // Generations 1, 10, 100, ...: how it began is to be seen beside how it went on.
  bool to_be_kept() const override {
    std::int64_t power = 1;
    while (power < last_generation_) power *= 10;
    return power == last_generation_;
  }
  void set_starts(std::size_t stage, std::vector<std::vector<std::byte>> states,
                  double share) override {
    evolution_.set_starts(stage, std::move(states), share);
  }
  Continuation continue_from(const TensorFile& checkpoint) override {
    evolution_.start_from(Policy::from(checkpoint), checkpoint);
    return {};
  }
  void store(TensorFile& file) const override {
    evolution_.store(file);
    file.put("first_diversity", std::span<const double>(&first_diversity_, 1));
  }
  void restore(const TensorFile& file) override {
    evolution_.restore(file);
    first_diversity_ = file.doubles("first_diversity").at(0);
  }

 private:
  // Schedules end with the training; where steps count nobody knows how many the coming generation
  // will take, so it is taken to be like those before.
  double progress() const {
    const auto generation = static_cast<double>(evolution_.generation());
    return std::min(1.0, generation == 0.0 ? 0.0 : done() * (generation + 1.0) / generation);
  }

  std::vector<std::string> warnings(const GenerationReport& r) {
    std::vector<std::string> list;
    if (r.generation == 1) first_diversity_ = r.diversity;
    if (r.generation <= at_first) return list;
    const EvolutionMethod method = settings_.evolution->method;
    if (r.species.size() == 1)
      list.emplace_back(
          "one species is left: lower species_distance, or raise species_wanted and young");
    if (method != EvolutionMethod::es && method != EvolutionMethod::cma &&
        r.diversity < little_diversity * first_diversity_)
      list.emplace_back(
          "diversity is gone: raise last_mutation_strength or parents, or give novelty some "
          "weight");
    if (r.stddev == 0.0)
      list.emplace_back(
          "all individuals are as good as each other: reward what some of them already do");
    return list;
  }

  Game game_;
  RunSettings settings_;
  WorkerPool& pool_;
  Evolution evolution_;
  std::size_t first_role_ = 0;
  std::int64_t last_generation_ = 0;
  double first_diversity_ = 0.0;
};

}  // namespace

std::unique_ptr<Trainer> evolution_trainer(const Run& run, const TrainOptions& options,
                                           WorkerPool& pool) {
  return std::make_unique<EvolutionTrainer>(run, options, pool);
}

}  // namespace zithercraft
