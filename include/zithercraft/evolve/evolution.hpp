#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/evolve/genetic.hpp"
#include "zithercraft/evolve/strategies.hpp"
#include "zithercraft/evolve/topology.hpp"
#include "zithercraft/game/episode.hpp"
#include "zithercraft/learn/learner.hpp"
#include "zithercraft/learn/method.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/network_plan.hpp"
#include "zithercraft/net/policy.hpp"

namespace zithercraft {

/// What looks for better networks.
enum class EvolutionMethod : std::uint8_t {
  genetic,   ///< fixed networks, by selection and mutation
  topology,  ///< networks that grow
  cma,       ///< fixed networks, by covariance matrix adaptation
  es         ///< fixed networks, by an evolution strategy that follows a gradient
};

/// Settings of an evolution. The defaults are meant to work as they are.
struct EvolutionSettings {
  EvolutionMethod method = EvolutionMethod::genetic;  ///< which of the four

  // The networks, unless they grow
  std::vector<std::int64_t> policy_layers{32};  ///< widths of hidden layers
  Activation activation = Activation::tanh;     ///< of hidden layers, or of hidden nodes
  std::int64_t memory = 0;  ///< numbers remembered from step to step, 0 for none
  /// convolutions over cameras and windows; empty: plain columns
  std::vector<ConvolutionLayer> pictures{};
  /// pixels or cells along both sides from which on convolutions are used
  std::int64_t picture_least = 12;
  std::int64_t crowd_width = 0;    ///< features of each other in a crowd; 0: plain columns
  std::int64_t crowd_queries = 2;  ///< means taken over a crowd by attention, at least 1

  // What grown networks begin as
  /// Links of all networks of the first generation, "FROM > TO": a column's name or "one", and an
  /// output's ("turn", "pace.fast") or any other word, which names a hidden node. "all" links every
  /// column to every output. Empty: all.
  std::vector<std::string> first_links{};
  /// hidden nodes between all columns and all outputs, beside `first_links`
  std::int64_t first_hidden = 0;

  // Playing
  /// that each individual plays in a generation, at least 1
  std::optional<std::int64_t> episodes{};
  bool fresh_episodes = true;  ///< other ones in each generation; if not, always the same
  /// best individuals of which more is asked before one of them leads, at least 1
  std::int64_t finalists = 4;
  /// further episodes that they and the leader play, at least 1
  std::optional<std::int64_t> final_episodes{};
  bool normalise = true;  ///< bring observation columns to mean 0 and standard deviation 1
  /// Actions are sampled by their probabilities; if not, the most likely is taken. Draws are the
  /// same for all individuals.
  bool sampled = false;

  // What is good
  /// mean over episodes of "return", "success", "length" or "term.NAME"
  std::string fitness = "return";
  /// weight of having ended elsewhere than others, 0 to 1; fitness has the rest
  double novelty = 0.0;
  std::int64_t neighbours = 10;  ///< nearest others whose mean distance is the novelty, at least 1
  std::int64_t archive = 500;    ///< earlier novel individuals that are remembered, at least 0

  // Against whom, where sides that evolve are opposed to each other
  /// past champions of each side that are kept, spread over all generations, at least 1
  std::int64_t hall_of_fame_size = 20;
  /// share of episodes against them; others against the newest champion, 0 to 1
  double against_past = 0.5;

