#include "zithercraft/evolve/genetic.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "evolve/ranking.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
using namespace evolve_internal;
namespace {

constexpr std::uint32_t nobody = std::numeric_limits<std::uint32_t>::max();
// Standard deviation of the logarithm by which a strength of its own mutates.
constexpr float adapting = 0.2f;
constexpr std::size_t pairs = 16, most_compared = 4096;  // for the diversity

// How an individual is made from the parents that are kept.
struct Recipe {
  std::uint32_t mother = nobody,
                father = nobody;  // numbers of parents; nobody: from nothing, no second one
  std::uint64_t seed = 0;         // of its mutation
  float strength = 0.0f;          // of its mutation, 0 for a copy
  float own_strength = 0.0f;      // that children inherit, if strengths adapt
};

}  // namespace

struct GeneticSearch::State {
  GeneticSettings settings;
  std::size_t numbers;
  std::uint64_t seed;
  Noise noise;
  std::int64_t generation = 0;
  double strength;
  std::size_t parents = 0;           // kept
  std::vector<float> vectors, next;  // of parents, [parents][numbers]; of those to come
  std::vector<Recipe> recipes;       // of this generation

  State(std::size_t n, const GeneticSettings& s, std::uint64_t given)
      : settings(s), numbers(n), seed(given), noise(n), strength(s.mutation_strength) {}

  std::span<const float> vector(std::size_t parent) const {
    return std::span(vectors).subspan(parent * numbers, numbers);
  }

  void cross(const Recipe& r, std::span<float> out) const {
    const auto father = vector(r.father);
    std::uint64_t bits = 0;
    for (std::size_t i = 0; i < numbers; ++i, bits >>= 1) {
      if (i % 64 == 0) bits = mixed(r.seed, 1, i / 64);
      if ((bits & 1) != 0) out[i] = father[i];
    }
  }

  // Changes some of the numbers: how many are passed over before the next one is drawn at once.
  void mutate_some(const Recipe& r, std::span<float> out) const {
    const auto changes = noise.slice(r.seed, numbers);
    RandomStream random(r.seed, 0, 0, Purpose::evolve);
    const double pass = std::log1p(-settings.mutated);
    for (double i = 0.0;; i += 1.0) {
      i += std::floor(std::log(1.0 - static_cast<double>(random.uniform())) / pass);
      if (i >= static_cast<double>(numbers)) return;
      const auto at = static_cast<std::size_t>(i);
      out[at] += r.strength * changes[at];
    }
  }

  void make(const Recipe& r, std::span<float> out) const {
    if (r.mother == nobody) {
      const auto first = noise.slice(r.seed, numbers);
      std::copy(first.begin(), first.end(), out.begin());
      return;
    }
    const auto mother = vector(r.mother);
    std::copy(mother.begin(), mother.end(), out.begin());
    if (r.father != nobody) cross(r, out);
    if (r.strength == 0.0f) return;
    if (settings.mutated < 1.0) {
      mutate_some(r, out);
    } else {
      noise.add(r.seed, r.strength, out);
    }
  }

  std::uint64_t seed_of(std::size_t individual) const {
    return mixed(seed, static_cast<std::uint64_t>(generation), individual);
  }
};

GeneticSearch::GeneticSearch(std::size_t numbers, const GeneticSettings& settings,
                             std::uint64_t seed, std::vector<float> start)
    : state_(std::make_unique<State>(numbers, settings, derived_seed(seed, "genetic"))) {
  State& s = *state_;
  const std::int64_t population = settings.population.value_or(256);
  if (population < 2)
    wrong_setting("population", "one individual is no population", "give at least 2");
  if (settings.elites < 0 || settings.elites >= population)
    wrong_setting("elites", "all individuals would live on unchanged",
                  "give fewer than the population");
  if (!(settings.parents > 0.0 && settings.parents <= 1.0))
    wrong_setting("parents", "no individual would have children",
                  "give a share above 0, at most 1");
  if (settings.tournament_size < 1)
    wrong_setting("tournament_size", "a tournament needs individuals", "give at least 1");
  if (!(settings.mutated > 0.0 && settings.mutated <= 1.0))
    wrong_setting("mutated", "nothing would change", "give a share above 0, at most 1");
  if (!(settings.mutation_strength > 0.0 && settings.last_mutation_strength > 0.0))
    wrong_setting("mutation_strength", "nothing would change", "give numbers above 0");
  if (!start.empty() && start.size() != numbers)
    throw Error(ErrorKind::usage,
                fmt::format("{} numbers to start from, of {}", start.size(), numbers),
                "GeneticSearch", "give as many as a vector has");
  s.vectors = std::move(start);
  s.parents = s.vectors.empty() ? 0 : 1;
  for (std::size_t i = 0; i < static_cast<std::size_t>(population); ++i) {
    const auto strength = static_cast<float>(settings.mutation_strength);
    s.recipes.push_back({.mother = s.parents == 0 ? nobody : 0,
                         .seed = s.seed_of(i),
                         .strength = s.parents == 1 && i == 0 ? 0.0f : strength,
                         .own_strength = strength});
  }
}
GeneticSearch::~GeneticSearch() = default;

std::size_t GeneticSearch::dimension() const noexcept { return state_->numbers; }
std::size_t GeneticSearch::individuals() const noexcept { return state_->recipes.size(); }
std::int64_t GeneticSearch::generation() const noexcept { return state_->generation; }
void GeneticSearch::candidate(std::size_t individual, std::span<float> out) const {
  state_->make(state_->recipes.at(individual), out);
}

