#include "zithercraft/evolve/evolution.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <utility>

#include "evolve/evolution_metrics.hpp"
#include "evolve/population.hpp"
#include "evolve/ranking.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/curriculum.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
using namespace evolve_internal;
namespace {

// Numbers of final episodes, apart from those of the others.
constexpr std::uint32_t finals_begin = 1u << 20;

void check_settings(const EvolutionSettings& s) {
  const auto need = [](bool fine, const char* key, const char* fix) {
    if (!fine) wrong_setting(key, "it cannot be used", fix);
  };
  need(std::all_of(s.policy_layers.begin(), s.policy_layers.end(),
                   [](auto w) { return w >= 1 && w <= 65536; }),
       "policy_layers", "give widths from 1 to 65536");
  need(s.memory >= 0 && s.memory <= 65536, "memory", "give a number from 0 to 65536");
  need(s.picture_least >= 1, "picture_least", "give at least 1");
  need(s.crowd_width >= 0 && s.crowd_width <= 65536, "crowd_width",
       "give a number from 0 to 65536");
  need(s.crowd_queries >= 1 && s.crowd_queries <= 1024, "crowd_queries",
       "give a number from 1 to 1024");
  need(s.first_hidden >= 0 && s.first_hidden <= 65536, "first_hidden",
       "give a number from 0 to 65536");
  need(*s.episodes >= 1 && *s.episodes < finals_begin, "episodes", "give at least 1");
  need(s.finalists >= 1, "finalists", "give at least 1");
  need(*s.final_episodes >= 1 && *s.final_episodes < finals_begin, "final_episodes",
       "give at least 1");
  need(s.novelty >= 0 && s.novelty <= 1, "novelty", "give a share from 0 to 1");
  need(s.neighbours >= 1, "neighbours", "give at least 1");
  need(s.archive >= 0, "archive", "give at least 0");
  need(s.hall_of_fame_size >= 1, "hall_of_fame_size", "give at least 1");
  need(s.against_past >= 0 && s.against_past <= 1, "against_past", "give a share from 0 to 1");
}

}  // namespace

struct Evolution::State {
  Game game;
  EvolutionSettings settings;
  std::uint64_t seed;
  Budget budget;
  Crew crew;
  std::vector<std::shared_ptr<const Player>> players;  // of all roles; null: it evolves
  std::vector<std::unique_ptr<Population>> populations;
  std::vector<std::size_t> population_of;  // of each role; populations.size() for none
  Curriculum curriculum;
  CustomFitness custom_fitness{};
  std::int64_t generation = 0, steps = 0;
  std::vector<GenerationReport> reports;
  double progress = 0.0;         // that schedules are at when the next generation is made
  double first_diversity = 0.0;  // of the first generation
  bool collected = false;        // there is something to improve by

  State(const Game& g, const EvolutionSettings& s, std::uint64_t given, Budget length, Crew workers,
        std::vector<std::shared_ptr<const Player>> who)
      : game(g),
        settings(s),
        seed(derived_seed(given, "evolution")),
        budget(length),
        crew(workers),
        players(std::move(who)),
        curriculum(g) {}

  // Schedules end with the training; where steps count nobody knows how many the coming generation
  // will take, so it is taken to be like those before.
  double progress_of_next() const {
    const auto made = static_cast<double>(generation);
    return std::min(1.0,
                    generation == 0 ? 0.0 : budget.done(steps, generation) * (made + 1.0) / made);
  }

  std::vector<Encounter> encounters(std::size_t count, std::uint32_t first, bool fresh) const {
    std::vector<Encounter> list(count);
    for (std::size_t t = 0; t < count; ++t) {
      list[t].key = {seed, first + static_cast<std::uint32_t>(t),
                     fresh ? static_cast<std::uint32_t>(generation) : 0};
      list[t].stage = curriculum.stage_of(list[t].key);
    }
    return list;
  }

  // Whether a role that evolves plays against this population, itself included.
  bool opposed_evolve(const Population& population) const {
    for (std::size_t role = 0; role < players.size(); ++role)
      if (!players[role] && opposed(game.roles()[population.first_role()], game.roles()[role]))
        return true;
    return false;
  }

  // Everybody but those whom the population plays: as they are now, or as one of their past
  // champions. `past`: whom to take, from 0 to 1 over their time; below 0 for now.
  std::vector<std::unique_ptr<Player>> lineup(const Population& population, double past) const {
    std::vector<std::unique_ptr<Player>> list(players.size());
    for (std::size_t role = 0; role < players.size(); ++role) {
      if (population.plays(role)) continue;
      if (players[role]) {
        list[role] = players[role]->copy();
        continue;
      }
      const Population& other = *populations[population_of[role]];
      if (!other.has_leader()) {
        list[role] = usual_player(game, role, derived_seed(seed, "others"));
        continue;
      }
      const bool now = past < 0.0 || other.hall_of_fame().empty() ||
                       !opposed(game.roles()[population.first_role()], game.roles()[role]);
      const auto at = static_cast<std::size_t>(std::max(0.0, past) *
                                               static_cast<double>(other.hall_of_fame().size()));
      list[role] = policy_player(
          game, role, other.policy_of(now ? other.leader() : other.hall_of_fame().at(at)));
    }
    return list;
  }