  GeneticSettings genetic{};        ///< of the genetic method
  TopologySettings topology{};      ///< of the one that grows networks
  CovarianceSettings covariance{};  ///< of the one that adapts a covariance
  StrategySettings strategy{};      ///< of the one that samples around a middle
  bool operator==(const EvolutionSettings&) const = default;
};

/// The settings with a value for each: what was not set follows from the length of the training
/// and the game. Where all episodes begin alike, one says it all. Else each individual of a
/// generation plays 1 to 4, and 4 to 16 are final, and populations of vectors have 32 to 256
/// individuals, such that there are some hundred generations or more. Where one episode each must
/// do, the strategy's learning rate begins at 0.4, else at 0.2. Where sides that evolve are
/// opposed, or generations are counted, they play 4, of 256 individuals.
EvolutionSettings settled(EvolutionSettings settings, const Game& game, Budget budget,
                          std::span<const RolePlayer> players);
/// For LearnerSettings, which can hold these.
std::shared_ptr<const SettingsModel> settings_model(const EvolutionSettings& settings);
/// An evolution as a method of learning.
LearningMethod evolution_method(EvolutionMethod method);

/// What a generation brought.
struct GenerationReport {
  std::int64_t generation = 0;    ///< its number, from 1
  std::int64_t steps = 0;         ///< taken in it, over all seats of all individuals
  std::int64_t episodes = 0;      ///< played by all individuals together
  double best = 0.0, mean = 0.0;  ///< fitness of the best individual, and of all
  double stddev = 0.0;            ///< standard deviation of the fitness
  /// Fitness that a quarter, half and three quarters of the individuals are below.
  double lower = 0.0, median = 0.0, upper = 0.0;
  double mutation_strength = 0.0;        ///< how far mutations or samples reach
  double diversity = 0.0;                ///< mean distance of two individuals
  double hidden = 0.0, links = 0.0;      ///< of grown networks, mean; else 0
  std::vector<SpeciesReport> species{};  ///< of grown networks, before the next generation is made
  std::int64_t led_since = 0;            ///< generation in which the present leader was found
  std::vector<EpisodeResult>
      leader{};           ///< fresh episodes that the policy played which led when it began
  std::size_t stage = 0;  ///< of the curriculum
  double play_seconds = 0.0, decide_seconds = 0.0;  ///< of all threads of this process
  double make_seconds = 0.0;                        ///< for the next generation
};

/// Evolution of the policies of a game's roles. Every individual of a generation plays the same
/// episodes; the policy that leads is chosen by further ones, on which it was not selected. Each
/// role that evolves has a population of its own, except roles that mirror another. Opponents that
/// evolve too are met as champions of their population, past and present (Rosin and Belew: "New
/// methods for competitive coevolution", 1997). For a fixed build the results are the same bits on
/// any number of threads, and in any number of processes.
class Evolution final : public Learner {
 public:
  /// `players`: one for each role; without them the usual ones. With `processes` the episodes are
  /// shared among processes, all of which make the same calls; both must outlive the evolution.
  /// Throws Error (spec) if the settings or the game cannot be used, Error (usage) if there are not
  /// as many players as roles.
  Evolution(const Game& game, const EvolutionSettings& settings, std::uint64_t seed, Budget budget,
            WorkerPool& pool, ProcessGroup* processes = nullptr,
            std::vector<RolePlayer> players = {});
  ~Evolution() override;
  Evolution(Evolution&&) noexcept;
  Evolution& operator=(Evolution&&) noexcept;

  /// An own fitness in place of the settings': asked of each seat at an episode's end, the mean
  /// counts.
  void set_fitness(CustomFitness fitness);
  void set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                  double share) override;
  /// Begins with a policy that was trained before, in place of random networks: fixed networks take
  /// its plan, grown ones begin as mutations of its graph. Throws Error (refused) if it does not
  /// fit.
  Continuation continue_from(const TensorFile& checkpoint) override;

  /// Plays a generation of each population and finds out who leads it. Throws Error (numbers),
  /// naming individual and term, if a fitness is not finite.
  CollectReport collect() override;
  /// Makes the next generations.
  void improve() override;
  LearnerReport report() const override;
  /// What the last generation brought, in the order of the first roles that populations play.
  const std::vector<GenerationReport>& reports() const noexcept;

  std::int64_t steps() const noexcept override;    ///< over all seats of all individuals
  std::int64_t updates() const noexcept override;  ///< generations
  std::size_t stage() const noexcept override;
  std::optional<std::size_t> policy_of(std::size_t role) const noexcept override;
  /// What the policy of a role takes and gives.
  const PolicySignature& signature(std::size_t role) const;
  /// The leader of a role's population. Throws Error (usage) if it does not evolve, or before the
  /// first generation.
  Policy policy(std::size_t role = 0) const override;
  /// After generations 1, 10, 100, ...: how it began is to be seen beside how it went on.
  bool milestone() const noexcept override;

  void store(TensorFile& file) const override;
  void restore(const TensorFile& file) override;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft
