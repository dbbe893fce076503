#include <cstdint>
#include <limits>
#include <string>

#include "base/gathered.hpp"
#include "learn/ppo/ppo_state.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
using namespace learn_internal;
using namespace base_internal;
namespace {

[[noreturn]] void refuse(const std::string& what, const std::string& fix) {
  throw Error(ErrorKind::refused, what, "checkpoint", fix);
}
constexpr const char* same_game = "resume with the game it was trained in, or start a new run";

// The first policy is unprefixed in the file; others are under their roles' names.
std::string place_of(const Game& game, const PolicyLearner& policy_learner) {
  return policy_place(game.roles()[policy_learner.roles().front()].name);
}
std::string place_of(std::size_t past, const PolicyLearner& policy_learner) {
  return roster_place(past, policy_learner.signature().role);
}

}  // namespace

void Ppo::store(TensorFile& file) const {
  const State& s = *state_;
  const TrainingContext& context = s.context;
  s.policy_learners.front()->store(file);
  for (std::size_t t = 1; t < s.policy_learners.size(); ++t) {
    TensorFile part;
    s.policy_learners[t]->store(part);
    file.put_part(place_of(context.game, *s.policy_learners[t]), part);
  }
  file.metadata["game_fingerprint"] = context.game.fingerprint();
  Counters{context.steps, context.updates}.store(file);
  const auto seed = static_cast<std::int64_t>(context.seed);
  file.put("seed", std::span(&seed, 1));
  const auto curriculum = s.curriculum.numbers();
  file.put("curriculum", std::span<const double>(curriculum));
  if (!s.begun) return;
  std::vector<std::byte> states;
  std::vector<std::int64_t> stages, opponents;
  const LaneGroup &first = context.own_groups().front(), &last = context.own_groups().back();
  const bool returns = context.environment->abilities().snapshots;
  std::vector<std::int64_t> episodes;
  for (std::size_t lane = first.first_lane; lane < last.first_lane + last.lanes; ++lane) {
    if (returns) context.environment->append_snapshot(lane, states);
    episodes.push_back(static_cast<std::int64_t>(context.environment->key(lane).episode));
    stages.push_back(static_cast<std::int64_t>(context.environment->stage(lane)));
    opponents.push_back(static_cast<std::int64_t>(s.opponents[lane]));
  }
  states = gathered<std::byte>(context.processes, states);
  stages = gathered<std::int64_t>(context.processes, stages);
  if (returns) {
    file.put("lanes", std::span<const std::byte>(states));
  } else {
    episodes = gathered<std::int64_t>(context.processes, episodes);
    file.put("lane_episodes", std::span<const std::int64_t>(episodes));
  }
  file.put("lane_stages", std::span<const std::int64_t>(stages));
  if (!s.opposed()) return;
  opponents = gathered<std::int64_t>(context.processes, opponents);
  file.put("lane_opponents", std::span<const std::int64_t>(opponents));
  const std::size_t each = context.shares.numbers_each();
  std::vector<double> shares;
  for (std::size_t lane = first.first_lane; lane < last.first_lane + last.lanes; ++lane) {
    shares.resize(shares.size() + each);
    context.shares.store(lane, std::span(shares).last(each));
  }
  shares = gathered<double>(context.processes, shares);
  file.put("lane_shares", std::span<const double>(shares));
  const auto roster = s.roster.numbers();
  file.put("roster", std::span<const double>(roster));
  for (std::size_t past = 0; past < s.roster.size(); ++past)
    for (std::size_t t = 0; t < s.policy_learners.size(); ++t) {
      TensorFile part;
      s.policy_learners[t]->store(part, s.roster[past].policies[t]);
      file.put_part(place_of(past, *s.policy_learners[t]), part);
    }
}

void Ppo::State::restore_roster(const TensorFile& file) {
  const std::size_t count = roster.restore(file.doubles("roster"));
  for (std::size_t past = 0; past < count; ++past)
    for (std::size_t t = 0; t < policy_learners.size(); ++t)
      roster[past].policies.push_back(
          policy_learners[t]->fetch(file.part(place_of(past, *policy_learners[t]))));
  const auto stored = file.integers("lane_opponents");
  if (stored.size() != opponents.size())
    refuse("the checkpoint's opponents are those of another number of lanes", same_game);
  for (std::size_t lane = 0; lane < stored.size(); ++lane) {
    opponents[lane] = static_cast<std::size_t>(stored[lane]);
    if (opponents[lane] >= count)
      refuse("the checkpoint names an opponent that is not there", same_game);
  }
}

