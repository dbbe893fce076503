#pragma once

#include <deque>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "evolve/population_play.hpp"
#include "zithercraft/evolve/evolution.hpp"
#include "zithercraft/net/network.hpp"

namespace zithercraft::evolve_internal {

// A network of a population that is kept: a vector of numbers, or a graph. It goes on to see as it
// did when it was chosen: other statistics of the columns would make it decide otherwise.
struct Champion {
  std::shared_ptr<const Normaliser> normaliser{};
  std::vector<float> numbers{};
  NetworkGraph graph{};
  std::int64_t generation = 0;  // in which it was found
};

// Places at which individuals ended that had not been seen before, [encounters][3] each.
class Archive {
 public:
  Archive(std::size_t most, std::size_t neighbours) : most_(most), neighbours_(neighbours) {}
  // How far each individual ended from the nearest of all others; and takes the newest of them in.
  std::vector<double> judge(const std::vector<std::vector<float>>& places);
  const std::deque<std::vector<float>>& kept() const { return kept_; }
  void restore(std::deque<std::vector<float>> kept) { kept_ = std::move(kept); }

 private:
  std::size_t most_, neighbours_;
  std::deque<std::vector<float>> kept_;
};

// Who works: the threads of this process, and other processes, if there are any.
struct Crew {
  WorkerPool& pool;
  ProcessGroup* processes;
};

// Everybody who competes for one policy.
class Population {
 public:
  // `roles`: those that its individuals play.
  Population(const Game& game, std::vector<std::size_t> roles, const EvolutionSettings& settings,
             std::uint64_t seed, std::size_t workers);

  void start_from(const Policy& policy, const TensorFile& checkpoint);

  std::size_t first_role() const { return roles_[0]; }
  bool plays(std::size_t role) const {
    return std::find(roles_.begin(), roles_.end(), role) != roles_.end();
  }
  const PolicySignature& signature() const { return signature_; }
  std::size_t individuals() const;
  bool has_leader() const { return led_; }
  const Champion& leader() const { return leader_; }
  const std::vector<Champion>& hall_of_fame() const { return hall_of_fame_; }
  PopulationPlay& play() { return *play_; }

  // Plays the generation's encounters and finds out who leads; `finals` are played by those who
  // may.
  GenerationReport collect(std::span<const Encounter> encounters, std::span<const Encounter> finals,
                           const std::vector<std::vector<std::unique_ptr<Player>>>& lineups,
                           const CustomFitness& custom_fitness, bool opposed_evolve,
                           const Crew& crew);
  // Makes the next generation.
  void improve(double progress, WorkerPool& pool);

  // A champion as a checkpoint holds it.
  void store_policy(const Champion& champion, TensorFile& file) const;
  Policy policy_of(const Champion& champion) const;
  void store(TensorFile& file) const;
  void restore(const TensorFile& file);

 private:
  using Lineups = std::vector<std::vector<std::unique_ptr<Player>>>;
  using Results = std::vector<EncounterResult>;
  void make_search(std::vector<float> start);
  void make_topology(const NetworkGraph& start, bool continued);
  NetworkGraph first_graph() const;
  Champion individual(std::size_t number) const;
  // Plays encounters with champions or, if there are none, with the generation.
  void play_with(const std::vector<Champion>* champions, std::size_t count,
                 std::span<const Encounter> encounters, const Lineups& lineups,
                 const PopulationPlay::Wishes& wishes, GenerationReport& report, const Crew& crew);
  void see_through(Normaliser normaliser) {
    normaliser_ = std::make_shared<const Normaliser>(std::move(normaliser));
  }
  void fold_notes();
  double worth(std::size_t result) const;
  std::vector<double> mean_worth(std::size_t count, std::size_t encounters) const;
  void learn_columns(std::span<const Encounter> encounters, const Lineups& lineups,
                     GenerationReport& report, const Crew& crew);
  void choose_leader(std::span<const double> fitness, std::span<const Encounter> finals,
                     const Lineups& lineups, const CustomFitness& custom_fitness,
                     bool opposed_evolve, GenerationReport& report, const Crew& crew);
  void describe_grown(std::span<const double> fitness, GenerationReport& report) const;
  std::vector<double> with_novelty(std::span<const double> fitness, std::size_t encounters);
  void keep_in_hall_of_fame(std::int64_t generation);

  Game game_;
  std::vector<std::size_t> roles_;
  EvolutionSettings settings_;
  std::uint64_t seed_;
  std::size_t workers_;
  PolicySignature signature_;
  Heads heads_;
  Network<float> net_;
  std::unique_ptr<Search> search_;  // one of these two
  std::unique_ptr<TopologySearch> topology_;
  std::unique_ptr<VectorBatch> vectors_;
  std::unique_ptr<GraphBatch> graphs_;
  // What individuals see through, the same for a whole generation; and what was sensed in it.
  std::shared_ptr<const Normaliser> normaliser_;
  std::vector<Normaliser::Moments> notes_;
  std::unique_ptr<PopulationPlay> play_;
  std::size_t term_ = 0;  // that is the fitness, if one is
  bool own_ = false;      // the fitness is an own one
  Champion leader_{};
  bool led_ = false;
  double leader_worth_ = 0.0;  // over the last finals
  std::vector<Champion> hall_of_fame_;
  std::int64_t fame_interval_ = 1;  // generations from one kept champion to the next
  Archive archive_;
  Results results_;
  std::vector<double> rewards_;
  std::vector<double> selected_by_;  // of each individual of the generation that was played
  std::vector<NetworkGraph> loaded_;
};

}  // namespace zithercraft::evolve_internal
