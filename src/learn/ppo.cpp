#include "zithercraft/learn/ppo.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numeric>

#include "../net/network_tensors.hpp"
#include "actor_critic.hpp"
#include "rollout.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

// Both sizes are fixed, whatever the number of threads, so that sums are always made in the same order.
constexpr std::size_t lanes_per_group = 16;
constexpr std::size_t samples_per_shard = 128;

std::vector<std::size_t> sizes(const std::vector<std::int64_t>& widths) { return {widths.begin(), widths.end()}; }

const Role& only_role(const Game& game) {
  if (game.roles().size() != 1)
    throw Error(Fault::spec,
                "the game has " + std::to_string(game.roles().size()) + " roles, and this learner trains one", "roles",
                "train a game with one role");
  return game.roles()[0];
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

struct TimedEpisode {
  std::size_t time, row;
  EpisodeResult result;
};

}  // namespace

struct Ppo::State {
  State(const Game& game_, const PpoSettings& settings_, std::uint64_t seed_, std::int64_t total, WorkerPool& pool_)
      : game(game_),
        settings(settings_),
        seed(seed_),
        total_decisions(total),
        pool(pool_),
        lanes(game, static_cast<std::size_t>(settings.lanes), pool.threads()),
        rollout(lanes.rows(0), static_cast<std::size_t>(settings.horizon), role().columns.size(),
                role().controls.size()),
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

  const Role& role() const { return only_role(game); }

  struct Room {
    Room(const State& s, std::size_t widest)
        : loss(s.nets, widest),
          inputs(samples_per_shard * s.rollout.columns),
          decisions(samples_per_shard * s.rollout.controls),
          log_probability(samples_per_shard),
          advantage(samples_per_shard),
          target(samples_per_shard),
          row(s.rollout.columns) {}
    LossRoom<float> loss;
    AlignedBuffer<float> inputs, decisions, log_probability, advantage, target;  // one shard, gathered
    AlignedBuffer<float> row;
  };

  float value_of(std::span<const float> raw_row, Room& room) const {
    normaliser.apply(raw_row, room.row.span());
    return nets.value.forward(nets.value_part(parameters.span()), room.row.span(), 1, room.loss.value)[0];
  }

  void play_group(std::size_t g, std::size_t worker);
  void keep_results(std::size_t lane, std::size_t time, std::vector<TimedEpisode>& ended);
  void judge_group(const Group& group, Room& room);
  void add_shard(std::size_t shard, std::size_t first, std::size_t count, std::size_t batch, Room& room);
  void step(double rate, ImproveReport& report);
  void check_finite() const;

  Game game;
  PpoSettings settings;
  std::uint64_t seed;
  std::int64_t total_decisions;
  WorkerPool& pool;
  Lanes lanes;
  Rollout rollout;
  Normaliser normaliser;
  PolicySignature signature;
  ActorCritic<float> nets;
  AlignedBuffer<float> parameters, gradient;
  Adam adam;
  std::vector<Group> groups;
  std::vector<Room> rooms;
  std::vector<AlignedBuffer<float>> shard_gradients;
  std::vector<LossSums> shard_sums;
  std::vector<std::uint32_t> order;
  std::vector<std::vector<TimedEpisode>> group_episodes;
  std::int64_t decisions = 0, updates = 0;
  LossSettings loss;
};

Ppo::Ppo(const Game& game, const PpoSettings& settings, std::uint64_t seed, std::int64_t total_decisions,
         WorkerPool& pool) {
  only_role(game);
  check_settings(settings);
  state_ = std::make_unique<State>(game, settings, seed, total_decisions, pool);
}

Ppo::~Ppo() = default;

std::int64_t Ppo::decisions() const noexcept { return state_->decisions; }
std::int64_t Ppo::updates() const noexcept { return state_->updates; }
const PolicySignature& Ppo::signature() const noexcept { return state_->signature; }

