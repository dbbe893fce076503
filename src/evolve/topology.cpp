#include "zithercraft/evolve/topology.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "evolve/ranking.hpp"
#include "evolve/topology_state.hpp"

namespace zithercraft {
using namespace evolve_internal;
namespace {

constexpr double distance_step = 1.1;  // factor
constexpr std::size_t pairs = 64;      // for the diversity

}  // namespace

void TopologySearch::State::sort_into_species() {
  for (Species& s : species) s.members.clear();
  species_of.assign(genomes.size(), 0);
  for (std::uint32_t i = 0; i < genomes.size(); ++i) {
    std::size_t at = 0;
    while (at < species.size() &&
           distance(genomes[i], species[at].like, settings) >= species_distance)
      ++at;
    if (at == species.size()) species.push_back({.number = next_species++, .like = genomes[i]});
    species[at].members.push_back(i);
  }
  std::erase_if(species, [](const Species& s) { return s.members.empty(); });
  for (std::uint32_t at = 0; at < species.size(); ++at)
    for (const std::uint32_t member : species[at].members) species_of[member] = at;
}

void TopologySearch::State::note(std::span<const double> fitness) {
  for (Species& s : species) {
    std::stable_sort(s.members.begin(), s.members.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return fitness[a] > fitness[b]; });
    s.best = fitness[s.members[0]];
    ++s.age;
    s.without_gain = s.best > s.best_ever ? 0 : s.without_gain + 1;
    s.best_ever = std::max(s.best_ever, s.best);
  }
}

// How many children each species has: by the mean fitness of its members.
std::vector<std::size_t> TopologySearch::State::children(std::span<const double> fitness) const {
  const auto [worst, best] = std::minmax_element(fitness.begin(), fitness.end());
  // As far below the worst as the best is above it: species of poor networks get children too.
  const double nought = *worst - (*best - *worst);
  std::vector<std::size_t> by_best(species.size());
  std::iota(by_best.begin(), by_best.end(), std::size_t{0});
  std::stable_sort(by_best.begin(), by_best.end(),
                   [&](std::size_t a, std::size_t b) { return species[a].best > species[b].best; });
  std::vector<double> worth(species.size(), 0.0);
  for (std::size_t rank = 0; rank < by_best.size(); ++rank) {
    const Species& s = species[by_best[rank]];
    const bool young = s.age <= settings.young;
    if (rank > 0 && !young && s.without_gain >= settings.stagnation) continue;
    double sum = 0.0;
    for (const std::uint32_t member : s.members) sum += fitness[member] - nought;
    worth[by_best[rank]] =
        (young ? settings.young_bonus : 1.0) * sum / static_cast<double>(s.members.size());
  }
  double all = std::accumulate(worth.begin(), worth.end(), 0.0);
  if (all <= 0.0) {  // all are as good as each other
    for (std::size_t k = 0; k < species.size(); ++k)
      worth[k] = static_cast<double>(species[k].members.size());
    all = static_cast<double>(genomes.size());
  }
  // Whole numbers whose sum is the population: what is left over goes to the largest remainders.
  std::vector<std::size_t> counts(species.size());
  std::vector<double> rest(species.size());
  std::size_t given = 0;
  for (std::size_t k = 0; k < species.size(); ++k) {
    const double share = worth[k] / all * static_cast<double>(genomes.size());
    counts[k] = static_cast<std::size_t>(share);
    rest[k] = share - static_cast<double>(counts[k]);
    given += counts[k];
  }
  std::vector<std::size_t> by_rest(species.size());
  std::iota(by_rest.begin(), by_rest.end(), std::size_t{0});
  std::stable_sort(by_rest.begin(), by_rest.end(),
                   [&](std::size_t a, std::size_t b) { return rest[a] > rest[b]; });
  for (std::size_t k = 0; given < genomes.size(); k = (k + 1) % by_rest.size(), ++given)
    ++counts[by_rest[k]];
  return counts;
}

std::uint32_t TopologySearch::State::choose(const Species& s, RandomStream& random) const {
  const auto count = static_cast<std::uint32_t>(
      std::max(1.0, std::ceil(settings.parents * static_cast<double>(s.members.size()))));
  return s.members[random.below(count)];
}

Genome TopologySearch::State::child(const Species& s, std::span<const double> fitness,
                                    RandomStream& random) {
  const std::uint32_t mother = choose(s, random);
  Genome made;
  if (static_cast<double>(random.uniform()) < settings.crossover) {
    const bool across = static_cast<double>(random.uniform()) < settings.across_species;
    const Species& with =
        across ? species[random.below(static_cast<std::uint32_t>(species.size()))] : s;
    const std::uint32_t father = choose(with, random);
    // Of equals the smaller one passes on its structure.
    const bool by_father = fitness[father] > fitness[mother] ||
                           (fitness[father] == fitness[mother] &&
                            genomes[father].links.size() < genomes[mother].links.size());
    made = by_father ? crossed(genomes[father], genomes[mother], settings, random)
                     : crossed(genomes[mother], genomes[father], settings, random);
  } else {
    made = genomes[mother];
  }
  mutate(made, ends, settings, origins, random);
  return made;
}

