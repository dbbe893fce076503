#pragma once

#include <limits>
#include <span>
#include <vector>

#include "evolve/genome.hpp"
#include "zithercraft/evolve/noise.hpp"
#include "zithercraft/evolve/topology.hpp"

namespace zithercraft::evolve_internal {

struct Species {
  std::int64_t number = 0, age = 0, without_gain = 0;
  double best_ever = -std::numeric_limits<double>::infinity(), best = 0.0;
  Genome like{};  // genomes near it belong to the species
  std::vector<std::uint32_t> members{};
};

}  // namespace zithercraft::evolve_internal

namespace zithercraft {
using namespace evolve_internal;

struct TopologySearch::State {
  TopologySettings settings;
  std::uint64_t seed;
  Ends ends;
  NodeActivation hidden_activation, output_activation;
  Origins origins{0, 0};
  std::int64_t generation = 0, next_species = 0;
  double species_distance;
  std::vector<Genome> genomes, next;
  std::vector<Species> species;
  std::vector<std::uint32_t> species_of;

  RandomStream stream(std::uint64_t use, std::uint64_t number) const {
    return {mixed(seed, static_cast<std::uint64_t>(generation), use),
            static_cast<std::uint32_t>(number), 0, Purpose::evolve};
  }
  void sort_into_species();
  void note(std::span<const double> fitness);
  std::vector<std::size_t> children(std::span<const double> fitness) const;
  std::uint32_t choose(const Species& s, RandomStream& random) const;
  Genome child(const Species& s, std::span<const double> fitness, RandomStream& random);
  void reproduce(std::span<const double> fitness);
};

}  // namespace zithercraft
