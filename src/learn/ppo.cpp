#include "zithercraft/learn/ppo.hpp"

#include <algorithm>
#include <cmath>

#include "../net/network_tensors.hpp"
#include "ppo_state.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

PolicySignature signature_for(const Role& role, const PpoSettings& settings) {
  auto [policy, value] = plan_networks(role, settings);
  return {role.name, role.columns, role.controls, std::move(policy), std::move(value)};
}

void check_settings(const PpoSettings& s) {
  const auto need = [](bool fine, const char* key, const char* mend) {
    if (!fine)
      throw Error(Fault::spec, "the learner's setting '" + std::string(key) + "' cannot be used", "learner", mend);
  };
  const auto layers = [](const std::vector<std::int64_t>& widths) {
    return std::all_of(widths.begin(), widths.end(), [](std::int64_t w) { return w >= 1 && w <= 65536; });
  };
  need(layers(s.policy_layers), "policy_layers", "give widths from 1 to 65536");
  need(layers(s.value_layers), "value_layers", "give widths from 1 to 65536");
  need(s.memory >= 0 && s.memory <= 65536, "memory", "give a number from 0 to 65536");
  need(s.memory == 0 || (s.memory_span >= 1 && s.horizon % s.memory_span == 0), "memory_span",
       "give a number that divides the horizon");
  need(s.picture_least >= 1, "picture_least", "give at least 1");
  need(s.crowd_width >= 0 && s.crowd_width <= 65536, "crowd_width", "give a number from 0 to 65536");
  need(s.crowd_queries >= 1 && s.crowd_queries <= 1024, "crowd_queries", "give a number from 1 to 1024");
  need(s.lanes >= 1 && s.lanes <= 65536, "lanes", "give a number from 1 to 65536");
  need(s.horizon >= 1 && s.horizon <= 65536, "horizon", "give a number from 1 to 65536");
  need(s.epochs >= 1, "epochs", "give at least 1");
  need(s.minibatch >= 1, "minibatch", "give at least 1");
  need(s.kl_limit >= 0, "kl_limit", "give a number of at least 0");
  need(s.value_weight > 0, "value_weight", "give a number above 0");
  need(s.value_clip >= 0, "value_clip", "give a number of at least 0");
  need(s.learning_rate > 0 && std::isfinite(s.learning_rate), "learning_rate", "give a number above 0");
  need(s.last_learning_rate >= 0 && std::isfinite(s.last_learning_rate), "last_learning_rate",
       "give a number of at least 0");
  need(s.discount >= 0 && s.discount <= 1, "discount", "give a number from 0 to 1");
  need(s.trace_decay >= 0 && s.trace_decay <= 1, "trace_decay", "give a number from 0 to 1");
  need(s.clip > 0, "clip", "give a number above 0");
  need(s.entropy_weight >= 0, "entropy_weight", "give a number of at least 0");
  need(s.last_entropy_weight >= 0, "last_entropy_weight", "give a number of at least 0");
  need(s.entropy_fades_by > 0 && s.entropy_fades_by <= 1, "entropy_fades_by", "give a number above 0, at most 1");
  need(s.gradient_limit > 0, "gradient_limit", "give a number above 0");
  need(s.first_spread > 0, "first_spread", "give a number above 0");
}

}  // namespace

PhaseTimes& PhaseTimes::operator+=(const PhaseTimes& other) {
  play += other.play;
  decide += other.decide;
  learn += other.learn;
  step += other.step;
  wall += other.wall;
  return *this;
}

Ppo::State::Room::Room(const State& s)
    : loss(s.nets, s.span_samples()),
      inputs(s.groups[0].rows * s.nets.policy.input_stride()),
      memory(s.groups[0].rows * s.memory_each()) {
  for (std::size_t role = 1; role < s.game.roles().size(); ++role)
    others.push_back(usual_pilot(s.game, role, derived_seed(s.seed, "others")));
}

namespace {

std::vector<Group> groups_of(const Lanes& lanes) {
  std::vector<Group> groups;
  const std::size_t seats = lanes.seats(0), together = std::max<std::size_t>(1, rows_per_group / seats);
  for (std::size_t first = 0; first < lanes.count(); first += together) {
    const std::size_t n = std::min(together, lanes.count() - first);
    groups.push_back({first, n, first * seats, n * seats});
  }
  return groups;
}

std::size_t rows_of(std::span<const Group> groups) {
  std::size_t rows = 0;
  for (const Group& group : groups) rows += group.rows;
  return rows;
}

void check_share(std::size_t groups, std::size_t ranks) {
  if (groups % ranks != 0)
    throw Error(Fault::refused,
                std::to_string(groups) + " groups of lanes that are played together cannot be shared out evenly among " +
                    std::to_string(ranks) + " processes",
                "learner.lanes", "give " + std::to_string(ranks) + " times as many lanes, or start fewer processes");
}

}  // namespace

