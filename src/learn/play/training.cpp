#include "learn/play/training.hpp"

#include <algorithm>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::learn_internal {
namespace {

// A role that mirrors one that learns is played by that one's policy.
std::size_t learner_of(const Game& game, std::size_t role, const std::vector<RolePlayer>& players) {
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
      seats[learner_of(game, r, players)] += game.roles()[r].seats.size();
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

void check_players(const Game& game, const std::vector<RolePlayer>& players,
                   const std::string& method) {
  if (players.size() != game.roles().size())
    throw Error(ErrorKind::usage,
                "there are " + std::to_string(players.size()) + " players for " +
                    std::to_string(game.roles().size()) + " roles",
                method, "give one for each role");
  if (std::all_of(players.begin(), players.end(),
                  [](const RolePlayer& p) { return p.player != nullptr; }))
    throw Error(ErrorKind::usage, "nobody learns", method, "let a role learn");
  if (players[0].player != nullptr && game.stages() > 1)
    throw Error(ErrorKind::usage,
                "the stages of a curriculum go by the first role, which does not learn", method,
                "let it learn, or take the stages out");
}

void check_processes(const Game& game, const TrainingSettings& settings,
                     const ProcessGroup* processes) {
  if (processes != nullptr && !settings.processes)
    throw Error(ErrorKind::refused, settings.method + " is trained by one process", "processes",
                "start one, with as many threads as there are cores");
  if (processes != nullptr && copies_of(game))
    throw Error(ErrorKind::refused, "a game that is played elsewhere is trained by one process",
                "processes", "start one; any number of games can join it");
}

TrainingContext context_of(const Game& game, const TrainingSettings& settings, std::uint64_t seed,
                           const Budget& budget, WorkerPool& pool, ProcessGroup* processes,
                           const std::vector<RolePlayer>& players) {
  check_players(game, players, settings.method);
  check_processes(game, settings, processes);
  TrainingContext context{
      game, seed,      budget.steps,
      pool, processes, make_environment(game, settings.plays ? settings.lanes : 0, pool.threads())};
  context.sides = opposed_sides(game, players);
  for (const Role& role : game.roles()) {
    const auto found = std::find(context.sides.begin(), context.sides.end(), role.side);
    context.side_of_role.push_back(
        found == context.sides.end() ? -1 : static_cast<int>(found - context.sides.begin()));
  }
  const std::size_t lanes = context.environment->count(),
                    together = std::max<std::size_t>(
                        1, settings.rows_together / most_seats(game, players));
  context.groups = groups_of(lanes, together);
  context.shares = SideShares(lanes, together, context.sides.size(),
                              settings.roster.against_past + settings.roster.against_hardest);
  const std::size_t count = context.groups.size();
  if (processes != nullptr) check_share(count, processes->count());
  context.own_count = processes == nullptr ? count : count / processes->count();
  context.first_own = processes == nullptr ? 0 : context.own_count * processes->number();
  while (players[context.first_learning_role].player != nullptr) ++context.first_learning_role;
  return context;
}

}  // namespace

Training::Training(const Game& game, const TrainingSettings& settings, std::uint64_t seed,
                   const Budget& budget, WorkerPool& pool, ProcessGroup* processes,
                   std::vector<RolePlayer> players, const Demonstrations* demonstrations,
                   const MakeTrainee& make)
    : settings_(settings),
      players_(std::move(players)),
      context_(context_of(game, settings, seed, budget, pool, processes, players_)),
      curriculum_(game),
      trainee_of_(players_.size()),
      roster_(settings.roster),
      opponents_(context_.environment->count()),
      ended_(context_.groups.size()),
      played_(context_.groups.size()) {
  context_.demonstrations = demonstrations;
  for (const RolePlayer& player : players_)
    context_.advised.push_back(settings.asks_teachers && player.teacher != nullptr);
  make_trainees(make);
  for (std::size_t worker = 0; worker < pool.threads(); ++worker) {
    Scratch& own = scratch_.emplace_back();
    for (const RolePlayer& player : players_)
      own.players.push_back(player.player ? player.player->copy() : nullptr);
    for (std::size_t role = 0; role < players_.size(); ++role)
      own.teachers.push_back(context_.is_advised(role) ? players_[role].teacher->copy() : nullptr);
    for (const LaneGroup& group : context_.groups) {
      own.lanes.reserve(group.lanes);
      own.starts.reserve(group.lanes);
    }
  }
}

Training::~Training() = default;

void Training::make_trainees(const MakeTrainee& make) {
  const auto like = [&](std::size_t role) { return learner_of(context_.game, role, players_); };
  for (std::size_t r = 0; r < players_.size(); ++r) {
    if (players_[r].player != nullptr || like(r) != r) continue;
    std::vector<std::size_t> roles;
    for (std::size_t other = r; other < players_.size(); ++other)
      if (players_[other].player == nullptr && like(other) == r) roles.push_back(other);
    for (const std::size_t role : roles) trainee_of_[role] = trainees_.size();
    trainees_.push_back(
        make(context_, std::move(roles), players_[r].settings ? &*players_[r].settings : nullptr));
  }
  for (const auto& trainee : trainee_of_)
    context_.learners.push_back(trainee ? trainees_[*trainee].get() : nullptr);
}

void Training::set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                          double share) {
  context_.environment->set_starts(stage, std::move(arena_states), share);
}

void Training::begin() {
  if (!begun_) begin_lanes();
}

void Training::begin_lanes() {
  const std::uint64_t episodes = derived_seed(context_.seed, "train");
  if (opposed() && roster_.empty()) take_snapshot();
  for (std::size_t lane = 0; lane < context_.environment->count(); ++lane)
    start_of(lane, {episodes, static_cast<std::uint32_t>(lane), 0});
  context_.environment->begin_all(context_.pool, episodes);
  begun_ = true;
}

void Training::take_snapshot() {
  PastSelf present{context_.steps, {}, {}};
  for (const auto& trainee : trainees_) present.policies.push_back(trainee->snapshot());
  std::vector<std::size_t> moved;
  roster_.keep(std::move(present), moved);
  for (std::size_t& opponent : opponents_) opponent = moved[opponent];
}

const Trainee& Training::trainee(std::size_t role) const {
  if (role < trainee_of_.size() && trainee_of_[role]) return *trainees_[*trainee_of_[role]];
  throw Error(ErrorKind::usage, "role " + std::to_string(role) + " does not learn",
              settings_.method, "name one that does");
}

bool Training::ended() const noexcept {
  return std::all_of(trainees_.begin(), trainees_.end(),
                     [](const auto& trainee) { return trainee->ended(); });
}

std::optional<std::size_t> Training::policy_of(std::size_t role) const noexcept {
  if (role >= trainee_of_.size() || !trainee_of_[role]) return std::nullopt;
  return trainees_[*trainee_of_[role]]->roles().front();
}

Policy Training::policy(std::size_t role) const {
  TensorFile file;
  trainee(role).store(file);
  return Policy::from(file);
}

}  // namespace zithercraft::learn_internal
