#include "zithercraft/learn/ppo.hpp"

#include <algorithm>
#include <cmath>

#include "learn/ppo/ppo_state.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

void check_settings(const PolicyGradientSettings& s) {
  const auto need = [](bool fine, const char* key, const char* fix) {
    if (!fine)
      throw Error(ErrorKind::spec,
                  "the learner's setting '" + std::string(key) + "' cannot be used", "learner",
                  fix);
  };
  const auto layers = [](const std::vector<std::int64_t>& widths) {
    return std::all_of(widths.begin(), widths.end(),
                       [](std::int64_t w) { return w >= 1 && w <= 65536; });
  };
  need(layers(s.policy_layers), "policy_layers", "give widths from 1 to 65536");
  need(layers(s.value_layers), "value_layers", "give widths from 1 to 65536");
  need(s.memory >= 0 && s.memory <= 65536, "memory", "give a number from 0 to 65536");
  need(s.memory == 0 || (*s.memory_span >= 1 && *s.horizon % *s.memory_span == 0), "memory_span",
       "give a number that divides the horizon");
  need(s.picture_least >= 1, "picture_least", "give at least 1");
  need(s.crowd_width >= 0 && s.crowd_width <= 65536, "crowd_width",
       "give a number from 0 to 65536");
  need(s.crowd_queries >= 1 && s.crowd_queries <= 1024, "crowd_queries",
       "give a number from 1 to 1024");
  need(*s.lanes >= 1 && *s.lanes <= 65536, "lanes", "give a number from 1 to 65536");
  need(*s.horizon >= 1 && *s.horizon <= 65536, "horizon", "give a number from 1 to 65536");
  need(*s.epochs >= 1, "epochs", "give at least 1");
  need(*s.minibatch >= 1, "minibatch", "give at least 1");
  need(s.kl_limit >= 0, "kl_limit", "give a number of at least 0");
  need(s.value_weight > 0, "value_weight", "give a number above 0");
  need(s.value_clip >= 0, "value_clip", "give a number of at least 0");
  need(s.learning_rate > 0 && std::isfinite(s.learning_rate), "learning_rate",
       "give a number above 0");
  need(s.last_learning_rate >= 0 && std::isfinite(s.last_learning_rate), "last_learning_rate",
       "give a number of at least 0");
  need(*s.discount >= 0 && *s.discount <= 1, "discount", "give a number from 0 to 1");
  need(s.trace_decay >= 0 && s.trace_decay <= 1, "trace_decay", "give a number from 0 to 1");
  need(s.clip > 0, "clip", "give a number above 0");
  need(*s.entropy_weight >= 0, "entropy_weight", "give a number of at least 0");
  need(*s.last_entropy_weight >= 0, "last_entropy_weight", "give a number of at least 0");
  need(s.entropy_fades_by > 0 && s.entropy_fades_by <= 1, "entropy_fades_by",
       "give a number above 0, at most 1");
  need(!s.counterfactual || s.value_sees != Sight::own, "counterfactual",
       "let the value network see others too: value_sees = \"side\" or \"everyone\"");
  need(!s.counterfactual || s.baseline, "counterfactual", "set baseline to true: it is a baseline");
  need(*s.against_past >= 0 && *s.against_past <= 1, "against_past", "give a number from 0 to 1");
  need(*s.against_hardest >= 0 && *s.against_past + *s.against_hardest <= 1, "against_hardest",
       "give a number of at least 0, with against_past at most 1");
  need(*s.snapshot_every >= 1, "snapshot_every", "give at least 1");
  need(s.snapshot_gain >= 0, "snapshot_gain", "give a number of at least 0");
  need(s.roster_size >= 3 && s.roster_size <= 4096, "roster_size", "give a number from 3 to 4096");
  need(s.gradient_limit > 0, "gradient_limit", "give a number above 0");
  need(*s.first_stddev > 0, "first_stddev", "give a number above 0");
}

}  // namespace

PhaseTimes& PhaseTimes::operator+=(const PhaseTimes& other) {
  play += other.play;
  decide += other.decide;
  learn += other.learn;
  optimise += other.optimise;
  wall += other.wall;
  return *this;
}