  GenerationReport collect(Population& population) {
    auto played =
        encounters(static_cast<std::size_t>(*settings.episodes), 0, settings.fresh_episodes);
    auto finals =
        encounters(static_cast<std::size_t>(*settings.final_episodes), finals_begin, true);
    const bool against = opposed_evolve(population);
    std::vector<std::vector<std::unique_ptr<Player>>> lineups;
    lineups.push_back(lineup(population, -1.0));
    if (against) {
      RandomStream random(derived_seed(seed, game.roles()[population.first_role()].name), 0,
                          static_cast<std::uint32_t>(generation), Purpose::oppose);
      for (auto* list : {&played, &finals}) {
        const auto past = static_cast<std::size_t>(
            std::lround(settings.against_past * static_cast<double>(list->size())));
        for (std::size_t t = 0; t < past; ++t) {
          (*list)[t].against = lineups.size();
          lineups.push_back(lineup(population, static_cast<double>(random.uniform())));
        }
      }
    }
    return population.collect(played, finals, lineups, custom_fitness, against, crew);
  }
};

namespace {

std::vector<std::shared_ptr<const Player>> players_of(const Game& game,
                                                      const std::vector<RolePlayer>& given) {
  if (given.size() != game.roles().size())
    throw Error(ErrorKind::usage, "there are not as many players as roles", "Evolution",
                "give one for each");
  std::vector<std::shared_ptr<const Player>> players;
  for (std::size_t role = 0; role < given.size(); ++role) {
    if (given[role].settings)
      throw Error(ErrorKind::spec, "the roles of an evolution share their settings",
                  "role '" + game.roles()[role].name + "'", "give the settings without a role");
    players.push_back(given[role].player);
  }
  return players;
}

}  // namespace

Evolution::Evolution(const Game& game, const EvolutionSettings& given, std::uint64_t seed,
                     Budget budget, WorkerPool& pool, ProcessGroup* processes,
                     std::vector<RolePlayer> players) {
  check_length(budget, "Evolution");
  if (players.empty()) players = usual_players(game, seed);
  const EvolutionSettings settings = settled(given, game, budget, players);
  check_settings(settings);
  const auto roles = game.roles();
  state_ = std::make_unique<State>(game, settings, seed, budget, Crew{pool, processes},
                                   players_of(game, players));
  State& s = *state_;
  std::vector<std::size_t> first_of(roles.size());
  for (std::size_t r = 0; r < roles.size(); ++r) {
    const std::size_t like = roles[r].mirrors;
    first_of[r] = like != r && !s.players[like] ? like : r;
  }
  s.population_of.assign(roles.size(), roles.size());
  for (std::size_t r = 0; r < roles.size(); ++r) {
    if (s.players[r] || first_of[r] != r) continue;
    // Mirror images on the same side are played by the same individual; those on the other side by
    // its champions.
    std::vector<std::size_t> own;
    for (std::size_t other = r; other < roles.size(); ++other) {
      if (s.players[other] || first_of[other] != r) continue;
      s.population_of[other] = s.populations.size();
      if (!opposed(roles[r], roles[other])) own.push_back(other);
    }
    s.populations.push_back(
        std::make_unique<Population>(game, own, settings, seed, pool.threads()));
  }
  if (s.populations.empty())
    throw Error(ErrorKind::spec, "no role evolves", "roles", "let at least one of them learn");
}
Evolution::~Evolution() = default;
Evolution::Evolution(Evolution&&) noexcept = default;
Evolution& Evolution::operator=(Evolution&&) noexcept = default;

void Evolution::set_fitness(CustomFitness fitness) { state_->custom_fitness = std::move(fitness); }

void Evolution::set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                           double share) {
  for (auto& population : state_->populations)
    population->play().environment().set_starts(stage, arena_states, share);
}

Continuation Evolution::continue_from(const TensorFile& checkpoint) {
  const Policy policy = Policy::from(checkpoint);
  if (policy.table() != nullptr)
    throw Error(ErrorKind::refused, "what was trained before is a table and has no network", "from",
                "continue it by q_table, or begin afresh");
  for (auto& population : state_->populations)
    if (population->signature().role == policy.signature().role ||
        state_->populations.size() == 1) {
      population->start_from(policy, checkpoint);
      return {};
    }
  throw Error(ErrorKind::refused, "no role that evolves is named '" + policy.signature().role + "'",
              "from", "take the policy of a role that evolves");
}

CollectReport Evolution::collect() {
  State& s = *state_;
  CollectReport report;
  s.progress = s.progress_of_next();
  s.reports.clear();
  for (auto& population : s.populations) s.reports.push_back(s.collect(*population));
  report.stage = s.curriculum.stage();
  for (const GenerationReport& generation : s.reports) {
    report.steps += generation.steps;
    report.episodes.insert(report.episodes.end(), generation.leader.begin(),
                           generation.leader.end());
  }
  s.steps += report.steps;
  if (s.population_of[0] == 0)
    for (const EpisodeResult& e : s.reports[0].leader) s.curriculum.add(e);
  s.curriculum.advance(s.steps);
  s.collected = true;
  return report;
}

void Evolution::improve() {
  using Clock = std::chrono::steady_clock;
  State& s = *state_;
  if (!std::exchange(s.collected, false)) nothing_collected("Evolution");
  for (std::size_t p = 0; p < s.populations.size(); ++p) {
    const auto begun = Clock::now();
    s.populations[p]->improve(s.progress, s.crew.pool);
    s.reports[p].make_seconds = std::chrono::duration<double>(Clock::now() - begun).count();
  }
  if (++s.generation == 1) s.first_diversity = s.reports[0].diversity;
}

LearnerReport Evolution::report() const {
  const State& s = *state_;
  LearnerReport report;
  if (s.reports.empty()) return report;
  for (std::size_t p = 0; p < s.populations.size(); ++p)
    report.policies.push_back({s.populations[p]->first_role(), metrics_of(s.reports[p])});
  add_times(s.reports, report.policies.front().metrics);
  report.note = note_of(s.reports[0]);
  report.warnings = warnings_of(s.settings, s.reports[0], s.first_diversity);
  return report;
}

const std::vector<GenerationReport>& Evolution::reports() const noexcept { return state_->reports; }

bool Evolution::milestone() const noexcept {
  std::int64_t power = 1;
  while (power < state_->generation) power *= 10;
  return power == state_->generation;
}

std::int64_t Evolution::updates() const noexcept { return state_->generation; }
std::int64_t Evolution::steps() const noexcept { return state_->steps; }
std::size_t Evolution::stage() const noexcept { return state_->curriculum.stage(); }

std::optional<std::size_t> Evolution::policy_of(std::size_t role) const noexcept {
  const std::size_t at = state_->population_of[role];
  return at < state_->populations.size() ? std::optional(state_->populations[at]->first_role())
                                         : std::nullopt;
}

namespace {

[[noreturn]] void does_not_evolve() {
  throw Error(ErrorKind::usage, "the role does not evolve", "Evolution", "ask for one that does");
}

}  // namespace

const PolicySignature& Evolution::signature(std::size_t role) const {
  const std::size_t at = state_->population_of.at(role);
  if (at == state_->populations.size()) does_not_evolve();
  return state_->populations[at]->signature();
}

Policy Evolution::policy(std::size_t role) const {
  const std::size_t at = state_->population_of.at(role);
  if (at == state_->populations.size()) does_not_evolve();
  const Population& population = *state_->populations[at];
  if (!population.has_leader())
    throw Error(ErrorKind::usage, "there is no leader before the first generation",
                "Evolution::policy", "collect once");
  return population.policy_of(population.leader());
}

void Evolution::store(TensorFile& file) const {
  const State& s = *state_;
  for (std::size_t p = 0; p < s.populations.size(); ++p) {
    const Population& population = *s.populations[p];
    if (population.has_leader()) {
      TensorFile policy;
      population.store_policy(population.leader(), policy);
      if (p == 0) {
        file.put_part("", policy);
      } else {
        file.put_part(policy_place(population.signature().role), policy);
      }
    }
    TensorFile own;
    population.store(own);
    file.put_part("populations/" + population.signature().role + "/", own);
  }
  Counters{s.steps, s.generation}.store(file);
  file.put("first_diversity", std::span<const double>(&s.first_diversity, 1));
  file.put("curriculum", std::span<const double>(s.curriculum.numbers()));
}

void Evolution::restore(const TensorFile& file) {
  State& s = *state_;
  for (auto& population : s.populations) {
    const std::string place = "populations/" + population->signature().role + "/";
    if (!file.has_part(place))
      throw Error(
          ErrorKind::refused,
          "the checkpoint has no population for the role '" + population->signature().role + "'",
          "checkpoint", "resume with the settings it was trained with, or start a new run");
    population->restore(file.part(place));
  }
  const Counters counters = Counters::of(file.metadata, "checkpoint");
  s.steps = counters.steps;
  s.generation = counters.updates;
  s.first_diversity = file.doubles("first_diversity").at(0);
  s.curriculum.restore(file.doubles("curriculum"));
  s.collected = false;
}

}  // namespace zithercraft
