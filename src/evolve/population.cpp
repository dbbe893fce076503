#include "evolve/population.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "evolve/ranking.hpp"
#include "evolve/vector_batch.hpp"
#include "net/network_tensors.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/match/plan_fronts.hpp"
#include "zithercraft/net/network_map.hpp"

namespace zithercraft::evolve_internal {
using namespace net_internal;
namespace {

// Individuals that play an episode before the first generation, for the columns.
constexpr std::size_t warming = 32;
// Individuals of a generation that the columns' statistics are taken from.
constexpr std::size_t noted = 16;
constexpr double leader_moves = 0.3;  // share of its newest finals in what a leader is worth
constexpr std::string_view term_prefix = "term.";

std::vector<std::size_t> widths(const std::vector<std::int64_t>& layers) {
  return {layers.begin(), layers.end()};
}

double quantile(const std::vector<double>& sorted, double share) {
  const double at = share * static_cast<double>(sorted.size() - 1);
  const auto low = static_cast<std::size_t>(at);
  const std::size_t high = std::min(low + 1, sorted.size() - 1);
  return sorted[low] + (at - static_cast<double>(low)) * (sorted[high] - sorted[low]);
}

// From 0 for the worst to 1 for the best.
std::vector<double> ranks_of(std::span<const double> values) {
  const auto order = best_first(values);
  std::vector<double> ranks(values.size());
  for (std::size_t k = 0; k < order.size(); ++k)
    ranks[order[k]] = 1.0 - static_cast<double>(k) /
                                static_cast<double>(std::max<std::size_t>(1, order.size() - 1));
  return ranks;
}

}  // namespace

Population::Population(const Game& game, std::vector<std::size_t> roles,
                       const EvolutionSettings& settings, std::uint64_t seed, std::size_t workers)
    : game_(game),
      roles_(std::move(roles)),
      settings_(settings),
      seed_(derived_seed(seed, game.roles()[roles_[0]].name)),
      workers_(workers),
      archive_(static_cast<std::size_t>(settings.archive),
               static_cast<std::size_t>(settings.neighbours)) {
  const Role& role = game_.roles()[roles_[0]];
  heads_ = Heads(role.controls, role.columns);
  signature_.role = role.name;
  signature_.columns = role.columns;
  signature_.controls = role.controls;
  signature_.sampled = settings_.sampled;
  if (settings_.fitness.starts_with(term_prefix)) {
    const auto name = settings_.fitness.substr(term_prefix.size());
    const auto at = std::find(role.terms.begin(), role.terms.end(), name);
    if (at == role.terms.end())
      wrong_setting("fitness", "there is no term '" + name + "'", advice(name, role.terms));
    term_ = static_cast<std::size_t>(at - role.terms.begin());
  } else if (settings_.fitness != "return" && settings_.fitness != "success" &&
             settings_.fitness != "length") {
    wrong_setting("fitness", "'" + settings_.fitness + "' is no fitness",
                  "give return, success, length or term.NAME");
  }
  play_ = std::make_unique<PopulationPlay>(game_, roles_, workers_, settings_.sampled);
  if (settings_.method == EvolutionMethod::topology) {
    signature_.grown = true;
    signature_.policy = {.columns = role.columns.size(), .outputs = heads_.outputs()};
    make_topology(first_graph(), false);
  } else {
    signature_.policy = plan_fronts(role, {settings_.pictures, settings_.picture_least,
                                           settings_.crowd_width, settings_.crowd_queries});
    signature_.policy.hidden = widths(settings_.policy_layers);
    signature_.policy.activation = settings_.activation;
    signature_.policy.memory = static_cast<std::size_t>(settings_.memory);
    make_search({});
  }
  see_through(normaliser_for(signature_.policy));
}

void Population::make_search(std::vector<float> start) {
  net_ = Network<float>(signature_.policy);
  const std::size_t numbers = plain_numbers(net_);
  switch (settings_.method) {
    case EvolutionMethod::genetic:
      search_ =
          std::make_unique<GeneticSearch>(numbers, settings_.genetic, seed_, std::move(start));
      break;
    case EvolutionMethod::cma: {
      std::vector<double> first(start.begin(), start.end());
      if (first.empty()) {
        RandomStream random(derived_seed(seed_, "first network"), 0, 0, Purpose::evolve);
        for (std::size_t i = 0; i < numbers; ++i)
          first.push_back(static_cast<double>(random.normal()));
      }
      search_ = std::make_unique<CovarianceSearch>(numbers, settings_.covariance, seed_,
                                                   std::move(first));
      break;
    }
    case EvolutionMethod::es:
      search_ =
          std::make_unique<StrategySearch>(numbers, settings_.strategy, seed_, std::move(start));
      break;
    case EvolutionMethod::topology: break;
  }
  vectors_ = vector_batch(signature_.policy, std::max(search_->individuals(), warming),
                          play_->most_rows(), workers_);
}

void Population::make_topology(const NetworkGraph& start, bool continued) {
  topology_ = std::make_unique<TopologySearch>(start, settings_.topology, seed_, continued);
  graphs_ = std::make_unique<GraphBatch>(start.inputs, start.outputs,
                                         std::max(topology_->individuals(), warming),
                                         play_->most_rows(), workers_);
}

namespace {

// A first graph from links by name. Whatever is no column and no output is a hidden node; their
// numbers follow those of the outputs.
class GraphOfLinks {
 public:
  GraphOfLinks(const Role& role, NetworkGraph& graph)
      : role_(role), outputs_(output_names(role.controls)), graph_(graph) {}

  void join(std::size_t from, std::size_t to) {
    graph_.links.push_back(
        {static_cast<std::uint32_t>(from), static_cast<std::uint32_t>(to), 0.0f, false});
  }
  // From every column and the bias to a node.
  void join_senses(std::size_t to) {
    for (std::size_t from = 0; from <= graph_.bias(); ++from) join(from, to);
  }
  void add(const std::string& text) {
    if (text == "all") {
      for (std::size_t from = 0; from <= graph_.bias(); ++from)
        for (std::size_t o = 0; o < graph_.outputs; ++o) join(from, graph_.first_output() + o);
      return;
    }
    const std::size_t arrow = text.find(" > ");
    if (arrow == std::string::npos)
      wrong_setting("first_links", "'" + text + "' is no link", "write FROM > TO, or all");
    const std::string from = text.substr(0, arrow), to = text.substr(arrow + 3);
    if (output(from) < outputs_.size())
      wrong_setting("first_links", "'" + text + "' begins at an output",
                    "let it begin at a column, at the bias or at a hidden node");
    if (to == "bias" || column(to) < role_.columns.size())
      wrong_setting("first_links", "'" + text + "' ends at a column",
                    "let it end at an output or at a hidden node");
    const std::size_t begin = column(from) < role_.columns.size() ? column(from)
                              : from == "bias"                    ? graph_.bias()
                                                                  : hidden_node(from);
    join(begin,
         output(to) < outputs_.size() ? graph_.first_output() + output(to) : hidden_node(to));
  }
  // Counts the hidden nodes that links named, and checks that each has links on both sides.
  void finish() {
    graph_.hidden = hidden_.size();
    for (const auto& [name, node] : hidden_) {
      const bool read = std::any_of(graph_.links.begin(), graph_.links.end(),
                                    [&, at = node](const auto& l) { return l.to == at; });
      const bool reads = std::any_of(graph_.links.begin(), graph_.links.end(),
                                     [&, at = node](const auto& l) { return l.from == at; });
      if (!read || !reads)
        wrong_setting("first_links",
                      "'" + name +
                          "' is neither a column nor an output, and as a hidden node it has links "
                          "on one side only",
                      "look for it among the role's columns, or give it links on both sides");
    }
  }

 private:
  std::size_t column(const std::string& name) const {
    return static_cast<std::size_t>(std::find_if(role_.columns.begin(), role_.columns.end(),
                                                 [&](const Column& c) { return c.name == name; }) -
                                    role_.columns.begin());
  }
  std::size_t output(const std::string& name) const {
    return static_cast<std::size_t>(std::find(outputs_.begin(), outputs_.end(), name) -
                                    outputs_.begin());
  }
  std::size_t hidden_node(const std::string& name) {
    return hidden_.try_emplace(name, graph_.first_hidden() + hidden_.size()).first->second;
  }