// ---- Collecting
// -------------------------------------------------------------------------------------------------------

void Ppo::State::keep_results(std::size_t lane, std::size_t time, std::vector<TimedEpisode>& ended) {
  for (std::size_t seat = 0; seat < lanes.seats(0); ++seat) {
    const std::size_t row = lane * lanes.seats(0) + seat;
    ended.push_back({time, row, episode_result(lanes, 0, row)});
  }
}

void Ppo::State::play_group(std::size_t g, std::size_t worker) {
  const Group& group = groups[g];
  Room& room = rooms[worker];
  Rollout& r = rollout;
  const std::size_t seats = lanes.seats(0), width = nets.heads.outputs();
  group_episodes[g].clear();
  const std::uint64_t decide_seed = derived_seed(seed, "decide");
  for (std::size_t t = 0; t < r.horizon; ++t) {
    const std::size_t first = group.sample(r.horizon, t, 0);
    const auto raw = r.raw.span().subspan(first * r.columns, group.rows * r.columns);
    const auto inputs = r.inputs.span().subspan(first * r.columns, group.rows * r.columns);
    const auto sensed = lanes.observations(0).subspan(group.first_row * r.columns, group.rows * r.columns);
    std::copy(sensed.begin(), sensed.end(), raw.begin());
    normaliser.apply(raw, inputs);
    const auto outputs = nets.policy.forward(nets.policy_part(parameters.span()), inputs, group.rows, room.loss.policy);
    for (std::size_t i = 0; i < group.rows; ++i) {
      // One stream per row and rollout would need its position kept; a stream per decision needs nothing.
      RandomStream random(decide_seed, static_cast<std::uint32_t>(group.first_row + i),
                          static_cast<std::uint32_t>(static_cast<std::size_t>(updates) * r.horizon + t),
                          Purpose::decide);
      const auto decision = r.decisions.span().subspan((first + i) * r.controls, r.controls);
      r.log_probability[first + i] = nets.heads.sample(
          outputs.subspan(i * width, width), nets.spread_part(std::as_const(parameters).span()), random, decision);
      nets.heads.controls_of(decision, lanes.control(0, group.first_row + i));
    }
    for (std::size_t l = 0; l < group.lanes; ++l) {
      const std::size_t lane = group.first_lane + l;
      lanes.advance(lane, worker);
      const Outcome outcome = lanes.outcome(lane);
      for (std::size_t seat = 0; seat < seats; ++seat) {
        const std::size_t s = first + l * seats + seat, row = lane * seats + seat;
        r.reward[s] = lanes.rewards(0)[row];
        r.ended[s] = outcome == Outcome::running ? 0 : 1;
        // Where the rollout stops or a cutoff strikes, the future is the value of what is sensed now.
        const bool stops = t + 1 == r.horizon && outcome == Outcome::running;
        r.next_value[s] = outcome == Outcome::cutoff || stops ? value_of(lanes.observation(0, row), room) : 0.0f;
      }
      if (outcome == Outcome::running) continue;
      keep_results(lane, t, group_episodes[g]);
      EpisodeKey next = lanes.key(lane);
      ++next.episode;
      lanes.begin(lane, next, worker);
    }
  }
  judge_group(group, room);
  estimate_advantages(r, group, settings.discount, settings.trace_decay);
}

// Values of all samples of a group, in larger blocks than one decision has.
void Ppo::State::judge_group(const Group& group, Room& room) {
  Rollout& r = rollout;
  const std::size_t begin = group.sample(r.horizon, 0, 0), end = begin + group.rows * r.horizon;
  for (std::size_t first = begin; first < end; first += samples_per_shard) {
    const std::size_t n = std::min(samples_per_shard, end - first);
    const auto values =
        nets.value.forward(nets.value_part(std::as_const(parameters).span()),
                           r.inputs.span().subspan(first * r.columns, n * r.columns), n, room.loss.value);
    std::copy_n(values.begin(), n, r.value.begin() + first);
  }
  for (std::size_t t = 0; t + 1 < r.horizon; ++t)
    for (std::size_t row = 0; row < group.rows; ++row) {
      const std::size_t s = group.sample(r.horizon, t, row);
      if (r.ended[s] == 0) r.next_value[s] = r.value[group.sample(r.horizon, t + 1, row)];
    }
}

