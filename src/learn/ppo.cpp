#include "zithercraft/learn/ppo.hpp"

#include <algorithm>
#include <cmath>

#include "../net/network_tensors.hpp"
#include "ppo_state.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

std::vector<std::size_t> sizes(const std::vector<std::int64_t>& widths) { return {widths.begin(), widths.end()}; }

void check_one_role(const Game& game) {
  if (game.roles().size() != 1)
    throw Error(Fault::spec,
                "the game has " + std::to_string(game.roles().size()) + " roles, and this learner trains one", "roles",
                "train a game with one role");
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
  need(s.lanes >= 1 && s.lanes <= 65536, "lanes", "give a number from 1 to 65536");
  need(s.horizon >= 1 && s.horizon <= 65536, "horizon", "give a number from 1 to 65536");
  need(s.epochs >= 1, "epochs", "give at least 1");
  need(s.minibatch >= 1, "minibatch", "give at least 1");
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

Ppo::State::Room::Room(const State& s, std::size_t widest)
    : loss(s.nets, widest),
      inputs(samples_per_shard * s.rollout.columns),
      decisions(samples_per_shard * s.rollout.controls),
      log_probability(samples_per_shard),
      advantage(samples_per_shard),
      target(samples_per_shard),
      row(s.rollout.columns) {}

Ppo::State::State(const Game& game_, const PpoSettings& settings_, std::uint64_t seed_, std::int64_t total,
                  WorkerPool& pool_)
    : game(game_),
      settings(settings_),
      seed(seed_),
      total_decisions(total),
      pool(pool_),
      lanes(game, static_cast<std::size_t>(settings.lanes), pool.threads()),
      rollout(lanes.rows(0), static_cast<std::size_t>(settings.horizon), role().columns.size(), role().controls.size()),
      normaliser(role().columns.size()) {
  signature = {role().name, role().columns, role().controls, sizes(settings.policy_layers),
               sizes(settings.value_layers)};
  Heads heads(role().controls);
  Mlp<float> policy(widths_of(role().columns.size(), signature.policy_widths, heads.outputs()));
  Mlp<float> value(widths_of(role().columns.size(), signature.value_widths, 1));
  nets = ActorCritic<float>(std::move(heads), std::move(policy), std::move(value));
  parameters = AlignedBuffer<float>(nets.parameters);
  gradient = AlignedBuffer<float>(nets.parameters);
  adam = Adam(nets.parameters);
  loss = {settings.clip, settings.entropy_weight};
  RandomStream random(seed, 0, 0, Purpose::initialise);
  nets.policy.initialise(nets.policy_part(parameters.span()), random, 0.01);
  nets.value.initialise(nets.value_part(parameters.span()), random, 1.0);
  const auto spread = nets.spread_part(parameters.span());
  std::fill(spread.begin(), spread.end(), static_cast<float>(std::log(settings.first_spread)));

  for (std::size_t first = 0; first < lanes.count(); first += lanes_per_group) {
    const std::size_t n = std::min(lanes_per_group, lanes.count() - first), seats = lanes.seats(0);
    groups.push_back({first, n, first * seats, n * seats});
  }
  const std::size_t widest = std::max(samples_per_shard, lanes_per_group * lanes.seats(0));
  const std::size_t minibatch = std::min(static_cast<std::size_t>(settings.minibatch), rollout.samples());
  shard_sums.resize((minibatch + samples_per_shard - 1) / samples_per_shard);
  for (std::size_t i = 0; i < shard_sums.size(); ++i) shard_gradients.emplace_back(nets.parameters);
  for (std::size_t i = 0; i < pool.threads(); ++i) rooms.emplace_back(*this, widest);
  order.resize(rollout.samples());
  group_episodes.resize(groups.size());
  lanes.begin_all(pool, derived_seed(seed, "train"));
}

Ppo::Ppo(const Game& game, const PpoSettings& settings, std::uint64_t seed, std::int64_t total_decisions,
         WorkerPool& pool) {
  check_one_role(game);
  check_settings(settings);
  state_ = std::make_unique<State>(game, settings, seed, total_decisions, pool);
}

Ppo::~Ppo() = default;

std::int64_t Ppo::decisions() const noexcept { return state_->decisions; }
std::int64_t Ppo::updates() const noexcept { return state_->updates; }
const PolicySignature& Ppo::signature() const noexcept { return state_->signature; }

void Ppo::store(TensorFile& file) const {
  const State& s = *state_;
  s.signature.store(file);
  file.metadata["game_fingerprint"] = s.game.fingerprint();
  store_network(file, "policy", s.nets.policy, s.nets.policy_part(s.parameters.span()));
  store_network(file, "value", s.nets.value, s.nets.value_part(s.parameters.span()));
  file.put("policy.log_spread", {s.nets.heads.dials()}, s.nets.spread_part(s.parameters.span()));
  const double count = s.normaliser.count();
  file.put("normaliser.count", std::span(&count, 1));
  file.put("normaliser.mean", s.normaliser.mean());
  file.put("normaliser.deviation", s.normaliser.deviation());
  file.put("adam.first", {s.nets.parameters}, s.adam.first_moments().span());
  file.put("adam.second", {s.nets.parameters}, s.adam.second_moments().span());
  const std::int64_t counters[] = {s.decisions, s.updates, s.adam.steps(), static_cast<std::int64_t>(s.seed)};
  file.put("counters", std::span<const std::int64_t>(counters));
  std::vector<std::byte> states;
  for (std::size_t lane = 0; lane < s.lanes.count(); ++lane) {
    const auto state = s.lanes.state(lane);
    states.insert(states.end(), state.begin(), state.end());
  }
  file.put("lanes", std::span<const std::byte>(states));
}

void Ppo::restore(const TensorFile& file) {
  State& s = *state_;
  if (const auto d = first_difference(s.signature, PolicySignature::from(file)); !d.empty())
    throw Error(Fault::refused, "the checkpoint does not fit the game: " + d, "checkpoint",
                "go on with the game it was trained in, or start afresh");
  if (file.text("game_fingerprint") != s.game.fingerprint())
    throw Error(Fault::refused, "the checkpoint was trained in another version of the game", "checkpoint",
                "go on with the game it was trained in, or start afresh");
  const auto counters = file.integers("counters");
  const auto states = file.bytes("lanes");
  const std::size_t block = s.lanes.state(0).size();
  if (counters.size() != 4 || states.size() != block * s.lanes.count())
    throw Error(Fault::refused,
                "the checkpoint holds " + std::to_string(states.size() / block) + " lanes, the run has " +
                    std::to_string(s.lanes.count()),
                "checkpoint", "resume with the same number of lanes");
  fetch_network(file, "policy", s.nets.policy, s.nets.policy_part(s.parameters.span()));
  fetch_network(file, "value", s.nets.value, s.nets.value_part(s.parameters.span()));
  if (s.nets.heads.dials() > 0) file.get("policy.log_spread", s.nets.spread_part(s.parameters.span()));
  s.normaliser = Normaliser(file.doubles("normaliser.count").at(0), file.doubles("normaliser.mean"),
                            file.doubles("normaliser.deviation"));
  file.get("adam.first", s.adam.first_moments().span());
  file.get("adam.second", s.adam.second_moments().span());
  s.decisions = counters[0];
  s.updates = counters[1];
  s.adam.set_steps(counters[2]);
  s.seed = static_cast<std::uint64_t>(counters[3]);
  for (std::size_t lane = 0; lane < s.lanes.count(); ++lane)
    s.lanes.restore(lane, std::span(states).subspan(lane * block, block));
}

Policy Ppo::policy() const {
  TensorFile file;
  store(file);
  return Policy::from(file);
}

}  // namespace zithercraft