  const Role& role_;
  std::vector<std::string> outputs_;
  NetworkGraph& graph_;
  std::map<std::string, std::size_t> hidden_;
};

}  // namespace

NetworkGraph Population::first_graph() const {
  const Role& role = game_.roles()[roles_[0]];
  NetworkGraph graph{.inputs = role.columns.size(), .outputs = heads_.outputs()};
  switch (settings_.activation) {
    case Activation::tanh: graph.hidden_activation = NodeActivation::tanh; break;
    case Activation::relu: graph.hidden_activation = NodeActivation::relu; break;
    case Activation::silu:
      wrong_setting("activation", "grown networks do not know silu", "give tanh or relu");
  }
  GraphOfLinks by_name(role, graph);
  if (settings_.first_links.empty() && settings_.first_hidden == 0) by_name.add("all");
  for (const std::string& text : settings_.first_links) by_name.add(text);
  by_name.finish();
  for (std::int64_t h = 0; h < settings_.first_hidden; ++h) {
    const std::size_t node = graph.nodes();
    ++graph.hidden;
    by_name.join_senses(node);
    for (std::size_t o = 0; o < graph.outputs; ++o) by_name.join(node, graph.first_output() + o);
  }
  return graph;
}

void Population::start_from(const Policy& policy, const TensorFile& checkpoint) {
  const PolicySignature& found = policy.signature();
  PolicySignature wanted = found;
  wanted.columns = signature_.columns;
  wanted.controls = signature_.controls;
  const auto refuse = [&](const std::string& what, const std::string& fix) {
    throw Error(ErrorKind::refused, "the evolution cannot begin with this policy: " + what,
                "role '" + signature_.role + "'", fix);
  };
  if (const auto d = first_difference(wanted, found); !d.empty())
    refuse(d, "use one with the same senses and controls");
  if (found.grown != signature_.grown)
    refuse(found.grown ? "it has grown" : "its network is fixed",
           found.grown ? "evolve it by topology" : "evolve it by genetic, cma or es");
  if (found.grown && policy.graph()->hidden_activation != first_graph().hidden_activation)
    refuse("its hidden nodes have another activation", "set `activation` to that of its run");
  see_through(fetch_normaliser(checkpoint, found.policy));
  if (found.grown) return make_topology(*policy.graph(), true);
  // A value output of the network is left out.
  const Network<float> old(found.policy);
  AlignedBuffer<float> parameters(old.parameters());
  fetch_network(checkpoint, "policy", old, parameters.span());
  signature_.policy = found.policy;
  signature_.policy.outputs = heads_.outputs();
  const Network<float> now(signature_.policy);
  AlignedBuffer<float> taken(now.parameters());
  for (std::size_t p = 0; p < now.parts().size(); ++p) {
    const NetworkPart &from = old.parts()[p], &to = now.parts()[p];
    for (std::size_t r = 0; r < to.rows; ++r)
      std::copy_n(parameters.begin() + from.offset + r * from.stride, to.width,
                  taken.begin() + to.offset + r * to.stride);
  }
  make_search(weights_to_vector(now, taken.span()));
}

std::size_t Population::individuals() const {
  return topology_ ? topology_->individuals() : search_->individuals();
}

Champion Population::individual(std::size_t number) const {
  Champion champion{.normaliser = normaliser_};
  if (topology_) {
    champion.graph = topology_->graph(number);
  } else {
    champion.numbers.resize(search_->dimension());
    search_->candidate(number, champion.numbers);
  }
  return champion;
}

void Population::play_with(const std::vector<Champion>* champions, std::size_t count,
                           std::span<const Encounter> encounters, const Lineups& lineups,
                           const PopulationPlay::Wishes& wishes, GenerationReport& report,
                           const Crew& crew) {
  const std::size_t terms = play_->terms();
  results_.resize(count * encounters.size());
  rewards_.resize(results_.size() * terms);
  NetworkBatch& batch = topology_ ? static_cast<NetworkBatch&>(*graphs_) : *vectors_;
  for (std::size_t first = 0, n = 0; first < count; first += n) {
    const std::size_t most = std::min(batch.capacity(), count - first);
    const auto sees_as = [&](std::size_t i) {
      return champions != nullptr ? (*champions)[i].normaliser : normaliser_;
    };
    const auto normaliser = sees_as(first);
    for (n = 1; n < most && sees_as(first + n) == normaliser;) ++n;
    if (topology_) {
      loaded_.clear();
      for (std::size_t i = first; i < first + n; ++i)
        loaded_.push_back(champions != nullptr ? (*champions)[i].graph : topology_->graph(i));
      graphs_->load(loaded_);
    } else {
      vectors_->load(
          n,
          [&](std::size_t place, std::span<float> out) {
            if (champions == nullptr) return search_->candidate(first + place, out);
            const auto& numbers = (*champions)[first + place].numbers;
            std::copy(numbers.begin(), numbers.end(), out.begin());
          },
          crew.pool);
    }
    play_->play(batch, *normaliser, first, n, encounters, lineups, wishes,
                std::span(results_).subspan(first * encounters.size(), n * encounters.size()),
                std::span(rewards_).subspan(first * encounters.size() * terms,
                                            n * encounters.size() * terms),
                crew.pool, crew.processes);
    report.steps += play_->steps();
    report.play_seconds += play_->play_seconds();
    report.decide_seconds += play_->decide_seconds();
    notes_.insert(notes_.end(), play_->notes().begin(), play_->notes().end());
  }
  report.episodes += static_cast<std::int64_t>(results_.size());
}

// In the order of individuals.
void Population::fold_notes() {
  if (settings_.normalise) {
    Normaliser next = *normaliser_;
    for (const auto& moments : notes_) next.fold(moments);
    see_through(std::move(next));
  }
  notes_.clear();
}

double Population::worth(std::size_t result) const {
  const EncounterResult& r = results_[result];
  if (own_) return r.custom_fitness;
  if (settings_.fitness == "return") return r.episode_return;
  if (settings_.fitness == "success") return r.success;
  if (settings_.fitness == "length") return r.length;
  return rewards_[result * play_->terms() + term_];
}

std::vector<double> Population::mean_worth(std::size_t count, std::size_t encounters) const {
  std::vector<double> means(count);
  for (std::size_t i = 0; i < count; ++i) {
    for (std::size_t t = 0; t < encounters; ++t)
      means[i] += worth(i * encounters + t) / static_cast<double>(encounters);
    if (!std::isfinite(means[i]))
      throw Error(ErrorKind::numbers,
                  fmt::format("the fitness of individual {} is {} ({})", i, means[i],
                              own_ ? "custom" : settings_.fitness),
                  "role '" + signature_.role + "'",
                  "let it be a finite number for everything that an individual can do");
  }
  return means;
}

void Population::learn_columns(std::span<const Encounter> encounters, const Lineups& lineups,
                               GenerationReport& report, const Crew& crew) {
  if (!settings_.normalise || normaliser_->count() > 0.0) return;
  play_with(nullptr, std::min(individuals(), warming), encounters.first(1), lineups,
            {.notes_every = 1}, report, crew);
  fold_notes();
}

void Population::choose_leader(std::span<const double> fitness, std::span<const Encounter> finals,
                               const Lineups& lineups, const CustomFitness& custom_fitness,
                               bool opposed_evolve, GenerationReport& report, const Crew& crew) {
  const std::int64_t generation = report.generation;
  std::vector<Champion> candidates;
  if (led_) candidates.push_back(leader_);
  Champion middle{.normaliser = normaliser_};
  const bool has_middle =
      search_ && (middle.numbers.resize(search_->dimension()), search_->mean(middle.numbers));
  if (has_middle) {
    candidates.push_back(std::move(middle));
  } else {
    const auto order = best_first(fitness);
    for (std::size_t k = 0;
         k < std::min(order.size(), static_cast<std::size_t>(settings_.finalists)); ++k)
      candidates.push_back(individual(order[k]));
  }
  for (std::size_t k = led_ ? 1 : 0; k < candidates.size(); ++k)
    candidates[k].generation = generation;
  play_with(&candidates, candidates.size(), finals, lineups,
            {.custom_fitness = custom_fitness, .notes_every = candidates.size()}, report, crew);
  const auto worths = mean_worth(candidates.size(), finals.size());
  std::size_t best = 0;
  if (led_) leader_worth_ += leader_moves * (worths[0] - leader_worth_);
  for (std::size_t k = 1; k < candidates.size(); ++k) {
    // A new leader must do better on the same episodes, and than the leader did lately; a mean
    // always does.
    const bool better = worths[k] > worths[best] &&
                        (!led_ || best > 0 || opposed_evolve || worths[k] > leader_worth_);
    if (better || (has_middle && k + 1 == candidates.size())) best = k;
  }
  const std::size_t shown = led_ ? 0 : best,
                    terms = play_->terms();  // the leader so far, or the first one of all
  for (std::size_t t = 0; t < finals.size(); ++t) {
    const std::size_t at = shown * finals.size() + t;
    EpisodeResult& e = report.leader.emplace_back();
    e.episode_return = results_[at].episode_return;
    e.length = static_cast<std::uint32_t>(results_[at].length);
    e.outcome = results_[at].success >= 0.5 ? Outcome::success : Outcome::failure;
    e.role = roles_[0];
    e.stage = finals[t].stage;
    e.ledger.assign(rewards_.begin() + static_cast<std::ptrdiff_t>(at * terms),
                    rewards_.begin() + static_cast<std::ptrdiff_t>((at + 1) * terms));
  }
  if (!led_ || best > 0) {
    leader_worth_ = worths[best];
    leader_ = std::move(candidates[best]);
    led_ = true;
  }
  report.led_since = leader_.generation;
}

std::vector<double> Population::with_novelty(std::span<const double> fitness,
                                             std::size_t encounters) {
  if (settings_.novelty == 0.0) return {fitness.begin(), fitness.end()};
  std::vector<std::vector<float>> places(fitness.size());
  for (std::size_t i = 0; i < fitness.size(); ++i)
    for (std::size_t t = 0; t < encounters; ++t) {
      const auto& place = results_[i * encounters + t].place;
      places[i].insert(places[i].end(), place.begin(), place.end());
    }
  const auto novelty = archive_.judge(places);
  const auto by_fitness = ranks_of(fitness), by_novelty = ranks_of(novelty);
  std::vector<double> both(fitness.size());
  for (std::size_t i = 0; i < both.size(); ++i)
    both[i] = (1.0 - settings_.novelty) * by_fitness[i] + settings_.novelty * by_novelty[i];
  return both;
}

// Champions of past generations, ever further apart as these become more.
void Population::keep_in_hall_of_fame(std::int64_t generation) {
  if (generation % fame_interval_ != 0) return;
  hall_of_fame_.push_back(leader_);
  hall_of_fame_.back().generation = generation;
  if (hall_of_fame_.size() <= static_cast<std::size_t>(settings_.hall_of_fame_size)) return;
  fame_interval_ *= 2;
  std::erase_if(hall_of_fame_,
                [&](const Champion& c) { return c.generation % fame_interval_ != 0; });
}

// What grown networks are made of, and the species of each.
void Population::describe_grown(std::span<const double> fitness, GenerationReport& report) const {
  const std::size_t people = fitness.size();
  for (std::size_t i = 0; i < people; ++i) {
    report.hidden +=
        static_cast<double>(topology_->genome(i).hidden.size()) / static_cast<double>(people);
    report.links +=
        static_cast<double>(topology_->graph(i).links.size()) / static_cast<double>(people);
  }
  report.mutation_strength = settings_.topology.weight_step;
  report.diversity = topology_->diversity();
  report.species = topology_->species();
  for (SpeciesReport& s : report.species) s.best = -std::numeric_limits<double>::infinity();
  for (std::size_t i = 0; i < people; ++i) {
    SpeciesReport& s = report.species[topology_->species_of(i)];
    s.best = std::max(s.best, fitness[i]);
  }
}

GenerationReport Population::collect(std::span<const Encounter> encounters,
                                     std::span<const Encounter> finals, const Lineups& lineups,
                                     const CustomFitness& custom_fitness, bool opposed_evolve,
                                     const Crew& crew) {
  GenerationReport report;
  report.generation = (topology_ ? topology_->generation() : search_->generation()) + 1;
  report.stage = encounters[0].stage;
  own_ = static_cast<bool>(custom_fitness);
  learn_columns(encounters, lineups, report, crew);
  const std::size_t people = individuals();
  play_with(nullptr, people, encounters, lineups,
            {.custom_fitness = custom_fitness, .notes_every = (people + noted - 1) / noted}, report,
            crew);
  const auto fitness = mean_worth(people, encounters.size());
  selected_by_ = with_novelty(fitness, encounters.size());
  std::vector<double> sorted = fitness;
  std::sort(sorted.begin(), sorted.end());
  report.best = sorted.back();
  report.mean = std::accumulate(sorted.begin(), sorted.end(), 0.0) / static_cast<double>(people);
  for (const double f : sorted)
    report.stddev += (f - report.mean) * (f - report.mean) / static_cast<double>(people);
  report.stddev = std::sqrt(report.stddev);
  report.lower = quantile(sorted, 0.25);
  report.median = quantile(sorted, 0.5);
  report.upper = quantile(sorted, 0.75);
  choose_leader(fitness, finals, lineups, custom_fitness, opposed_evolve, report, crew);
  if (opposed_evolve) keep_in_hall_of_fame(report.generation);
  if (topology_) {
    describe_grown(fitness, report);
  } else {
    const SearchReport search = search_->report();
    report.mutation_strength = search.mutation_strength;
    report.diversity = search.diversity;
  }
  return report;
}

void Population::improve(double progress, WorkerPool& pool) {
  fold_notes();
  if (topology_) {
    topology_->improve(selected_by_);
  } else {
    search_->improve(selected_by_, progress, pool);
  }
}

}  // namespace zithercraft::evolve_internal
