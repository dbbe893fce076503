#include "evolve/evolution_fields.hpp"
#include "learn/settings_model.hpp"
#include "zithercraft/learn/method.hpp"

namespace zithercraft {
namespace {

std::string name_of(EvolutionMethod method) {
  for (const auto& [name, value] : Words<EvolutionMethod>::list)
    if (value == method) return name;
  return {};
}

std::string about(EvolutionMethod method) {
  switch (method) {
    case EvolutionMethod::genetic: return "evolution of fixed networks by selection and mutation";
    case EvolutionMethod::topology: return "evolution of networks that grow";
    case EvolutionMethod::cma: return "evolution of fixed networks by covariance matrix adaptation";
    case EvolutionMethod::es:
      return "evolution of fixed networks by a strategy that follows an estimated gradient";
  }
  return {};
}

std::vector<MetricInfo> infos(bool grows) {
  std::vector<MetricInfo> list{
      {"generation", "", "of the evolution, from 1", ""},
      {"best", "", "fitness of the generation", "fitness"},
      {"mean", "", "fitness of the generation", "fitness"},
      {"fitness_stddev", "", "standard deviation of the generation's fitness", ""},
      {"lower", "", "fitness that a quarter of the generation is below", "fitness", Drawn::lower},
      {"upper", "", "fitness that three quarters of the generation are below", "fitness",
       Drawn::upper},
      {"median", "", "fitness that half of the generation is below", ""},
      {"mutation_strength", "", "of mutations or samples", grows ? "" : "diversity"},
      {"diversity", "", "mean distance of two individuals", "diversity"},
      {"led_since", "", "generation in which the leader was found", ""}};
  if (grows)
    list.insert(list.end(),
                {{"species", "", "in the generation", ""},
                 {"hidden", "", "hidden nodes of a network, mean", "hidden"},
                 {"links", "", "links of a network, mean", "links"},
                 {"species_size", "", "individuals of a species", "species", Drawn::line, true},
                 {"species_age", "", "generations since a species began", "", Drawn::line, true},
                 {"species_without_gain", "", "generations since a species got better", "",
                  Drawn::line, true},
                 {"species_best", "", "fitness of a species", "", Drawn::line, true}});
  list.insert(list.end(), {{"play_seconds", "s", "playing (ticks, senses)", time_chart},
                           {"decide_seconds", "s", "deciding while playing", time_chart},
                           {"make_seconds", "s", "making generations", time_chart}});
  return list;
}

std::vector<ChartInfo> charts(bool grows) {
  std::vector<ChartInfo> list{
      {.name = "fitness",
       .title = "Fitness of the generation: the best, and the band between a quarter and three "
                "quarters",
       .live = true},
      {.name = "diversity",
       .title = "Diversity: mean distance of two individuals",
       .least = 0.0,
       .live = true}};
  if (grows)
    list.insert(list.end(),
                {{.name = "species", .title = "Individuals by species", .least = 0.0},
                 {.name = "hidden", .title = "Hidden nodes of a network, mean", .least = 0.0},
                 {.name = "links", .title = "Links of a network, mean"}});
  return list;
}

}  // namespace

std::shared_ptr<const SettingsModel> settings_model(const EvolutionSettings& settings) {
  return std::make_shared<StructModel<EvolutionSettings>>(name_of(settings.method), settings);
}

LearningMethod evolution_method(EvolutionMethod method) {
  const bool grows = method == EvolutionMethod::topology;
  return {
      .name = name_of(method),
      .about = about(method),
      .controls = "dials and choices, together too; masks",
      .senses = grows ? "columns" : "columns, pictures, crowds; memory",
      .settings = EvolutionSettings{.method = method},
      .generations = true,
      .custom_fitness = true,
      .metrics = infos(grows),
      .charts = charts(grows),
      .against_collapse =
          "go back to a kept checkpoint from before; give each individual more "
          "`episodes`, or the leader more `final_episodes`",
      .against_plateau = "try stages, a larger `population`, stronger mutations or some `novelty`",
      .settle = [](const LearnerSettings& settings, const Game& game, Budget budget,
                   std::span<const RolePlayer> players) -> LearnerSettings {
        return settled(settings.as<EvolutionSettings>(), game, budget, players);
      },
      .make = [](LearnerContext c) -> std::unique_ptr<Learner> {
        auto evolution =
            std::make_unique<Evolution>(c.game, c.settings.as<EvolutionSettings>(), c.seed,
                                        c.budget, c.pool, c.processes, std::move(c.players));
        if (c.custom_fitness) evolution->set_fitness(std::move(c.custom_fitness));
        return evolution;
      }};
}

}  // namespace zithercraft