CollectReport Ppo::collect() {
  State& s = *state_;
  s.pool.run(s.groups.size(), [&](std::size_t g, std::size_t worker) { s.play_group(g, worker); });
  s.decisions += static_cast<std::int64_t>(s.rollout.samples());

  CollectReport report;
  report.decisions = static_cast<std::int64_t>(s.rollout.samples());
  std::vector<const TimedEpisode*> all;
  for (const auto& list : s.group_episodes)
    for (const auto& episode : list) all.push_back(&episode);
  std::stable_sort(all.begin(), all.end(), [](const auto* a, const auto* b) {
    return a->time != b->time ? a->time < b->time : a->row < b->row;
  });
  for (const auto* episode : all) report.episodes.push_back(episode->result);
  return report;
}

// ---- Learning
// ---------------------------------------------------------------------------------------------------------

void Ppo::State::add_shard(std::size_t shard, std::size_t first, std::size_t count, std::size_t batch, Room& room) {
  const Rollout& r = rollout;
  for (std::size_t i = 0; i < count; ++i) {
    const std::size_t s = order[first + i];
    std::copy_n(r.inputs.data() + s * r.columns, r.columns, room.inputs.data() + i * r.columns);
    std::copy_n(r.decisions.data() + s * r.controls, r.controls, room.decisions.data() + i * r.controls);
    room.log_probability[i] = r.log_probability[s];
    room.advantage[i] = r.advantage[s];
    room.target[i] = r.target[s];
  }
  auto& own = shard_gradients[shard];
  std::fill(own.begin(), own.end(), 0.0f);
  const Batch<float> gathered{count,
                              room.inputs.span(),
                              room.decisions.span(),
                              room.log_probability.span(),
                              room.advantage.span(),
                              room.target.span()};
  shard_sums[shard] =
      add_loss<float>(nets, parameters.span(), gathered, loss, 1.0f / static_cast<float>(batch), room.loss, own.span());
}

void Ppo::State::check_finite() const {
  const auto check = [&](const std::string& prefix, const Mlp<float>& net, std::span<const float> part) {
    for (std::size_t i = 0; i < net.layers().size(); ++i) {
      const auto& layer = net.layers()[i];
      if (!std::isfinite(norm_of(part.subspan(layer.weights, layer.inputs * layer.outputs))))
        throw Error(Fault::numbers,
                    "the gradient of layer " + std::to_string(i) + " of the " + prefix + " network is not finite",
                    "update " + std::to_string(updates + 1), "lower the learning rate or the rewards");
    }
  };
  check("policy", nets.policy, nets.policy_part(gradient.span()));
  check("value", nets.value, nets.value_part(gradient.span()));
}

void Ppo::State::step(double rate, ImproveReport& report) {
  const auto limit = [&](std::span<float> part) {
    const double norm = norm_of(part);
    if (norm > settings.gradient_limit) {
      const auto shrink = static_cast<float>(settings.gradient_limit / norm);
      for (float& g : part) g *= shrink;
    }
    return norm;
  };
  const double policy_norm = limit(gradient.span().first(nets.value_offset));
  const double value_norm = limit(nets.value_part(gradient.span()));
  if (!std::isfinite(policy_norm) || !std::isfinite(value_norm)) check_finite();
  report.gradient_norm += policy_norm;
  adam.step(parameters.span(), gradient.span(), rate);
}

