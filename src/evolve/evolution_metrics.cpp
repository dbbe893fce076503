#include "evolve/evolution_metrics.hpp"

#include <fmt/format.h>

namespace zithercraft::evolve_internal {
namespace {

constexpr std::int64_t at_first = 10;  // generations in which nothing is warned of

}  // namespace

std::vector<Metric> metrics_of(const GenerationReport& r) {
  std::vector<Metric> list{{"generation", static_cast<double>(r.generation)},
                           {"best", r.best},
                           {"mean", r.mean},
                           {"fitness_stddev", r.stddev},
                           {"lower", r.lower},
                           {"median", r.median},
                           {"upper", r.upper},
                           {"mutation_strength", r.mutation_strength},
                           {"diversity", r.diversity},
                           {"led_since", static_cast<double>(r.led_since)}};
  if (r.species.empty()) return list;
  list.insert(list.end(), {{"species", static_cast<double>(r.species.size())},
                           {"hidden", r.hidden},
                           {"links", r.links}});
  for (const SpeciesReport& s : r.species)
    list.insert(list.end(),
                {{"species_size", static_cast<double>(s.size), s.number},
                 {"species_age", static_cast<double>(s.age), s.number},
                 {"species_without_gain", static_cast<double>(s.without_gain), s.number},
                 {"species_best", s.best, s.number}});
  return list;
}

void add_times(const std::vector<GenerationReport>& reports, std::vector<Metric>& metrics) {
  double play = 0.0, decide = 0.0, make = 0.0;
  for (const GenerationReport& r : reports) {
    play += r.play_seconds;
    decide += r.decide_seconds;
    make += r.make_seconds;
  }
  metrics.insert(metrics.end(),
                 {{"play_seconds", play}, {"decide_seconds", decide}, {"make_seconds", make}});
}

std::string note_of(const GenerationReport& r) {
  const std::string species =
      r.species.empty() ? "" : fmt::format("  {} species", r.species.size());
  return fmt::format("generation {}  best {:.2f}  mean {:.2f} +- {:.2f}{}", r.generation, r.best,
                     r.mean, r.stddev, species);
}

std::vector<std::string> warnings_of(const EvolutionSettings& settings, const GenerationReport& r,
                                     double first_diversity) {
  std::vector<std::string> list;
  if (r.generation <= at_first) return list;
  if (r.species.size() == 1)
    list.emplace_back(
        "one species is left: lower species_distance, or raise species_wanted and young");
  if (settings.method != EvolutionMethod::es && settings.method != EvolutionMethod::cma &&
      r.diversity < little_diversity * first_diversity)
    list.emplace_back(
        "diversity is gone: raise last_mutation_strength or parents, or give novelty some weight");
  if (r.stddev == 0.0)
    list.emplace_back(
        "all individuals are as good as each other: reward what some of them already do");
  return list;
}

}  // namespace zithercraft::evolve_internal
