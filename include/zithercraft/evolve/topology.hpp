#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "zithercraft/net/network_graph.hpp"

namespace zithercraft {

class TensorFile;

/// How networks grow.
struct TopologySettings {
  std::int64_t population = 150;  ///< individuals, at least 2

  // How children are made
  double crossover = 0.75;  ///< share of children with two parents, 0 to 1
  double across_species =
      0.001;             ///< of these: share whose parents are of different species, 0 to 1
  double parents = 0.2;  ///< share of a species, the best, that has children; above 0, at most 1
  /// the best of each species of at least this size lives on unchanged, at least 1
  std::int64_t copied_from = 5;
  double stay_off = 0.75;  ///< chance that a link that is off in one parent is off in the child

  // Mutations of a child, as chances from 0 to 1
  double weights_change = 0.8;   ///< its weights change
  double weight_replaced = 0.1;  ///< share of the changes that draw a new weight instead
  double weight_step = 0.5;      ///< standard deviation of the moves, above 0
  double weight_stddev = 1.0;    ///< standard deviation of weights that are drawn, above 0
  double weight_limit = 8.0;     ///< no weight goes beyond, above 0
  double new_node = 0.03;        ///< a link is split by a new node
  double new_link = 0.1;         ///< two nodes are joined
  double recurrent_links =
      0.5;                    ///< of these: share that carries what a node was at the step before
  double switch_link = 0.01;  ///< a link goes off or on

  // Species
  /// of networks that are of one species in the first generation, above 0
  double species_distance = 3.0;
  /// the distance moves until there are about this many species; 0: it stays
  std::int64_t species_wanted = 10;
  /// weight of the share of links that one network has and the other has not
  double distance_by_links = 1.0;
  /// weight of the mean difference between the weights of common links
  double distance_by_weights = 0.4;
  /// generations without a gain after which a species has no children, at least 1
  std::int64_t stagnation = 15;
  std::int64_t young = 10;   ///< generations in which a new species is spared that, at least 0
  double young_bonus = 1.2;  ///< factor of a young species' children, at least 1
  bool operator==(const TopologySettings&) const = default;
};

/// A link of a genome. Links of the same origin have the same number in all genomes.
struct GenomeLink {
  /// Of its origin: equal for equal structure; the nodes it joins.
  std::uint32_t number = 0, from = 0, to = 0;
  float weight = 0.0f;  ///< what it multiplies by
  /// Whether it counts; whether it goes to what is worked out before.
  bool on = true, back = false;
  bool operator==(const GenomeLink&) const = default;
};

/// What a grown network is inherited as. Inputs, the one and outputs are numbered as in
/// NetworkGraph; hidden nodes bear numbers of their own, the same for the same origin.
struct Genome {
  std::vector<std::uint32_t> hidden{};  ///< in rising order
  std::vector<GenomeLink> links{};      ///< in rising order of their numbers
  bool operator==(const Genome&) const = default;
};

/// A species of this generation.
struct SpeciesReport {
  std::int64_t number = 0;        ///< of its own, in the order in which species came up
  std::size_t size = 0;           ///< individuals
  std::int64_t age = 0;           ///< generations
  std::int64_t without_gain = 0;  ///< generations since it last became better
  double best = 0.0;  ///< fitness of its best one in the last generation; 0 if it is new
};

/// Evolution of networks that begin small and grow (Stanley and Miikkulainen: "Evolving neural
/// networks through augmenting topologies", 2002): crossover by the origin of links, species that
/// share their fitness, and structure that comes up by mutation. The same seed and fitness give the
/// same bits.
class TopologySearch {
 public:
  /// All genomes of the first generation have the nodes and links of `start`, their weights are
  /// drawn; or if `continued` is set, they are mutations of it, the first one being the start
  /// itself. Throws Error (spec) if settings or start make no sense.
  TopologySearch(const NetworkGraph& start, const TopologySettings& settings, std::uint64_t seed,
                 bool continued = false);
  TopologySearch(TopologySearch&&) noexcept;
  ~TopologySearch();

  /// How many there are.
  std::size_t individuals() const noexcept;
  /// Generations that are done.
  std::int64_t generation() const noexcept;
  /// What an individual is made of.
  const Genome& genome(std::size_t individual) const;
  /// The network of an individual.
  NetworkGraph graph(std::size_t individual) const;
  /// The species of an individual, as a place in `species`.
  std::size_t species_of(std::size_t individual) const;
  /// All species, the oldest first.
  std::vector<SpeciesReport> species() const;
  /// The largest distance at which networks are of one species now.
  double species_distance() const noexcept;
  /// Mean distance of two individuals.
  double diversity() const;

  /// Makes the next generation. `fitness`: of each individual, more is better. Throws Error
  /// (numbers), naming the individual, if one is not finite.
  void improve(std::span<const double> fitness);

  /// Keeps all of it in a checkpoint.
  void store(TensorFile& file) const;
  /// Throws Error (file, refused) if it was not stored by such a search.
  void restore(const TensorFile& file);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// How unlike two genomes are, by the weights of the settings; 0 for the same.
double distance(const Genome& a, const Genome& b, const TopologySettings& settings);

/// A start without hidden nodes in which every input, and the one, is linked to every output.
NetworkGraph all_linked(std::size_t inputs, std::size_t outputs);

}  // namespace zithercraft