ImproveReport Ppo::improve() {
  State& s = *state_;
  const Rollout& r = s.rollout;
  const std::size_t samples = r.samples(), batch = std::min(static_cast<std::size_t>(s.settings.minibatch), samples);
  ImproveReport report;

  // Advantages to mean 0 and spread 1; how much of the returns' variance the values explain.
  double mean = 0.0, square = 0.0, target_mean = 0.0, target_square = 0.0, off_mean = 0.0, off_square = 0.0;
  for (std::size_t i = 0; i < samples; ++i) {
    const auto a = static_cast<double>(r.advantage[i]), t = static_cast<double>(r.target[i]);
    mean += a;
    square += a * a;
    target_mean += t;
    target_square += t * t;
  }
  const auto n = static_cast<double>(samples);
  mean /= n;
  target_mean /= n;
  off_mean = mean;  // target - value is the advantage
  off_square = square / n - off_mean * off_mean;
  const double spread = std::sqrt(std::max(0.0, off_square)),
               target_variance = target_square / n - target_mean * target_mean;
  report.explained_variance = target_variance > 1e-12 ? 1.0 - off_square / target_variance : 0.0;
  for (float& a : s.rollout.advantage.span()) a = static_cast<float>((static_cast<double>(a) - mean) / (spread + 1e-8));

  const double done = std::min(1.0, static_cast<double>(s.decisions - static_cast<std::int64_t>(samples)) /
                                        static_cast<double>(std::max<std::int64_t>(1, s.total_decisions)));
  report.learning_rate = s.settings.learning_rate + (s.settings.last_learning_rate - s.settings.learning_rate) * done;
  s.loss.entropy_weight = s.settings.entropy_weight + (s.settings.last_entropy_weight - s.settings.entropy_weight) *
                                                          std::min(1.0, done / s.settings.entropy_fades_by);

  std::iota(s.order.begin(), s.order.end(), 0u);
  RandomStream shuffle(s.seed, 0, static_cast<std::uint32_t>(s.updates), Purpose::shuffle);
  std::size_t steps = 0;
  for (std::int64_t epoch = 0; epoch < s.settings.epochs; ++epoch) {
    for (std::size_t i = samples; i > 1; --i)
      std::swap(s.order[i - 1], s.order[shuffle.below(static_cast<std::uint32_t>(i))]);
    LossSums sums;
    for (std::size_t first = 0; first < samples; first += batch, ++steps) {
      const std::size_t count = std::min(batch, samples - first);
      const std::size_t shards = (count + samples_per_shard - 1) / samples_per_shard;
      s.pool.run(shards, [&](std::size_t shard, std::size_t worker) {
        const std::size_t begin = shard * samples_per_shard;
        s.add_shard(shard, first + begin, std::min(samples_per_shard, count - begin), count, s.rooms[worker]);
      });
      std::copy(s.shard_gradients[0].begin(), s.shard_gradients[0].end(), s.gradient.begin());
      for (std::size_t shard = 1; shard < shards; ++shard)
        for (std::size_t p = 0; p < s.gradient.size(); ++p) s.gradient[p] += s.shard_gradients[shard][p];
      for (std::size_t shard = 0; shard < shards; ++shard) sums += s.shard_sums[shard];
      s.step(report.learning_rate, report);
    }
    report.policy_loss = sums.policy / n;
    report.value_loss = sums.value / n;
    report.entropy = sums.entropy / n;
    report.kl = sums.kl / n;
    report.clip_share = sums.clipped / n;
  }
  report.gradient_norm /= static_cast<double>(steps);
  if (!std::isfinite(report.policy_loss) || !std::isfinite(report.value_loss))
    throw Error(Fault::numbers, "the loss is not finite", "update " + std::to_string(s.updates + 1),
                "lower the learning rate or the rewards");
  if (s.settings.normalise) s.normaliser.fold(r.raw.span());
  ++s.updates;
  return report;
}

// ---- Storing
// ----------------------------------------------------------------------------------------------------------

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