namespace {

// A role that mirrors one that learns is played by that one's policy.
std::size_t teacher_of(const Game& game, std::size_t role, const std::vector<RolePlayer>& players) {
  const std::size_t like = game.roles()[role].mirrors;
  return players[like].player == nullptr ? like : role;
}

std::vector<std::string> opposed_sides(const Game& game, const std::vector<RolePlayer>& players) {
  std::vector<std::string> sides;
  for (std::size_t r = 0; r < players.size(); ++r) {
    const std::string& side = game.roles()[r].side;
    if (players[r].player == nullptr && !side.empty() &&
        std::find(sides.begin(), sides.end(), side) == sides.end())
      sides.push_back(side);
  }
  return sides.size() > 1 ? sides : std::vector<std::string>{};
}

// The seats of a lane that one policy plays, at most.
std::size_t most_seats(const Game& game, const std::vector<RolePlayer>& players) {
  std::vector<std::size_t> seats(players.size());
  for (std::size_t r = 0; r < players.size(); ++r)
    if (players[r].player == nullptr)
      seats[teacher_of(game, r, players)] += game.roles()[r].seats.size();
  return *std::max_element(seats.begin(), seats.end());
}

std::vector<LaneGroup> groups_of(std::size_t lanes, std::size_t together) {
  std::vector<LaneGroup> groups;
  for (std::size_t first = 0; first < lanes; first += together)
    groups.push_back({first, std::min(together, lanes - first)});
  return groups;
}

void check_share(std::size_t groups, std::size_t processes) {
  if (groups % processes != 0)
    throw Error(
        ErrorKind::refused,
        std::to_string(groups) +
            " groups of lanes that are played together cannot be shared out evenly among " +
            std::to_string(processes) + " processes",
        "learner.lanes",
        "give " + std::to_string(processes) + " times as many lanes, or start fewer processes");
}

void check_players(const Game& game, const std::vector<RolePlayer>& players) {
  if (players.size() != game.roles().size())
    throw Error(ErrorKind::usage,
                "there are " + std::to_string(players.size()) + " players for " +
                    std::to_string(game.roles().size()) + " roles",
                "Ppo", "give one for each role");
  if (std::all_of(players.begin(), players.end(),
                  [](const RolePlayer& p) { return p.player != nullptr; }))
    throw Error(ErrorKind::usage, "nobody learns", "Ppo", "let a role learn");
  if (players[0].player != nullptr && game.stages() > 1)
    throw Error(ErrorKind::usage,
                "the stages of a curriculum go by the first role, which does not learn", "Ppo",
                "let it learn, or take the stages out");
}

void check_processes(const Game& game, const ProcessGroup* processes) {
  if (processes != nullptr && copies_of(game))
    throw Error(ErrorKind::refused, "a game that is played elsewhere is trained by one process",
                "processes", "start one; any number of games can join it");
}

TrainingContext context_of(const Game& game, const PolicyGradientSettings& settings,
                           std::uint64_t seed, std::int64_t total, WorkerPool& pool,
                           ProcessGroup* processes, const std::vector<RolePlayer>& players) {
  check_players(game, players);
  check_processes(game, processes);
  TrainingContext context{
      game,      seed,
      total,     pool,
      processes, make_environment(game, static_cast<std::size_t>(*settings.lanes), pool.threads())};
  context.sides = opposed_sides(game, players);
  for (const Role& role : game.roles()) {
    const auto found = std::find(context.sides.begin(), context.sides.end(), role.side);
    context.side_of_role.push_back(
        found == context.sides.end() ? -1 : static_cast<int>(found - context.sides.begin()));
  }
  const std::size_t lanes = context.environment->count(),
                    together = std::max<std::size_t>(1, rows_together / most_seats(game, players));
  context.groups = groups_of(lanes, together);
  context.shares = SideShares(lanes, together, context.sides.size(),
                              *settings.against_past + *settings.against_hardest);
  const std::size_t count = context.groups.size();
  if (processes != nullptr) check_share(count, processes->count());
  context.own_count = processes == nullptr ? count : count / processes->count();
  context.first_own = processes == nullptr ? 0 : context.own_count * processes->number();
  while (players[context.first_learning_role].player != nullptr) ++context.first_learning_role;
  return context;
}

// What all policies of a training have in common.
PolicyGradientSettings settings_for(const RolePlayer& player, const PolicyGradientSettings& common,
                                    const TrainingContext& context,
                                    std::span<const RolePlayer> players) {
  PolicyGradientSettings own =
      player.settings ? player.settings->as<PolicyGradientSettings>() : common;
  own.lanes = common.lanes;
  own.horizon = common.horizon;
  return settled(std::move(own), context.game, context.total_steps, players);
}

}  // namespace

