#pragma once

// The fields of an evolution's settings by name and range: see config/config.hpp.

#include "learn/network_fields.hpp"
#include "zithercraft/evolve/evolution.hpp"

namespace zithercraft {

template <>
struct config::Words<EvolutionMethod> {
  static constexpr std::array list{std::pair{"genetic", EvolutionMethod::genetic},
                                   std::pair{"topology", EvolutionMethod::topology},
                                   std::pair{"cma", EvolutionMethod::cma},
                                   std::pair{"es", EvolutionMethod::es}};
};
template <>
struct config::Words<Selection> {
  static constexpr std::array list{std::pair{"best", Selection::best},
                                   std::pair{"tournament", Selection::tournament}};
};

template <class V>
void describe(V& v, GeneticSettings& s) {
  v("population", s.population, at_least(2));
  v("selection", s.selection);
  v("parents", s.parents, Rule{.low = 0.0, .high = 1.0, .above_low = true});
  v("tournament_size", s.tournament_size, at_least(1));
  v("elites", s.elites, at_least(0));
  v("crossover", s.crossover, between(0, 1));
  v("mutated", s.mutated, Rule{.low = 0.0, .high = 1.0, .above_low = true});
  v("mutation_strength", s.mutation_strength, positive());
  v("last_mutation_strength", s.last_mutation_strength, positive());
  v("adapts", s.adapts);
}

template <class V>
void describe(V& v, TopologySettings& s) {
  v("population", s.population, at_least(2));
  v("crossover", s.crossover, between(0, 1));
  v("across_species", s.across_species, between(0, 1));
  v("parents", s.parents, Rule{.low = 0.0, .high = 1.0, .above_low = true});
  v("copied_from", s.copied_from, at_least(1));
  v("stay_off", s.stay_off, between(0, 1));
  v("weights_change", s.weights_change, between(0, 1));
  v("weight_replaced", s.weight_replaced, between(0, 1));
  v("weight_step", s.weight_step, positive());
  v("weight_stddev", s.weight_stddev, positive());
  v("weight_limit", s.weight_limit, positive());
  v("new_node", s.new_node, between(0, 1));
  v("new_link", s.new_link, between(0, 1));
  v("recurrent_links", s.recurrent_links, between(0, 1));
  v("switch_link", s.switch_link, between(0, 1));
  v("species_distance", s.species_distance, positive());
  v("species_wanted", s.species_wanted, at_least(0));
  v("distance_by_links", s.distance_by_links, at_least(0));
  v("distance_by_weights", s.distance_by_weights, at_least(0));
  v("stagnation", s.stagnation, at_least(1));
  v("young", s.young, at_least(0));
  v("young_bonus", s.young_bonus, at_least(1));
}

template <class V>
void describe(V& v, CovarianceSettings& s) {
  v("population", s.population, at_least(0));
  v("first_stddev", s.first_stddev, positive());
  v("whole_up_to", s.whole_up_to, at_least(0));
}

template <class V>
void describe(V& v, StrategySettings& s) {
  v("population", s.population, at_least(2));
  v("stddev", s.stddev, positive());
  v("learning_rate", s.learning_rate, positive());
  v("last_learning_rate", s.last_learning_rate, at_least(0));
  v("decay", s.decay, between(0, 1));
}

// Those of the method, which must be known before.
template <class V>
void describe(V& v, EvolutionSettings& s) {
  if (s.method == EvolutionMethod::topology) {
    v("activation", s.activation);
    v("first_links", s.first_links);
    v("first_hidden", s.first_hidden, between(0, 65536));
  } else {
    v("policy_layers", s.policy_layers, between(1, 65536));
    v("activation", s.activation);
    v("memory", s.memory, between(0, 65536));
    v("pictures", s.pictures);
    v("picture_least", s.picture_least, at_least(1));
    v("crowd_width", s.crowd_width, between(0, 65536));
    v("crowd_queries", s.crowd_queries, between(1, 1024));
  }
  v("episodes", s.episodes, at_least(1));
  v("fresh_episodes", s.fresh_episodes);
  v("finalists", s.finalists, at_least(1));
  v("final_episodes", s.final_episodes, at_least(1));
  v("normalise", s.normalise);
  v("sampled", s.sampled);
  v("fitness", s.fitness);
  v("novelty", s.novelty, between(0, 1));
  v("neighbours", s.neighbours, at_least(1));
  v("archive", s.archive, at_least(0));
  v("hall_of_fame_size", s.hall_of_fame_size, at_least(1));
  v("against_past", s.against_past, between(0, 1));
  switch (s.method) {
    case EvolutionMethod::genetic: return describe(v, s.genetic);
    case EvolutionMethod::topology: return describe(v, s.topology);
    case EvolutionMethod::cma: return describe(v, s.covariance);
    case EvolutionMethod::es: return describe(v, s.strategy);
  }
}

}  // namespace zithercraft