void Ppo::State::restore_shares(const TensorFile& file) {
  const auto stored = file.doubles("lane_shares");
  const std::size_t each = context.shares.numbers_each();
  if (stored.size() != opponents.size() * each)
    refuse("the checkpoint's lanes are shared out otherwise among the sides", same_game);
  for (std::size_t lane = 0; lane < opponents.size(); ++lane)
    if (!context.shares.restore(lane, std::span(stored).subspan(lane * each, each)))
      refuse("the checkpoint's shares of the sides make no sense", same_game);
}

void Ppo::restore(const TensorFile& file) {
  State& s = *state_;
  TrainingContext& context = s.context;
  s.policy_learners.front()->restore(file);
  for (std::size_t t = 1; t < s.policy_learners.size(); ++t)
    s.policy_learners[t]->restore(file.part(place_of(context.game, *s.policy_learners[t])));
  if (file.text("game_fingerprint") != context.game.fingerprint())
    refuse("the checkpoint was trained in another version of the game", same_game);
  const Counters counters = Counters::of(file.metadata, "checkpoint");
  context.steps = counters.steps;
  context.updates = counters.updates;
  context.seed = static_cast<std::uint64_t>(file.integers("seed").at(0));
  s.curriculum.restore(file.doubles("curriculum"));
  s.begun = file.has("lanes") || file.has("lane_episodes");
  s.collected = false;
  if (s.begun) s.restore_lanes(file);
}

void Ppo::State::restore_lanes(const TensorFile& file) {
  const auto stages = file.integers("lane_stages");
  if (stages.size() != context.environment->count())
    refuse("the checkpoint holds " + std::to_string(stages.size()) + " lanes, the run has " +
               std::to_string(context.environment->count()),
           "resume with the same number of lanes");
  if (opposed()) {
    restore_roster(file);
    restore_shares(file);
  }
  if (file.has("lane_episodes")) return begin_next_episodes(file.integers("lane_episodes"));
  const auto states = file.bytes("lanes");
  std::size_t next = 0;
  for (std::size_t lane = 0; lane < context.environment->count(); ++lane)
    next += context.environment->restore_snapshot(lane, static_cast<std::size_t>(stages[lane]),
                                                  std::span(states).subspan(next));
}

// Of a game that cannot be brought back into the episodes that it was in.
void Ppo::State::begin_next_episodes(std::span<const std::int64_t> episodes) {
  if (episodes.size() != context.environment->count())
    refuse("the checkpoint's episodes are those of another number of lanes", same_game);
  const std::uint64_t seed = derived_seed(context.seed, "train");
  for (const LaneGroup& group : context.groups)
    for (std::size_t lane = group.first_lane; lane < group.first_lane + group.lanes; ++lane) {
      if (episodes[lane] < 0 || episodes[lane] >= std::numeric_limits<std::uint32_t>::max())
        refuse("the checkpoint counts episodes that cannot be", same_game);
      for (const auto& policy_learner : policy_learners)
        for (const std::size_t role : policy_learner->roles())
          policy_learner->forget(policy_learner->block_of(role, group), lane);
      const LaneStart start = start_of(lane, {seed, static_cast<std::uint32_t>(lane),
                                              static_cast<std::uint32_t>(episodes[lane]) + 1});
      context.environment->begin(start.lane, start.key);
    }
}

// The first policy continues the file's unprefixed policy; others those under their roles' names,
// if there is something.
Continuation Ppo::continue_from(const TensorFile& file) {
  State& s = *state_;
  Continuation report = s.policy_learners.front()->continue_from(file);
  for (std::size_t t = 1; t < s.policy_learners.size(); ++t) {
    const std::string place = place_of(s.context.game, *s.policy_learners[t]);
    if (!file.has_part(place)) continue;
    for (auto& part : s.policy_learners[t]->continue_from(file.part(place)).parts) {
      part.name = place + part.name;
      report.parts.push_back(std::move(part));
    }
  }
  return report;
}

}  // namespace zithercraft