Ppo::State::State(const Game& game, const PolicyGradientSettings& settings_, std::uint64_t seed,
                  std::int64_t total, WorkerPool& pool, ProcessGroup* processes,
                  std::vector<RolePlayer> players_)
    : settings(settings_),
      context(context_of(game, settings, seed, total, pool, processes, players_)),
      curriculum(game),
      players(std::move(players_)),
      learner_of(players.size()),
      roster(settings),
      opponents(context.environment->count()),
      ended(context.groups.size()),
      played(context.groups.size()) {
  for (std::size_t r = 0; r < players.size(); ++r) {
    if (players[r].player != nullptr || teacher_of(game, r, players) != r) continue;
    std::vector<std::size_t> roles;
    for (std::size_t other = r; other < players.size(); ++other)
      if (players[other].player == nullptr && teacher_of(game, other, players) == r)
        roles.push_back(other);
    for (const std::size_t role : roles) learner_of[role] = policy_learners.size();
    const PolicyGradientSettings own = settings_for(players[r], settings, context, players);
    check_settings(own);
    policy_learners.push_back(std::make_unique<PolicyLearner>(context, std::move(roles), own));
  }
  for (std::size_t worker = 0; worker < pool.threads(); ++worker) {
    Scratch& own = scratch.emplace_back();
    for (const RolePlayer& player : players)
      own.players.push_back(player.player ? player.player->copy() : nullptr);
    for (const LaneGroup& group : context.groups) {
      own.lanes.reserve(group.lanes);
      own.starts.reserve(group.lanes);
    }
  }
}

void Ppo::begin() {
  if (!state_->begun) state_->begin_lanes();
}

void Ppo::State::begin_lanes() {
  const std::uint64_t episodes = derived_seed(context.seed, "train");
  if (opposed() && roster.empty()) take_snapshot();
  for (std::size_t lane = 0; lane < context.environment->count(); ++lane)
    start_of(lane, {episodes, static_cast<std::uint32_t>(lane), 0});
  context.environment->begin_all(context.pool, episodes);
  begun = true;
}

void Ppo::State::take_snapshot() {
  PastSelf present{context.steps, {}, {}};
  for (const auto& policy_learner : policy_learners)
    present.policies.push_back(policy_learner->snapshot());
  std::vector<std::size_t> moved;
  roster.keep(std::move(present), moved);
  for (std::size_t& opponent : opponents) opponent = moved[opponent];
}

const PolicyLearner& Ppo::State::policy_learner(std::size_t role) const {
  if (role < learner_of.size() && learner_of[role]) return *policy_learners[*learner_of[role]];
  throw Error(ErrorKind::usage, "role " + std::to_string(role) + " does not learn", "Ppo",
              "name one that does");
}

Ppo::Ppo(const Game& game, const PolicyGradientSettings& settings, std::uint64_t seed,
         std::int64_t total_steps, WorkerPool& pool, ProcessGroup* processes,
         std::vector<RolePlayer> players) {
  check_length({.steps = total_steps}, "Ppo");
  if (players.empty()) players = usual_players(game, seed);
  const PolicyGradientSettings all = settled(settings, game, total_steps, players);
  check_settings(all);
  state_ =
      std::make_unique<State>(game, all, seed, total_steps, pool, processes, std::move(players));
}

Ppo::Ppo(Ppo&&) noexcept = default;
Ppo& Ppo::operator=(Ppo&&) noexcept = default;
Ppo::~Ppo() = default;

std::int64_t Ppo::steps() const noexcept { return state_->context.steps; }
std::int64_t Ppo::updates() const noexcept { return state_->context.updates; }
std::size_t Ppo::stage() const noexcept { return state_->curriculum.stage(); }
void Ppo::set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                     double share) {
  state_->context.environment->set_starts(stage, std::move(arena_states), share);
}
const std::vector<PolicyGradientReport>& Ppo::improvements() const noexcept {
  return state_->improvements;
}
const PhaseTimes& Ppo::rollout_times() const noexcept { return state_->rollout_times; }
RosterReport Ppo::roster() const { return state_->roster.report(); }
const PolicySignature& Ppo::signature(std::size_t role) const {
  return state_->policy_learner(role).signature();
}

std::optional<std::size_t> Ppo::policy_of(std::size_t role) const noexcept {
  const auto& of = state_->learner_of;
  if (role >= of.size() || !of[role]) return std::nullopt;
  return state_->policy_learners[*of[role]]->roles().front();
}

Policy Ppo::policy(std::size_t role) const {
  TensorFile file;
  state_->policy_learner(role).store(file);
  return Policy::from(file);
}

}  // namespace zithercraft