void GeneticSearch::improve(std::span<const double> fitness, double progress, WorkerPool& pool) {
  State& s = *state_;
  check_fitness(fitness, individuals());
  const auto order = best_first(fitness);
  const auto people = static_cast<std::uint32_t>(order.size());
  const auto elites = static_cast<std::size_t>(s.settings.elites);
  const auto best = static_cast<std::uint32_t>(
      std::clamp(std::ceil(s.settings.parents * people), 1.0, static_cast<double>(people)));
  ++s.generation;
  s.strength = s.settings.mutation_strength *
               std::pow(s.settings.last_mutation_strength / s.settings.mutation_strength, progress);

  // By their ranks; a parent is kept from its first use on.
  std::vector<std::uint32_t> kept, place(people, nobody);
  const auto keep = [&](std::uint32_t rank) {
    if (place[rank] == nobody) {
      place[rank] = static_cast<std::uint32_t>(kept.size());
      kept.push_back(order[rank]);
    }
    return place[rank];
  };
  const auto choose = [&](RandomStream& random) {
    if (s.settings.selection == Selection::best) return random.below(best);
    std::uint32_t rank = people - 1;
    for (std::int64_t k = 0; k < s.settings.tournament_size; ++k)
      rank = std::min(rank, random.below(people));
    return rank;
  };
  std::vector<Recipe> next(people);
  for (std::size_t i = 0; i < people; ++i) {
    Recipe& r = next[i];
    r.seed = s.seed_of(i);
    RandomStream random(r.seed, 1, 0, Purpose::evolve);
    const std::uint32_t rank = i < elites ? static_cast<std::uint32_t>(i) : choose(random);
    r.mother = keep(rank);
    r.own_strength = s.recipes[order[rank]].own_strength;
    if (i < elites) continue;
    if (static_cast<double>(random.uniform()) < s.settings.crossover)
      r.father = keep(choose(random));
    if (s.settings.adapts) r.own_strength *= std::exp(adapting * random.normal());
    r.strength = s.settings.adapts ? r.own_strength : static_cast<float>(s.strength);
  }
  s.next.resize(kept.size() * s.numbers);
  pool.run(kept.size(), [&](std::size_t k, std::size_t) {
    s.make(s.recipes[kept[k]], std::span(s.next).subspan(k * s.numbers, s.numbers));
  });
  std::swap(s.vectors, s.next);
  s.parents = kept.size();
  s.recipes = std::move(next);
  if (!s.settings.adapts) return;
  double sum = 0.0;
  for (const Recipe& r : s.recipes) sum += std::log(static_cast<double>(r.own_strength));
  s.strength = std::exp(sum / people);
}

SearchReport GeneticSearch::report() const {
  const State& s = *state_;
  const std::size_t compared = std::min(s.numbers, most_compared);
  std::vector<float> a(s.numbers), b(s.numbers);
  RandomStream random(mixed(s.seed, static_cast<std::uint64_t>(s.generation), 0), 2, 0,
                      Purpose::evolve);
  double sum = 0.0;
  for (std::size_t k = 0; k < pairs; ++k) {
    const auto people = static_cast<std::uint32_t>(individuals());
    const std::uint32_t one = random.below(people),
                        other = (one + 1 + random.below(people - 1)) % people;
    candidate(one, a);
    candidate(other, b);
    for (std::size_t i = 0; i < compared; ++i)
      sum += std::fabs(static_cast<double>(a[i]) - static_cast<double>(b[i]));
  }
  return {s.strength, sum / static_cast<double>(pairs * compared)};
}

void GeneticSearch::store(TensorFile& file) const {
  const State& s = *state_;
  file.put("genetic.parents", {s.parents, s.numbers},
           std::span(s.vectors).first(s.parents * s.numbers));
  std::vector<std::int64_t> made;
  std::vector<float> strengths;
  for (const Recipe& r : s.recipes) {
    made.insert(made.end(), {r.mother, r.father, static_cast<std::int64_t>(r.seed)});
    strengths.insert(strengths.end(), {r.strength, r.own_strength});
  }
  file.put("genetic.made", std::span<const std::int64_t>(made));
  file.put("genetic.mutation_strengths", {s.recipes.size(), 2}, strengths);
  const std::int64_t generation = s.generation;
  file.put("genetic.generation", std::span(&generation, 1));
  file.put("genetic.mutation_strength", std::span<const double>(&s.strength, 1));
}

void GeneticSearch::restore(const TensorFile& file) {
  State& s = *state_;
  const auto shape = file.shape("genetic.parents");
  const auto made = file.integers("genetic.made");
  std::vector<float> strengths(2 * s.recipes.size());
  file.get("genetic.mutation_strengths", strengths);
  if (shape.size() != 2 || shape[1] != s.numbers || made.size() != 3 * s.recipes.size())
    throw Error(ErrorKind::refused, "the population is of other networks or another size",
                "checkpoint", "resume with the settings it was trained with, or start a new run");
  s.parents = shape[0];
  s.vectors.resize(s.parents * s.numbers);
  file.get("genetic.parents", s.vectors);
  for (std::size_t i = 0; i < s.recipes.size(); ++i) {
    Recipe& r = s.recipes[i];
    r = {static_cast<std::uint32_t>(made[3 * i]), static_cast<std::uint32_t>(made[3 * i + 1]),
         static_cast<std::uint64_t>(made[3 * i + 2]), strengths[2 * i], strengths[2 * i + 1]};
    for (const std::uint32_t parent : {r.mother, r.father})
      if (parent != nobody && parent >= s.parents)
        throw Error(ErrorKind::file, "an individual has a parent that is not there", "checkpoint",
                    "take another checkpoint");
  }
  s.generation = file.integers("genetic.generation").at(0);
  s.strength = file.doubles("genetic.mutation_strength").at(0);
}

}  // namespace zithercraft