Ppo::State::State(const Game& game_, const PpoSettings& settings_, std::uint64_t seed_, std::int64_t total,
                  WorkerPool& pool_, Ranks* ranks_)
    : game(game_),
      settings(settings_),
      seed(seed_),
      total_decisions(total),
      pool(pool_),
      ranks(ranks_),
      lanes(game, static_cast<std::size_t>(settings.lanes), pool.threads()),
      curriculum(game),
      signature(signature_for(role(), settings)),
      nets(Heads(role().controls, role().columns), signature.policy, signature.value),
      groups(groups_of(lanes)),
      first_own(ranks == nullptr ? 0 : groups.size() / ranks->count() * ranks->number()),
      own_count(ranks == nullptr ? groups.size() : groups.size() / ranks->count()),
      rollout({.rows = rows_of(own_groups()),
               .horizon = static_cast<std::size_t>(settings.horizon),
               .inputs = nets.policy.input_stride(),
               .controls = role().controls.size(),
               .masks = nets.heads.masks(),
               .memory = memory_each(),
               .memory_span = static_cast<std::size_t>(remembers() ? settings.memory_span : 1)}),
      normaliser(normaliser_for(signature.policy)),
      parameters(nets.parameters),
      prepared(nets.prepared),
      gradient(nets.parameters),
      adam(nets.parameters),
      memory(lanes.rows(0) * memory_each()) {
  if (ranks != nullptr) check_share(groups.size(), ranks->count());
  loss = {settings.objective, settings.clip, settings.entropy_weight, settings.value_weight, settings.value_clip};
  RandomStream random(seed, 0, 0, Purpose::initialise);
  nets.policy.initialise(nets.policy_part(parameters.span()), random, 0.01);
  if (!nets.shared) nets.value.initialise(nets.value_part(parameters.span()), random, 1.0);
  const auto spread = nets.spread_part(parameters.span());
  std::fill(spread.begin(), spread.end(), static_cast<float>(std::log(settings.first_spread)));
  parameters_changed();
  freeze();

  for (std::size_t g = 0; g < own_count; ++g)
    groups[first_own + g].first_sample = (own_groups()[g].first_row - own_groups()[0].first_row) * rollout.horizon;
  for (std::size_t i = 0; i < pool.threads(); ++i) rooms.emplace_back(*this);
  orders.assign(static_cast<std::size_t>(settings.epochs) * own_count, std::vector<std::uint32_t>(rollout.spans()));
  const std::size_t most_of_a_group = (spans_per_minibatch() + groups.size() - 1) / groups.size();
  const std::size_t most_shards = own_count * ((most_of_a_group + spans_per_shard() - 1) / spans_per_shard());
  shards.reserve(most_shards);
  first_shards.reserve(own_count + 1);
  shard_sums.resize(most_shards);
  for (std::size_t i = 0; i < most_shards; ++i) shard_gradients.emplace_back(nets.parameters);
  group_losses.resize(groups.size());
  group_sums.resize(groups.size());
  group_moments.resize(groups.size());
  group_episodes.resize(groups.size());
}

// Marks the parameters whose names begin with what the settings list.
void Ppo::State::freeze() {
  if (settings.frozen.empty()) return;
  frozen.assign(parameters.size(), 0);
  std::vector<std::string> names;
  std::vector<bool> used(settings.frozen.size());
  const auto mark = [&](const std::string& prefix, const Network<float>& net, std::size_t offset) {
    for (const NetworkPart& part : net.parts()) {
      names.push_back(prefix + "." + part.name);
      for (std::size_t i = 0; i < settings.frozen.size(); ++i) {
        if (!names.back().starts_with(settings.frozen[i])) continue;
        used[i] = true;
        std::fill_n(frozen.begin() + static_cast<std::ptrdiff_t>(offset + part.offset), part.rows * part.stride,
                    std::uint8_t{1});
      }
    }
  };
  mark("policy", nets.policy, 0);
  if (!nets.shared) mark("value", nets.value, nets.value_offset);
  for (std::size_t i = 0; i < used.size(); ++i)
    if (!used[i])
      throw Error(Fault::spec, "no part of the networks begins with '" + settings.frozen[i] + "'", "learner.frozen",
                  advice(settings.frozen[i], names));
}

void Ppo::State::begin_lanes() {
  const std::uint64_t episodes = derived_seed(seed, "train");
  for (std::size_t lane = 0; lane < lanes.count(); ++lane)
    lanes.assign_stage(lane, curriculum.stage_of({episodes, static_cast<std::uint32_t>(lane), 0}));
  lanes.begin_all(pool, episodes);
  begun = true;
}

Ppo::Ppo(const Game& game, const PpoSettings& settings, std::uint64_t seed, std::int64_t total_decisions,
         WorkerPool& pool, Ranks* ranks) {
  check_settings(settings);
  state_ = std::make_unique<State>(game, settings, seed, total_decisions, pool, ranks);
}

Ppo::Ppo(Ppo&&) noexcept = default;
Ppo& Ppo::operator=(Ppo&&) noexcept = default;
Ppo::~Ppo() = default;

std::int64_t Ppo::decisions() const noexcept { return state_->decisions; }
std::int64_t Ppo::updates() const noexcept { return state_->updates; }
std::size_t Ppo::stage() const noexcept { return state_->curriculum.stage(); }
void Ppo::set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states, double share) {
  state_->lanes.set_starts(stage, std::move(arena_states), share);
}
const PolicySignature& Ppo::signature() const noexcept { return state_->signature; }

Policy Ppo::policy() const {
  TensorFile file;
  store(file);
  return Policy::from(file);
}

}  // namespace zithercraft