void TopologySearch::State::reproduce(std::span<const double> fitness) {
  const auto counts = children(fitness);
  origins.begin_generation();
  next.clear();
  for (std::size_t at = 0; at < species.size(); ++at) {
    const Species& s = species[at];
    std::size_t count = counts[at];
    if (count > 0 && s.members.size() >= static_cast<std::size_t>(settings.copied_from)) {
      next.push_back(genomes[s.members[0]]);
      --count;
    }
    for (; count > 0; --count) {
      RandomStream random = stream(1, next.size());
      next.push_back(child(s, fitness, random));
    }
  }
  RandomStream random = stream(2, 0);
  for (Species& s : species)
    s.like = genomes[s.members[random.below(static_cast<std::uint32_t>(s.members.size()))]];
  std::swap(genomes, next);
}

TopologySearch::TopologySearch(const NetworkGraph& start, const TopologySettings& settings,
                               std::uint64_t seed, bool continued)
    : state_(std::make_unique<State>()) {
  State& s = *state_;
  if (settings.population < 2)
    wrong_setting("population", "one individual is no population", "give at least 2");
  if (!(settings.parents > 0.0))
    wrong_setting("parents", "no individual would have children", "give a share above 0");
  if (!(settings.species_distance > 0.0))
    wrong_setting("species_distance", "every network would be a species", "give a number above 0");
  if (start.outputs == 0)
    throw Error(ErrorKind::spec, "there is no output", "TopologySearch", "give at least one");
  GraphProgram().add(start);
  s.settings = settings;
  s.seed = derived_seed(seed, "topology");
  s.ends = {static_cast<std::uint32_t>(start.inputs), static_cast<std::uint32_t>(start.outputs)};
  s.hidden_activation = start.hidden_activation;
  s.output_activation = start.output_activation;
  s.species_distance = settings.species_distance;
  Genome first;
  for (std::size_t h = 0; h < start.hidden; ++h)
    first.hidden.push_back(s.ends.first_hidden() + static_cast<std::uint32_t>(h));
  for (const auto& link : start.links)
    first.links.push_back({.number = static_cast<std::uint32_t>(first.links.size()),
                           .from = link.from,
                           .to = link.to,
                           .weight = link.weight,
                           .back = link.back});
  s.origins = Origins(static_cast<std::uint32_t>(first.links.size()),
                      static_cast<std::uint32_t>(start.nodes()));
  s.genomes.assign(static_cast<std::size_t>(settings.population), first);
  for (std::size_t i = 0; i < s.genomes.size(); ++i) {
    RandomStream random = s.stream(0, i);
    if (!continued) {
      draw_weights(s.genomes[i], settings, random);
    } else if (i > 0) {
      mutate(s.genomes[i], s.ends, settings, s.origins, random);
    }
  }
  s.sort_into_species();
}
TopologySearch::TopologySearch(TopologySearch&&) noexcept = default;
TopologySearch::~TopologySearch() = default;

std::size_t TopologySearch::individuals() const noexcept { return state_->genomes.size(); }
std::int64_t TopologySearch::generation() const noexcept { return state_->generation; }
const Genome& TopologySearch::genome(std::size_t individual) const {
  return state_->genomes.at(individual);
}
NetworkGraph TopologySearch::graph(std::size_t individual) const {
  return graph_of(genome(individual), state_->ends, state_->hidden_activation,
                  state_->output_activation);
}
std::size_t TopologySearch::species_of(std::size_t individual) const {
  return state_->species_of.at(individual);
}
double TopologySearch::species_distance() const noexcept { return state_->species_distance; }

std::vector<SpeciesReport> TopologySearch::species() const {
  std::vector<SpeciesReport> list;
  for (const Species& s : state_->species)
    list.push_back({s.number, s.members.size(), s.age, s.without_gain, s.age == 0 ? 0.0 : s.best});
  return list;
}

double TopologySearch::diversity() const {
  const State& s = *state_;
  RandomStream random = s.stream(3, 0);
  const auto people = static_cast<std::uint32_t>(individuals());
  double sum = 0.0;
  for (std::size_t k = 0; k < pairs; ++k) {
    const std::uint32_t one = random.below(people),
                        other = (one + 1 + random.below(people - 1)) % people;
    sum += distance(s.genomes[one], s.genomes[other], s.settings);
  }
  return sum / static_cast<double>(pairs);
}

void TopologySearch::improve(std::span<const double> fitness) {
  State& s = *state_;
  check_fitness(fitness, individuals());
  s.note(fitness);
  s.reproduce(fitness);
  ++s.generation;
  s.sort_into_species();
  if (s.settings.species_wanted == 0) return;
  const auto wanted = static_cast<std::size_t>(s.settings.species_wanted);
  if (s.species.size() > wanted) s.species_distance *= distance_step;
  if (s.species.size() < wanted) s.species_distance /= distance_step;
}

NetworkGraph all_linked(std::size_t inputs, std::size_t outputs) {
  NetworkGraph graph{.inputs = inputs, .outputs = outputs};
  for (std::uint32_t from = 0; from <= graph.bias(); ++from)
    for (std::size_t o = 0; o < outputs; ++o)
      graph.links.push_back(
          {from, static_cast<std::uint32_t>(graph.first_output() + o), 0.0f, false});
  return graph;
}

}  // namespace zithercraft
