#include <array>

#include "evolve/topology_state.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
using namespace evolve_internal;
namespace {

// Genomes one behind the other, as plain arrays.
struct Flat {
  std::vector<std::int64_t> counts{}, hidden{}, links{};  // links: number, from, to, flags
  std::vector<float> weights{};

  void add(const Genome& genome) {
    counts.insert(counts.end(), {static_cast<std::int64_t>(genome.hidden.size()),
                                 static_cast<std::int64_t>(genome.links.size())});
    hidden.insert(hidden.end(), genome.hidden.begin(), genome.hidden.end());
    for (const GenomeLink& l : genome.links) {
      links.insert(links.end(), {l.number, l.from, l.to, (l.on ? 1 : 0) + (l.back ? 2 : 0)});
      weights.push_back(l.weight);
    }
  }

  void store(TensorFile& file, const std::string& name) const {
    file.put(name + ".counts", std::span<const std::int64_t>(counts));
    file.put(name + ".hidden", std::span<const std::int64_t>(hidden));
    file.put(name + ".links", std::span<const std::int64_t>(links));
    file.put(name + ".weights", {weights.size()}, weights);
  }

  static std::vector<Genome> fetch(const TensorFile& file, const std::string& name) {
    Flat flat{file.integers(name + ".counts"), file.integers(name + ".hidden"),
              file.integers(name + ".links")};
    flat.weights.resize(flat.links.size() / 4);
    file.get(name + ".weights", flat.weights);
    std::vector<Genome> genomes(flat.counts.size() / 2);
    std::size_t node = 0, link = 0;
    for (std::size_t g = 0; g < genomes.size(); ++g) {
      const auto nodes = static_cast<std::size_t>(flat.counts[2 * g]),
                 links = static_cast<std::size_t>(flat.counts[2 * g + 1]);
      if (nodes > flat.hidden.size() - node || links > flat.weights.size() - link)
        throw Error(ErrorKind::file, "genomes are cut short", name, "take another checkpoint");
      for (std::size_t i = 0; i < nodes; ++i)
        genomes[g].hidden.push_back(static_cast<std::uint32_t>(flat.hidden[node++]));
      for (std::size_t i = 0; i < links; ++i, ++link) {
        const std::int64_t* at = flat.links.data() + 4 * link;
        genomes[g].links.push_back({static_cast<std::uint32_t>(at[0]),
                                    static_cast<std::uint32_t>(at[1]),
                                    static_cast<std::uint32_t>(at[2]), flat.weights[link],
                                    (at[3] & 1) != 0, (at[3] & 2) != 0});
      }
    }
    return genomes;
  }
};

}  // namespace

void TopologySearch::store(TensorFile& file) const {
  const State& s = *state_;
  Flat genomes, likes;
  for (const Genome& genome : s.genomes) genomes.add(genome);
  genomes.store(file, "topology.genomes");
  std::vector<std::int64_t> counts, species_of(s.species_of.begin(), s.species_of.end());
  std::vector<double> best;
  for (const Species& one : s.species) {
    likes.add(one.like);
    counts.insert(counts.end(), {one.number, one.age, one.without_gain});
    best.insert(best.end(), {one.best_ever, one.best});
  }
  likes.store(file, "topology.species.like");
  file.put("topology.species.counts", std::span<const std::int64_t>(counts));
  file.put("topology.species.best", std::span<const double>(best));
  file.put("topology.species_of", std::span<const std::int64_t>(species_of));
  const std::array<std::int64_t, 4> numbers{s.generation, s.next_species, s.origins.next_link(),
                                            s.origins.next_node()};
  file.put("topology.numbers", std::span<const std::int64_t>(numbers));
  file.put("topology.species_distance", std::span<const double>(&s.species_distance, 1));
}

void TopologySearch::restore(const TensorFile& file) {
  State& s = *state_;
  auto genomes = Flat::fetch(file, "topology.genomes");
  auto likes = Flat::fetch(file, "topology.species.like");
  const auto counts = file.integers("topology.species.counts"),
             species_of = file.integers("topology.species_of"),
             numbers = file.integers("topology.numbers");
  const auto best = file.doubles("topology.species.best"),
             now = file.doubles("topology.species_distance");
  if (genomes.size() != s.genomes.size() || species_of.size() != genomes.size())
    throw Error(ErrorKind::refused, "the population has another size", "checkpoint",
                "resume with the settings it was trained with, or start a new run");
  if (counts.size() != 3 * likes.size() || best.size() != 2 * likes.size() || numbers.size() != 4 ||
      now.size() != 1)
    throw Error(ErrorKind::file, "the species cannot be understood", "checkpoint",
                "take another checkpoint");
  s.genomes = std::move(genomes);
  s.species.clear();
  for (std::size_t k = 0; k < likes.size(); ++k)
    s.species.push_back({.number = counts[3 * k],
                         .age = counts[3 * k + 1],
                         .without_gain = counts[3 * k + 2],
                         .best_ever = best[2 * k],
                         .best = best[2 * k + 1],
                         .like = std::move(likes[k])});
  s.species_of.clear();
  for (std::size_t i = 0; i < species_of.size(); ++i) {
    const auto at = static_cast<std::size_t>(species_of[i]);
    if (at >= s.species.size())
      throw Error(ErrorKind::file, "an individual is of a species that is not there", "checkpoint",
                  "take another checkpoint");
    s.species_of.push_back(static_cast<std::uint32_t>(at));
    s.species[at].members.push_back(static_cast<std::uint32_t>(i));
  }
  s.generation = numbers[0];
  s.next_species = numbers[1];
  s.origins =
      Origins(static_cast<std::uint32_t>(numbers[2]), static_cast<std::uint32_t>(numbers[3]));
  s.species_distance = now[0];
}

}  // namespace zithercraft
